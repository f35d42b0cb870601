"""What was worked out with one experience, so that after an edit only what it touched is worked out anew."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

KEPT = 4
"""Of each thing, answers to so many of the newest questions: the batch itself, other ways to make one of its outputs."""


class Memory:
    """Answers by what they are of, and by what exactly was asked."""

    def __init__(self) -> None:
        self._answers: dict[str, list[tuple[Any, Any]]] = defaultdict(list)

    def recall(self, name: str, asked: Any) -> Any:
        """The answer to the very same question; None where there is none.

        Parameters
        ----------
        name
            What it is of.
        asked
            The question, to be compared.
        """
        return next((answer for question, answer in self._answers.get(name, ()) if question == asked), None)

    def keep(self, name: str, asked: Any, answer: Any, most: int = KEPT) -> None:
        """Remember an answer; of each thing the oldest goes.

        Parameters
        ----------
        name
            What it is of.
        asked
            The question.
        answer
            What was worked out.
        most
            So many are remembered.
        """
        self._answers[name] = [(asked, answer), *self._answers[name][: most - 1]]
