"""Lanes: stations down, the clock across; what they show, as plain values, and the widget."""
