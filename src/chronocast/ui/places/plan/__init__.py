"""*Plan*: sources down, recipes across, what each output takes."""
