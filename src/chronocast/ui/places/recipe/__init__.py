"""*Recipe*: what one kind of file is."""
