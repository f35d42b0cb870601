"""The forecast of a batch put together: what is asked of the core, what it answers, room, treatments, cards, as JSON and as a table."""
