"""What every page has around it: templates, scripts, styles, and how errors are said."""
