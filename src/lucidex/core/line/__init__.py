"""What typed words mean."""
