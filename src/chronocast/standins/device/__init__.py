"""A stand-in for a hardware encoder: two sessions, limits of its own, faults on request."""
