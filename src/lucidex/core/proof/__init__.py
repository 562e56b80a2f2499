"""What is looked at before a picture leaves: warnings, measurements on finished pixels, names of files."""
