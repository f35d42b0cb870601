"""What the window does with the batch and the run, each behind commands of the table."""
