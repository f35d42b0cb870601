"""What is inside packets of long-GOP codecs, as far as cutting and joining them without encoding needs it."""
