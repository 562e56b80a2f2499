"""What a route needs of a request: who asks, how large it may be, its turn, its files."""
