"""What an operator asks for: timecode and ranges, sources, recipes, outputs, the batch document, messages."""
