"""What processes say to each other, and what is proved of a finished file."""
