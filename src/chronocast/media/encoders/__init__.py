"""Encoders: how each is told what a recipe says, and pieces encoded with them."""
