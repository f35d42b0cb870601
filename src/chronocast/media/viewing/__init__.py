"""Pictures and sound of a source for looking and listening."""
