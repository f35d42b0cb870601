"""Sources made ready: media found and linked, cuts taken and laid out, ranges looked at."""
