"""*Range*: which part of a source, and what the picture will be."""
