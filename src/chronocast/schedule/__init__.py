"""Stations, placement and the simulated clock. Numbers in, numbers out."""
