"""What stands in for things that aren't here: labelled so wherever it shows."""
