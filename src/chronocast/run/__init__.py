"""The runner process, its state machine and the crew that does the work."""
