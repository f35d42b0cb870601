"""Cut an output into pieces, name them, decide their treatment; the stock."""
