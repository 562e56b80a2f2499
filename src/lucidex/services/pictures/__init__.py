"""What was decided about a picture: its document, its history, its notes, its seat in the folio."""
