"""Exact time: rates, ranges of frames, timecode, a source's own clock."""
