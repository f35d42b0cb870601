"""Prove one file in a process of its own: an order on standard input, checks on standard output."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from dataclasses import asdict
from typing import NamedTuple

from chronocast.deliver.cards import card_checks, needs_loudness, needs_luma
from chronocast.deliver.checks import judge
from chronocast.media.errors import MediaError
from chronocast.media.files.prove import prove
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.messages.check import Check, Expected
from chronocast.model.time.timing import parse_rate


class Proved(NamedTuple):
    """The checks of a finished file, and its bytes."""

    checks: list[Check]
    bytes: int


def proved_checks(path: str, expected: Expected, progress: Callable[[int], None] | None = None) -> Proved:
    """Every check of a finished file, its receivers' cards included; and its bytes.

    Parameters
    ----------
    path
        The finished file's.
    expected
        What it must be.
    progress
        Told now and then how far it is.

    Raises
    ------
    MediaError
        It can't be opened.
    """
    cards = [ReceiverCard.model_validate(card) for card in expected.cards]
    runs = [frames for frames, _ in expected.exact or expected.decoded]
    found = prove(
        path,
        progress,
        needs_luma(cards),
        loudness=needs_loudness(cards),
        runs=runs,
        packet_runs=[frames for frames, _ in expected.copied],
        rate=parse_rate(expected.rate),
    )
    by_cards = card_checks(found, expected, expected.name or path.rsplit("/", 1)[-1])
    return Proved([*judge(found, expected), *by_cards], found.bytes)


def main() -> None:
    """Prove the file that standard input names."""
    order = json.load(sys.stdin)
    try:
        checks, _ = proved_checks(order["path"], Expected(**order["expected"]))
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
