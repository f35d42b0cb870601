"""The process that owns a run: it carries out what the state machine decides, and keeps the journal."""
