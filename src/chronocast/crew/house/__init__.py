"""The crew of a house: a hub, stations that join it, and the runner's side, over mutual TLS."""
