"""What looks at a pixel's neighbours, after the development: contrast, drawing, two tones, softening, sharpening."""
