"""What stands in the way of an output, or should be known of a source."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Problem:
    """Something that stands in the way (``blocks``), or that a person should know: where, what, what to do.

    ``source`` and ``output`` are the ids of what it is about; names may be
    shared.  ``accepts`` are fingerprints of media whose damage a person could
    accept.
    """

    where: str
    sentence: str
    remedy: str = ""
    blocks: bool = True
    source: str = ""
    output: str = ""
    accepts: tuple[str, ...] = ()

    @property
    def told(self) -> str:
        """All of it in one line; the place only where the sentence doesn't begin with it."""
        words = self.sentence if self.sentence.startswith(self.where) else f"{self.where}: {self.sentence}"
        return f"{words} {self.remedy}".strip()
