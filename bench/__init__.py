"""Measurements: ``./run bench render``, ``start``, ``memory``."""
