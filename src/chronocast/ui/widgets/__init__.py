"""Widgets that are usable alone."""
