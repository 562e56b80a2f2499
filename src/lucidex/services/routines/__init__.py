"""Steps under a name, and their use."""
