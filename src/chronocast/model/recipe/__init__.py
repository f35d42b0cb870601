"""Recipes and what they are made of: settings, formats, levels, contradictions."""
