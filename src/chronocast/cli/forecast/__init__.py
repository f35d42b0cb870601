"""What a batch will take, asked from the command line; and what was learned of forecasts."""
