"""This machine as a station, and the house it belongs to, from the command line."""
