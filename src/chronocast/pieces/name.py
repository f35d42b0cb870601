"""Names of pieces: BLAKE2b over the whole job that makes them, less its places and labels.

Names and places of files, the order of a batch and the station are not in
it: rename a recipe or move the media, and everything is still kept.  A new
field of a job is in the name unless it is listed here.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from fractions import Fraction
from operator import is_, itemgetter
from types import MappingProxyType
from typing import Any, cast

from chronocast.model.messages.jobs import PieceJob, SoundJob
from chronocast.model.source.cutlist import Layer, PictureSpan

FORMAT_VERSION = 3
NOTHING: Mapping[str, object] = MappingProxyType({})
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


_canonical = json.JSONEncoder(sort_keys=True, separators=(",", ":"), ensure_ascii=True).encode


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
_others_of = itemgetter(*_OTHERS)
_FIELDS = tuple(name for name in Layer.model_fields if name != "start")
_values_of = itemgetter(*_FIELDS)
_ELSEWHERE = Fraction(10**30)
_ELSEWHERE_SAID = _canonical(str(_ELSEWHERE))
_MANY_LAYERS = 1000


class LayerWords:
    """What names say of layers: those that differ in their beginning alone are put into words once."""

    def __init__(self) -> None:
        # with each words its layer, so that what it was known by isn't thrown away
        self._known: dict[tuple[int, ...], tuple[Layer, str, str]] = {}

    def of(self, layer: Layer) -> str:
        """A layer in canonical JSON, its labels left out."""
        start = layer.start
        known_by = (not start, *map(id, _values_of(layer.__dict__)))
        known = self._known.get(known_by)
        if known is None:
            if len(self._known) >= _MANY_LAYERS:
                self._known.clear()
            placed = layer.model_copy(update={"start": _ELSEWHERE}) if start else layer
            said = placed.model_dump(mode="json", exclude={"media": {"path"}}, exclude_defaults=True)
            before, _, after = _canonical(said).partition(_ELSEWHERE_SAID)
            known = self._known[known_by] = (layer, before, after)
        _, before, after = known
        return f'{before}"{start}"{after}' if start else before


def _said_of(span: PictureSpan, words: LayerWords) -> str:
    layers = f'"layers":[{",".join(map(words.of, span.layers))}],' if span.layers else ""
    return f'{{"frames":{span.frames},{layers}"start":{span.start}}}'


class PieceNamer:
    """Names pieces of one output: what all have in common is put into words once.

    The names are those of ``piece_name``.
    """

    def __init__(self) -> None:
        self._last: tuple[object, ...] = ()
        self._around: tuple[str, str] = ("", "")
        self._words = LayerWords()

    def name(self, job: PieceJob, library: str, changed: Mapping[str, object] = NOTHING) -> str:
        """The name of a piece.

        Parameters
        ----------
        job
            The piece's.
        library
            The version of its encoder's library.
        changed
            Fields in which the piece's job is another than this one.
        """
        fields = {**job.__dict__, **changed}
        others = (library, *_others_of(fields))
        if len(others) != len(self._last) or not all(map(is_, others, self._last)):
            said = job.model_copy(update=dict(changed)).model_dump(
                mode="json", exclude={**PICTURE_LABELS, "spans": True}, exclude_defaults=True
            )
            whole = {
                "format": FORMAT_VERSION,
                "what": fields["kind"],
                "library": library,
                **said,
                "spans": _SPANS,
            }
            before, _, after = _canonical(whole).partition(_canonical(_SPANS))
            self._last, self._around = others, (before, after)
        spans = ",".join(
            _said_of(span, self._words) for span in cast("tuple[PictureSpan, ...]", fields["spans"])
        )
        return _digest_of(f"[{spans}]".join(self._around))


def piece_name(job: PieceJob, library: str) -> str:
    """The name of a piece, from its job and the version of its encoder's library."""
    return _name(job, PICTURE_LABELS, library)


def sound_name(job: SoundJob, library: str) -> str:
    """The name of an output's sound, likewise."""
    return _name(job, SOUND_LABELS, library)
