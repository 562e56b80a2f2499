"""Steps as they are begun on the bench, and put on other pictures."""
