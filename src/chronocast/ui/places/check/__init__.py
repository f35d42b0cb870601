"""*Check*: what was promised against what came out."""
