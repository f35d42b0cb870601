"""*Run*: what is being made."""
