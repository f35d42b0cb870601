"""What is kept of each batch: its runs, what its outputs were decided to be, the pieces it needs."""
