"""Whether the stand-in device is plugged in, and how it is told to behave: one small file that a person can read."""

from __future__ import annotations

import json
import os
from pathlib import Path

from pydantic import ValidationError

from chronocast.journal.places import state_folder
from chronocast.model.frozen import FrozenModel

PLACE = "CHRONOCAST_STAND_IN"
"""The variable with the path of its file, if that isn't where runs are kept."""
SESSIONS = 2
LARGEST = (3840, 2160)
DRIVER = "1.0"


class Behaviour(FrozenModel):
    """How it behaves.  All as a good device does, unless said otherwise; counts are of pictures.

    ``refuse``: it takes no session.  ``busy``: so many sessions are others'.  ``lose_after``: the session is lost
    after so many.  ``hang_after``: it says nothing any more after so many.  ``vanish_after``: the device is gone
    after so many, for good.  ``short``: so many too few come back.  ``garbage``: its stream doesn't decode.
    ``wrong_tags``: it tags its colours otherwise.
    """

    refuse: bool = False
    busy: int = 0
    lose_after: int | None = None
    hang_after: int | None = None
    vanish_after: int | None = None
    short: int = 0
    garbage: bool = False
    wrong_tags: bool = False


def place() -> Path:
    """Where its file is, or would be."""
    said = os.environ.get(PLACE, "")
    return Path(said) if said else state_folder() / "stand-in device.json"


def behaviour() -> Behaviour | None:
    """How it behaves; None where it isn't plugged in."""
    path = place()
    if not path.exists():
        return None
    try:
        return Behaviour.model_validate(json.loads(path.read_text() or "{}"))
    except (OSError, ValueError, ValidationError):
        return Behaviour(refuse=True)


def plug(path: Path, how: Behaviour | None = None) -> None:
    """Plug it in, to behave so."""
    path.parent.mkdir(parents=True, exist_ok=True)
    said = (how or Behaviour()).model_dump(mode="json", exclude_defaults=True)
    path.write_text(json.dumps(said) + "\n")


def pull(path: Path) -> None:
    """Pull it out."""
    path.unlink(missing_ok=True)
