"""Chronocast: batch renders forecast before they are made."""

__version__ = "0.1.0"
