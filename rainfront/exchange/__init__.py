"""In and out: the whole shop as an open archive, everything in tables, references of another shop."""
