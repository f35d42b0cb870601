"""What an operator wishes of the order in which outputs are made."""

from __future__ import annotations

from typing import Literal, NamedTuple

from chronocast.model.errors import ModelError

Wish = Literal["order", "finish", "in time"]


class WishTold(NamedTuple):
    """A wish in words: its name, and what it does."""

    name: str
    does: str


WISHES: dict[Wish, WishTold] = {
    "order": WishTold("my order", "files one after another as they stand in the batch"),
    "finish": WishTold("earliest end", "files in whatever order ends the whole soonest"),
    "in time": WishTold(
        "most in time", "what is wanted first comes first; what can't be in time anyhow comes last"
    ),
}


def read_wish(text: str) -> Wish:
    """A wish by its name.

    Raises
    ------
    ModelError
        There is none of that name.
    """
    typed = " ".join(text.lower().split())
    for wish, told in WISHES.items():
        if typed in (wish, told.name):
            return wish
    names = ", ".join(told.name for told in WISHES.values())
    raise ModelError(f"“{text[:40]}” is no order that files can be made in.", f"Say one of: {names}.")
