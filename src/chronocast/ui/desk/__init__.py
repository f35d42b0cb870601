"""What holds the open batch and does its work off the interface's thread."""
