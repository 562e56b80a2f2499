"""Changes of a part of the original's own pixels: hiding, softening, mending, shifting. One file a method."""
