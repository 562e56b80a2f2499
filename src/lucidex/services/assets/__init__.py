"""What steps need beside the original: logos, and faces for words."""
