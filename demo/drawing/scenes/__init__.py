"""Small scenes for the source of free pictures: each a function of its size, its colours and a seed."""
