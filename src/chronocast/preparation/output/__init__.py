"""Outputs made ready: planned, named, judged, and what each must turn out to be."""
