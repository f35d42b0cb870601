"""Hardware encoders tried, each in a process of its own: a driver that hangs is ended, and takes nothing with it."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Callable, Iterator
from datetime import datetime

from chronocast.journal.workspace import Workspace
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.device import TriedEncoder
from chronocast.preparation.station.devices import all_as_tried, devices_known, driver_of, marks

MOST_SECONDS = 60.0
"""An encoder that isn't done trying by then hangs."""


def hardware_encoders() -> tuple[str, ...]:
    """Names of all hardware encoders that are known here, device by device."""
    return tuple(encoder.name for encoder in ENCODERS.values() if encoder.on is not None)


def try_encoders(
    say: Callable[[str], None] = lambda _: None, seconds: float = MOST_SECONDS
) -> Iterator[TriedEncoder]:
    """Try every hardware encoder, one after another.

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
    for name in hardware_encoders():
        on = ENCODERS[name].on
        assert on is not None
        say(name)
        blank = TriedEncoder(encoder=name, family=on.family, codec=on.codec, stand_in=on.stand_in)
        try:
            done = subprocess.run(
                [sys.executable, "-m", "chronocast.crew.local.device_trials", name],
                capture_output=True,
                timeout=seconds,
                text=True,
                errors="replace",
            )
            yield TriedEncoder.model_validate(json.loads(done.stdout.strip().splitlines()[-1]))
        except subprocess.TimeoutExpired:
            yield blank.model_copy(
                update={"why_not": f"it hangs in its driver: ended after {seconds:.0f} seconds"}
            )
        except (ValueError, IndexError):
            yield blank.model_copy(
                update={"why_not": f"trying it ended its process (status {done.returncode})"}
            )


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
    workspace.devices.keep(found, marks(), when)
    return found


def main() -> None:
    """Try the one that is named; what was found as JSON."""
    from chronocast.media.device_trial import try_encoder

    encoder = ENCODERS[sys.argv[1]]
    assert encoder.on is not None
    found = try_encoder(encoder, driver_of(encoder.on.family))
    sys.stdout.write(found.model_dump_json() + "\n")


if __name__ == "__main__":
    main()
