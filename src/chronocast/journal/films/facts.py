"""Facts of media files and timelines, kept so that a file is looked through once."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import subprocess
import sys
from dataclasses import asdict, replace
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

import psutil

from chronocast.journal.documents import DocumentError, load_json, sealed, write_text
from chronocast.journal.films.timelines import TimelineStore
from chronocast.journal.recent import Recent
from chronocast.media.errors import NotMedia
from chronocast.media.source.damage import look_through, stretches
from chronocast.media.source.images import is_numbered, stamp
from chronocast.media.source.index import scan
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.source.opening import missing
from chronocast.model.paths import shown
from chronocast.model.source.facts import ClipFacts, Damage, GroupFacts, KeyFrame, SoundFacts

VERSION = 13


MOST_READY = 4096
"""Sources made ready that are kept in memory."""


class FileMark(NamedTuple):
    """What changes when a file does, or what is known of it.

    ``changed`` and ``noted`` are when the file and the note about it were
    written last, in ns since 1970.
    """

    bytes: int
    changed: int
    noted: int


class FactsStore:
    """Looks media up by path, size and time of last change; inspects what is new."""

    def __init__(self, folder: Path) -> None:
        self.ready: Recent[tuple[str, ...], Any] = Recent(MOST_READY)
        self.folder = folder
        self.timelines = TimelineStore(folder.parent / "timelines")
        self._known: dict[tuple[str, int, int], tuple[int, ClipFacts]] = {}

    def clip(self, path: str) -> ClipFacts:
        """Facts of a media file.

        Raises
        ------
        NotMedia
            It is missing, or nothing in it can be used.
        """
        path = os.path.abspath(path)
        try:
            size, changed = stamp(path)
        except FileNotFoundError:
            if is_numbered(path):
                return inspect_clip(path)  # says which images are missing
            raise missing(path) from None
        except (OSError, ValueError) as error:
            reason = getattr(error, "strerror", None) or str(error)
            raise NotMedia(f"{shown(path)} can't be opened: {reason}.", "Check its permissions.") from None
        key = (path, size, changed)
        if (known := self._at_hand(key)) is not None:
            return known
        place = self._place(key)
        written = _written(place)
        facts = _from_json(load_json(place))
        if facts is None or facts.path != path:
            facts = self._inspected(path, key)
            try:
                _write(place, facts)
            except DocumentError:
                pass  # facts are only kept for speed
            written = _written(place)
        self._known[key] = (written, facts)
        return facts

    def _place(self, key: tuple[str, int, int]) -> Path:
        return note_place(self.folder, key).with_suffix(".json")

    def _at_hand(self, key: tuple[str, int, int]) -> ClipFacts | None:
        """Facts that were read or found before, if nobody has written others since."""
        known = self._known.get(key)
        return known[1] if known is not None and known[0] == _written(self._place(key)) else None

    def knows(self, path: str) -> bool:
        """Whether the facts of a media file are at hand: nothing is read for them."""
        path = os.path.abspath(path)
        try:
            size, changed = stamp(path)
            return self._at_hand((path, size, changed)) is not None
        except (OSError, ValueError):
            return False

    def mark(self, path: str) -> FileMark:
        """What changes when a file does, or when somebody, a run say, learns more of it; all 0 for one that is gone."""
        try:
            size, changed = stamp(path)
        except (OSError, ValueError):
            return FileMark(0, 0, 0)
        return FileMark(size, changed, _written(self._place((path, size, changed))))

    def looked_through(self, path: str) -> ClipFacts:
        """Facts of a media file all of which was decoded once, so that what is damaged in it is known.

        Raises
        ------
        NotMedia
            It is missing, or nothing in it can be used.
        """
        facts = self.clip(path)
        if facts.looked_through or not facts.frames or is_numbered(path):
            return facts
        return self._keep(
            replace(facts, damage=look_through(facts.path, scan(facts.path)), looked_through=True)
        )

    def damaged(self, path: str, complaints: dict[int, str]) -> None:
        """Remember what a decoder said of pictures of a file while it was being encoded.

        Raises
        ------
        NotMedia
            It is missing.
        """
        facts = self.clip(path)
        known = {n: item.sentence for item in facts.damage for n in range(item.first, item.last + 1)}
        self._keep(replace(facts, damage=stretches({**known, **complaints})))

    def _keep(self, found: ClipFacts) -> ClipFacts:
        """Facts that are better known now."""
        size, changed = stamp(found.path)
        key = (found.path, size, changed)
        place = self._place(key)
        try:
            _write(place, found)
        except DocumentError:
            pass  # it is kept only so that it isn't done twice
        self._known[key] = (_written(place), found)
        return found

    def _inspected(self, path: str, key: tuple[str, int, int]) -> ClipFacts:
        """Facts of a file nobody has looked at yet.

        A note lies beside its facts for as long as that takes.  Where one is
        found whose process is no more, the file may have brought it down: it
        is looked at in a process apart, so that it can't do so again.

        Raises
        ------
        NotMedia
            Nothing in it can be used, or it brings down what reads it.
        """
        note = note_place(self.folder, key)
        try:
            suspect = not psutil.pid_exists(int(note.read_text()))
        except (OSError, ValueError):
            suspect = False
        try:
            note.parent.mkdir(parents=True, exist_ok=True)
            note.write_text(str(os.getpid()))
        except OSError:
            pass  # only what is found after a crash is lost
        try:
            return inspected_apart(path) if suspect else inspect_clip(path)
        finally:
            with contextlib.suppress(OSError):
                note.unlink(missing_ok=True)


def _written(place: Path) -> int:
    """When facts were last written, in ns; 0 for none."""
    try:
        return place.stat().st_mtime_ns
    except OSError:
        return 0


def note_place(folder: Path, key: tuple[str, int, int]) -> Path:
    """Where it is noted that a file (path, bytes, time of last change in ns) is being looked at."""
    name = hashlib.blake2b(repr(key).encode(), digest_size=16).hexdigest()
    return folder / f"{name}.looking"


APART_SECONDS = 300


def inspected_apart(path: str) -> ClipFacts:
    """Facts of a file, read by a process of its own.

    Raises
    ------
    NotMedia
        Nothing in it can be used, or it brings that process down.
    """
    command = [sys.executable, "-m", "chronocast.journal.films.facts", path]
    try:
        done = subprocess.run(command, capture_output=True, stdin=subprocess.DEVNULL, timeout=APART_SECONDS)
        told = json.loads(done.stdout.decode() or "{}")
    except (subprocess.TimeoutExpired, ValueError, OSError):
        told = {}
    if "sentence" in told:
        raise NotMedia(told["sentence"], told["remedy"])
    facts = _from_json(told)
    if facts is None:
        raise NotMedia(
            f"{path} brings down what reads it, so it is left alone.",
            "It is badly damaged: copy it again from where it came from, or take it out.",
        )
    return facts


def _inspect_apart(path: str) -> None:
    try:
        told = _to_json(inspect_clip(path))
    except NotMedia as error:
        told = {"sentence": error.sentence, "remedy": error.remedy}
    sys.stdout.write(json.dumps(told))


def _write(place: Path, facts: ClipFacts) -> None:
    write_text(place, sealed(json.dumps(_to_json(facts), indent=1, ensure_ascii=False)))


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
        value["damage"] = tuple(Damage(**item) for item in value["damage"])
        value["sound_gaps"] = tuple((float(at), float(length)) for at, length in value["sound_gaps"])
        value["weights"], value["own_colour"] = tuple(value["weights"]), tuple(value["own_colour"])
        value["scenes"] = tuple(value["scenes"])
        if value.get("groups") is not None:
            groups = value["groups"]
            keys = tuple(KeyFrame(int(n), int(leading), begin) for n, leading, begin in groups["keys"])
            value["groups"] = GroupFacts(**{**groups, "keys": keys, "numbers": tuple(groups["numbers"])})
        return ClipFacts(**value)
    except (KeyError, TypeError, ValueError):
        return None


if __name__ == "__main__":
    _inspect_apart(sys.argv[1])
