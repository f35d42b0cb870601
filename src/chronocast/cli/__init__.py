"""The command line. Computes nothing itself."""
