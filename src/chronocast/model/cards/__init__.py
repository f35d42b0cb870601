"""Receiver cards, and how a file is judged by them."""
