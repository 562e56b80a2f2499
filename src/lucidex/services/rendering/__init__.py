"""From a document to pixels and files: requests, the renderer, kept results."""
