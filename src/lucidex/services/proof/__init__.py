"""All pictures in all places: what they weigh, how they are written, what needs a look."""
