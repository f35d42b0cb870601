"""The runner: its state machine, requests, and the view of a run."""
