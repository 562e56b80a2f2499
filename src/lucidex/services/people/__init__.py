"""Who somebody is, what they may do, their sessions and tokens, and what they did."""
