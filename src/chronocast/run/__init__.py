"""A run from outside and from within: the state machine, who may hold it, how to ask of it and look at it."""
