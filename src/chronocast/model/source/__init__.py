"""What a source is: its facts, its cut frame by frame, what is done to its clips."""
