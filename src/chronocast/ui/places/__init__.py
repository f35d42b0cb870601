"""The places of the desktop, a folder each: its view, its model in plain Python, its parts."""
