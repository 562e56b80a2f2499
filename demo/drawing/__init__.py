"""The pictures of Marrow Lane Glasshouse, drawn and rendered by arithmetic only."""
