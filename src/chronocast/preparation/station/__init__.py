"""This machine: its slots, its pace, its drives, its child processes."""
