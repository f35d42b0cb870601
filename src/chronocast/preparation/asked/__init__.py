"""The forecast asked further: backwards from a limit, a time, a line; other ways to make an output; a trial of it."""
