"""The site of Marrow Lane Glasshouse: pages with pictures, written to by W3C Micropub.

`posts` and `media` remember, `tokens` knows who may do what, `micropub` reads requests, `app` answers, `seed` writes
the first pages.
"""
