"""The lanes of *Plan* and the line above them: when, and on which station."""
