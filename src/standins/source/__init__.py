"""A source of free pictures: described by IIIF Presentation 3, delivered by IIIF Image 3 at level 2.

`catalogue` knows the pictures, `presentation` describes them, `image` cuts and scales them, `app` answers.
"""
