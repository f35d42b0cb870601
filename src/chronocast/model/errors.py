"""The one exception family of this room, and the base of every other room's.

An error carries a sentence for the person (what happened, to what, what to do)
and fields for the program.
"""

from __future__ import annotations


class ChronocastError(Exception):
    """Something a person can understand and act on.

    ``sentence`` says what happened and to what; ``remedy`` says what to do.
    """

    def __init__(self, sentence: str, remedy: str = "") -> None:
        super().__init__(sentence if not remedy else f"{sentence} {remedy}")
        self.sentence = sentence
        self.remedy = remedy


UNFORESEEN = (ArithmeticError, AssertionError, AttributeError, LookupError, TypeError, ValueError)
"""What a mistake of our own raises.  Where many things are done one by one it is told of the one it happened to, and logged."""


class ModelError(ChronocastError):
    """A document or a value that can't be used as it stands."""


class TimecodeError(ModelError, ValueError):
    """Text that is no time, or a time that does not exist at a rate."""
