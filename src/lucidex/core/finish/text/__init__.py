"""Words on the finished size: faces by file, setting by Pango through libvips, contrast as WCAG measures it."""
