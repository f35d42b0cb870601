"""The desktop. Computes nothing itself."""
