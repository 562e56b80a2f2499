"""What somebody types into the line, understood and carried out."""
