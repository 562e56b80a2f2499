"""What is done to pixels once they are framed: tone, effects, grounds."""
