"""What is done to a batch without a window: made, filled, cut, framed, put in order."""
