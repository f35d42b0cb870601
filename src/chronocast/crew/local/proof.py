"""Prove one file in a process of its own: an order on standard input, checks on standard output."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import NamedTuple

from chronocast.crew.local.hands import Hands
from chronocast.deliver.cards import card_checks, needs_loudness, needs_luma
from chronocast.deliver.checks import judge
from chronocast.media.errors import MediaError
from chronocast.media.files.prove import Found, prove
from chronocast.media.files.reading import Share, Wanted
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.messages.check import Check, Expected
from chronocast.model.time.timing import parse_rate

LEAST_FRAMES = 48
"""A process for fewer pictures isn't worth it."""


class Proved(NamedTuple):
    """The checks of a finished file, and its bytes."""

    checks: list[Check]
    bytes: int


def proved_checks(
    path: str, expected: Expected, progress: Callable[[int], None] | None = None, hands: int = 1
) -> Proved:
    """Every check of a finished file, its receivers' cards included; and its bytes.

    Parameters
    ----------
    path
        The finished file's.
    expected
        What it must be.
    progress
        Told now and then how far it is.
    hands
        How many processes decode it, where it is long enough.

    Raises
    ------
    MediaError
        It can't be opened.
    """
    cards = [ReceiverCard.model_validate(card) for card in expected.cards]
    hands = max(1, min(hands, expected.frames // LEAST_FRAMES)) if expected.container != "images" else 1
    found = _found(path, expected, cards, hands, progress)
    if hands > 1 and found.complaints:
        # a decoder that begins in the middle may complain of what it hasn't seen: one that has seen it all decides
        found = _found(path, expected, cards, 1, progress)
    by_cards = card_checks(found, expected, expected.name or path.rsplit("/", 1)[-1])
    return Proved([*judge(found, expected), *by_cards], found.bytes)


def _found(
    path: str,
    expected: Expected,
    cards: Sequence[ReceiverCard],
    hands: int,
    progress: Callable[[int], None] | None,
) -> Found:
    """What so many processes find in a file."""
    luma, runs = needs_luma(cards), expected.exact or expected.decoded
    with Hands(path, Wanted(luma, runs), hands, progress) as others:
        return prove(
            path,
            others.progressed,
            luma,
            loudness=needs_loudness(cards),
            runs=runs,
            packet_runs=expected.copied,
            rate=parse_rate(expected.rate),
            share=Share(0, others.count),
            others=others.found,
        )


def main() -> None:
    """Prove the file that standard input names."""
    order = json.load(sys.stdin)
    try:
        checks, _ = proved_checks(order["path"], Expected(**order["expected"]), hands=os.cpu_count() or 1)
    except MediaError as error:
        checks = [
            Check(
                "opens and decodes",
                False,
                "no complaint of any decoder",
                str(error),
                "opened in a fresh process",
            )
        ]
    json.dump([asdict(check) for check in checks], sys.stdout)


if __name__ == "__main__":
    main()
