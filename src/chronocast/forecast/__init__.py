"""Seconds and bytes before anything is encoded. Numbers in, numbers out."""
