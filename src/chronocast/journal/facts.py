"""Facts of media files and timelines, kept so that a file is looked through once."""

from __future__ import annotations

import hashlib
import os
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from typing import Any

from chronocast.journal.documents import DocumentError, load_json, save_json
from chronocast.journal.timelines import TimelineStore
from chronocast.media.errors import NotMedia
from chronocast.media.images import is_numbered, stamp
from chronocast.media.inspect import inspect_clip
from chronocast.model.facts import ClipFacts, SoundFacts

VERSION = 5


class FactsStore:
    """Looks media up by path, size and time of last change; inspects what is new."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.timelines = TimelineStore(folder.parent / "timelines")
        self._known: dict[tuple[str, int, int], ClipFacts] = {}

    def clip(self, path: str) -> ClipFacts:
        """Facts of a media file.

        Raises:
            NotMedia: it is missing, or nothing in it can be used.
        """
        path = os.path.abspath(path)
        try:
            size, changed = stamp(path)
        except FileNotFoundError:
            if is_numbered(path):
                return inspect_clip(path)  # says which images are missing
            raise NotMedia(f"{path} is missing.", "Put it back, or relink the source.") from None
        except (OSError, ValueError) as error:
            reason = getattr(error, "strerror", None) or str(error)
            raise NotMedia(f"{path} can't be opened: {reason}.", "Check its permissions.") from None
        key = (path, size, changed)
        if key in self._known:
            return self._known[key]
        place = self.folder / f"{hashlib.blake2b(repr(key).encode(), digest_size=16).hexdigest()}.json"
        facts = _from_json(load_json(place))
        if facts is None or facts.path != path:
            facts = inspect_clip(path)
            try:
                save_json(place, _to_json(facts))
            except DocumentError:
                pass  # facts are only kept for speed
        self._known[key] = facts
        return facts


def _to_json(facts: ClipFacts) -> dict[str, Any]:
    value = asdict(facts)
    return {**value, "rate": str(facts.rate), "pixel_aspect": str(facts.pixel_aspect), "version": VERSION}


def _from_json(value: dict[str, Any]) -> ClipFacts | None:
    if value.pop("version", None) != VERSION:
        return None
    try:
        value["rate"], value["pixel_aspect"] = Fraction(value["rate"]), Fraction(value["pixel_aspect"])
        value["audio"] = tuple(SoundFacts(**item) for item in value["audio"])
        value["colour"], value["problems"] = tuple(value["colour"]), tuple(value["problems"])
        value["chapters"] = tuple(
            (str(name), str(first), str(last)) for name, first, last in value["chapters"]
        )
        return ClipFacts(**value)
    except (KeyError, TypeError, ValueError):
        return None
