"""What is kept for how long, and what is done to many pictures at once."""
