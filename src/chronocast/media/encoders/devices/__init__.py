"""Encoders that run on devices: a file for each kind, found by name as the others are."""
