"""The form of a place, and the book of places."""
