"""What places ask for: measures, demands, and the book in which known places stand."""
