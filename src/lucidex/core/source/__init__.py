"""The way in: files of any format to raw pixels and facts, their pyramid of levels, and what is repaired on them."""
