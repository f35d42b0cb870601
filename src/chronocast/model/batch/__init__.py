"""The batch document and its edits."""
