"""Timeline files as they were read: their descriptions kept, so that one is parsed once."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import NamedTuple

from chronocast.journal.documents import DocumentError, sealed, unsealed, write_text
from chronocast.model.time.timing import Rate
from chronocast.timeline.described import Timeline
from chronocast.timeline.guard import contents
from chronocast.timeline.reading import read_apart

FORMAT = 1


class KeptTimeline(NamedTuple):
    """A description of a timeline, and the digest of the file that it is of."""

    timeline: Timeline
    digest: str


class TimelineStore:
    """Descriptions by what is in the file and where it lies."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._known: dict[tuple[str, str, str], Timeline] = {}

    def digest(self, path: Path) -> str:
        """What names the present contents of a timeline file.

        Raises
        ------
        TimelineError
            It can't be read.
        """
        return hashlib.blake2b(contents(path), digest_size=16).hexdigest()

    def present(self, path: Path, rate: Rate | None, mark: str = "") -> KeptTimeline:
        """The file as it is now, and its digest (``mark``, where that is known already).

        Parameters
        ----------
        path
            The file's.
        rate
            Frames a second, where the file doesn't say.
        mark
            The file's digest.

        Raises
        ------
        TimelineError
            It can't be read.
        """
        mark = mark or self.digest(path)
        kept = self.kept(path, mark, rate)
        if kept is None:
            kept = read_apart(path, rate)
            self._known[(str(path), mark, str(rate))] = kept
            try:
                write_text(self._place(path, mark, rate), sealed(kept.model_dump_json()))
            except DocumentError:
                pass  # descriptions are only kept for speed, and for a cut that was taken
        return KeptTimeline(kept, mark)

    def kept(self, path: Path, mark: str, rate: Rate | None) -> Timeline | None:
        """The file as it was when its digest was ``mark``, if that was ever read here.

        Parameters
        ----------
        path
            The file's.
        mark
            The file's digest.
        rate
            Frames a second, where the file doesn't say.
        """
        key = (str(path), mark, str(rate))
        if key not in self._known:
            try:
                text = self._place(path, mark, rate).read_text(encoding="utf-8")
                self._known[key] = Timeline.model_validate_json(unsealed(text))
            except (OSError, ValueError):  # another's, an older one, or damaged
                return None
        return self._known[key]

    def _place(self, path: Path, mark: str, rate: Rate | None) -> Path:
        name = hashlib.blake2b(
            repr((FORMAT, str(path), mark, str(rate))).encode(), digest_size=16
        ).hexdigest()
        return self.folder / f"{name}.json"
