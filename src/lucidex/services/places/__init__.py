"""The places of a folio, and the book of them."""
