"""Open timeline files to a cut list. The only room that imports opentimelineio."""
