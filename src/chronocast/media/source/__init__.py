"""A source read: facts, index, pictures and sound by frame number, damage."""
