"""Events of a crew as they go over a line: plain values, checked where they arrive."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from pydantic import TypeAdapter, ValidationError

from chronocast.crew.contract import AttemptFailed, CrewEvent, Finished, Granted, Progressed, Returned

_KINDS: dict[str, type[CrewEvent]] = {
    kind.__name__: kind for kind in (Granted, Returned, Progressed, Finished, AttemptFailed)
}
_READERS = {name: TypeAdapter(kind) for name, kind in _KINDS.items()}


def as_told(event: CrewEvent) -> dict[str, Any]:
    """An event as plain values."""
    return {"what": type(event).__name__, **asdict(event)}


def as_event(told: object) -> CrewEvent | None:
    """The event that was told; None where it can't be understood."""
    if not isinstance(told, dict):
        return None
    reader = _READERS.get(str(told.get("what")))
    try:
        return (
            reader.validate_python({key: value for key, value in told.items() if key != "what"})
            if reader
            else None
        )
    except ValidationError:
        return None
