"""What stands on the screen of *Range*: its parts, each by itself, and how they lie."""
