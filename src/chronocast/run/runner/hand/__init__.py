"""What a run has in hand: attempts at its tasks, and how long a piece that is nearly done is waited for."""
