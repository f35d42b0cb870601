"""The crew of one machine: encoder children, and the process that proves a file."""
