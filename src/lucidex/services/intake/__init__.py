"""How files come in, in parts or whole, from archives too, and become originals."""
