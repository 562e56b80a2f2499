"""What is to be said of a picture where it is brought in, before anything is done to it."""
