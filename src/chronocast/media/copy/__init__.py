"""Copying a source's packets to a piece as they are, and proving that they are the same."""
