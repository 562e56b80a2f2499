"""What is drawn onto the finished size."""
