"""Pages: one module a stage."""
