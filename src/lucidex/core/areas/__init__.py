"""Areas of a picture: rectangles, ellipses, outlines and brush strokes, added to and taken from each other."""
