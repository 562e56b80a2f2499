"""Ways in from outside: the scanner, sources of free pictures, the site; and where an administrator sets them up."""
