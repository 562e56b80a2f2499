"""Tone and colour: what the steps add up to, how that is folded, and what looks at neighbours."""
