"""Names of pieces: BLAKE2b over the whole job that makes them, less its places and labels.

Names and places of files, the order of a batch and the station are not in
it: rename a recipe or move the media, and everything is still kept.  A new
field of a job is in the name unless it is listed here.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

from chronocast.model.messages.jobs import PieceJob, SoundJob

FORMAT_VERSION = 3
_HEARD: dict[str, Any] = {"__all__": {"media": {"path"}}}
PICTURE_LABELS: dict[str, Any] = {
    "name": True,
    "target": True,
    "accept_damage": True,
    "measure_every": True,
    "digested": True,
    "base": True,
    "base_digest": True,
    "spans": {"__all__": {"name": True, "layers": {"__all__": {"media": {"path"}}}}},
}
"""What of a piece's job isn't in its name: where files are, what edits are called, what a person put up with, a base piece of the very same pictures."""
SOUND_LABELS: dict[str, Any] = {
    "name": True,
    "target": True,
    "accept_damage": True,
    "languages": True,
    "spans": _HEARD,
    "tracks": {"__all__": _HEARD},
}
"""The same of a sound's job; the languages of tracks are written when the file is joined."""


def _canonical(value: Any) -> str:
    return json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=True)


def _digest_of(text: str) -> str:
    return hashlib.blake2b(text.encode(), digest_size=20).hexdigest()


def digest(value: dict[str, Any]) -> str:
    """40 hexadecimal digits over canonical JSON."""
    return _digest_of(_canonical(value))


def _name(job: PieceJob | SoundJob, labels: dict[str, Any], library: str) -> str:
    # what is as usual is left out, so that a field that comes later leaves the names of today as they are
    said = job.model_dump(mode="json", exclude=labels, exclude_defaults=True)
    return digest({"format": FORMAT_VERSION, "what": job.kind, "library": library, **said})


_SPANS = "\0spans"
_OTHERS = [name for name in PieceJob.model_fields if name not in (*PICTURE_LABELS, "spans")]


class PieceNamer:
    """Names pieces of one output: what all have in common is put into words once.

    The names are those of ``piece_name``.
    """

    def __init__(self) -> None:
        self._last: tuple[PieceJob, str] | None = None
        self._around: tuple[str, str] = ("", "")

    def name(self, job: PieceJob, library: str) -> str:
        """The name of a piece.

        Parameters
        ----------
        job
            The piece's.
        library
            The version of its encoder's library.
        """
        last = self._last
        if (
            last is None
            or last[1] != library
            or any(getattr(job, name) is not getattr(last[0], name) for name in _OTHERS)
        ):
            said = job.model_dump(
                mode="json", exclude={**PICTURE_LABELS, "spans": True}, exclude_defaults=True
            )
            whole = {"format": FORMAT_VERSION, "what": job.kind, "library": library, **said, "spans": _SPANS}
            before, _, after = _canonical(whole).partition(_canonical(_SPANS))
            self._last, self._around = (job, library), (before, after)
        spans = job.model_dump(
            mode="json", include={"spans"}, exclude={"spans": PICTURE_LABELS["spans"]}, exclude_defaults=True
        )
        return _digest_of(_canonical(spans["spans"]).join(self._around))


def piece_name(job: PieceJob, library: str) -> str:
    """The name of a piece, from its job and the version of its encoder's library."""
    return _name(job, PICTURE_LABELS, library)


def sound_name(job: SoundJob, library: str) -> str:
    """The name of an output's sound, likewise."""
    return _name(job, SOUND_LABELS, library)
