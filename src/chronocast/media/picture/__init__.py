"""From a source's pictures to an output's: placed, mixed, converted."""
