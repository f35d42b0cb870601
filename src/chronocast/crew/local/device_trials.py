"""Hardware encoders tried, each in a process of its own: a driver that hangs is ended, and takes nothing with it."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from typing import NamedTuple

from chronocast.journal.workspace import Workspace
from chronocast.media.device_trial import decoder_families, try_decoder, try_encoder
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.device import TriedDecoder, TriedEncoder
from chronocast.preparation.station.devices import all_as_tried, devices_known, driver_of, marks

DECODING = "decoding by "
MOST_SECONDS = 60.0
"""An encoder that isn't done trying by then hangs."""


def hardware_encoders() -> tuple[str, ...]:
    """Names of all hardware encoders that are known here, device by device."""
    return tuple(encoder.name for encoder in ENCODERS.values() if encoder.on is not None)


def try_encoders(
    say: Callable[[str], None] = lambda _: None, seconds: float = MOST_SECONDS
) -> Iterator[TriedEncoder]:
    """Try every hardware encoder, device by device.

    Parameters
    ----------
    say
        Told which one is being tried.
    seconds
        How long each has.

    Yields
    ------
    TriedEncoder
        What was found of it.
    """
    # encoders of one device one after another, or they would slow each other down; devices side by side
    families: dict[str, list[str]] = {}
    for name in hardware_encoders():
        on = ENCODERS[name].on
        assert on is not None
        families.setdefault(on.family, []).append(name)

    def family(names: list[str]) -> list[TriedEncoder]:
        return [_tried(name, say, seconds) for name in names]

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for found in pool.map(family, families.values()):
            yield from found


def _tried(name: str, say: Callable[[str], None], seconds: float) -> TriedEncoder:
    """One encoder, tried in a process of its own."""
    on = ENCODERS[name].on
    assert on is not None
    say(name)
    answer = _apart(name, seconds)
    try:
        return TriedEncoder.model_validate_json(answer.found)
    except ValueError:
        return TriedEncoder(
            encoder=name,
            family=on.family,
            codec=on.codec,
            stand_in=on.stand_in,
            why_not=answer.trouble,
        )


def try_decoders(seconds: float = MOST_SECONDS) -> Iterator[TriedDecoder]:
    """Try every way to decode in hardware.

    Parameters
    ----------
    seconds
        How long each has.

    Yields
    ------
    TriedDecoder
        What was found of it.
    """
    families = decoder_families()
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        answers = pool.map(lambda family: _apart(DECODING + family, seconds), families)
        for family, answer in zip(families, answers, strict=True):
            try:
                yield TriedDecoder.model_validate_json(answer.found)
            except ValueError:
                yield TriedDecoder(family=family, why_not=answer.trouble)


class _Answer(NamedTuple):
    """What a trial's process found, as JSON; else what became of it."""

    found: str
    trouble: str = ""


def _apart(what: str, seconds: float) -> _Answer:
    """Try something in a process of its own."""
    words = [sys.executable, "-m", "chronocast.crew.local.device_trials", what]
    try:
        done = subprocess.run(words, capture_output=True, timeout=seconds, text=True, errors="replace")
    except subprocess.TimeoutExpired:
        return _Answer("", f"it hangs in its driver: ended after {seconds:.0f} seconds")
    found = (done.stdout.strip().splitlines() or [""])[-1]
    return _Answer(found, f"trying it ended its process (status {done.returncode})")


def devices_tried(
    workspace: Workspace, *, again: bool = False, say: Callable[[str], None] = lambda _: None
) -> tuple[TriedEncoder, ...]:
    """Hardware encoders as they were tried here; tried now where that wasn't done, or isn't so any more.

    Parameters
    ----------
    workspace
        Where what was found is kept.
    again
        Whether they are tried in any case.
    say
        Told which one is being tried.
    """
    if not again and all_as_tried(workspace):
        return devices_known(workspace)
    found = tuple(try_encoders(say))
    when = datetime.now().astimezone().isoformat(timespec="seconds")
    workspace.devices.keep(found, marks(), when, tuple(try_decoders()))
    return found


def main() -> None:
    """Try the one that is named; what was found as JSON."""
    if sys.argv[1].startswith(DECODING):
        sys.stdout.write(try_decoder(sys.argv[1].removeprefix(DECODING)).model_dump_json() + "\n")
        return
    encoder = ENCODERS[sys.argv[1]]
    assert encoder.on is not None
    found = try_encoder(encoder, driver_of(encoder.on.family))
    sys.stdout.write(found.model_dump_json() + "\n")


if __name__ == "__main__":
    main()
