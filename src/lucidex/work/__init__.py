"""Work that runs in processes of its own."""
