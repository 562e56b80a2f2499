"""The bench: one picture, its steps, its stage and its places."""
