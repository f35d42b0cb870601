"""Encode pieces: how an encoder is told, opened and fed, and what became of its pictures."""
