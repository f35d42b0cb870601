"""Errors of the run itself, as sentences."""

from __future__ import annotations


def own_error(error: BaseException, doing: str) -> str:
    """An error of our own as a sentence: what was being done, what came in the way, where the detail is."""
    return f"The runner failed at {doing} ({type(error).__name__}: {error}). Its log has the detail."
