"""Speed and memory, measured side by side."""
