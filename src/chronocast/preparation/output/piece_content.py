"""What a piece shows, whatever recipe it is made by, and what the source's own packets say of it."""

from __future__ import annotations

from collections.abc import Mapping
from hashlib import blake2b
from math import log
from typing import NamedTuple

from chronocast.forecast.picture.priors import source_kind
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.source.facts import ClipFacts

ALIKE = 10
"""Ends that are no more than about so many pictures apart are taken for the same."""


class PieceContent(NamedTuple):
    """What a piece shows.

    Parameters
    ----------
    window
        A name for it: pieces of other recipes that show the same have the same.
    packets
        Log of the bits that the source has for each pixel of it; None where that isn't known.
    source_kind
        What kind of packets these are; "" where their size tells nothing.
    blank
        The share of its frames that show nothing but black, or another colour.
    """

    window: str
    packets: float | None
    source_kind: str
    blank: float = 0.0


def blank_share(piece: PieceJob) -> float:
    """The share of a piece's frames that show nothing but black, or another colour: gaps, and sound alone."""
    total = sum(span.frames for span in piece.spans)
    blank = sum(span.frames for span in piece.spans if not any(layer.media for layer in span.layers))
    return blank / total if total else 0.0


def piece_content(piece: PieceJob, facts: Mapping[str, ClipFacts]) -> PieceContent:
    """What a piece shows, by the media it is made of.

    Parameters
    ----------
    piece
        The piece.
    facts
        What is known of what its media show, by path.
    """
    shown: list[tuple[str, int, int]] = []
    kinds: dict[str, float] = {}
    bits = pixels = 0.0
    for span in piece.spans:
        for layer in span.layers:
            if not layer.media or (needed := layer.needs(span.frames)) is None:
                continue
            clip = facts.get(layer.media.path)
            film = clip.fingerprint if clip else layer.media.fingerprint
            shown.append((film, round(needed.first / ALIKE), round(needed.last / ALIKE)))
            kind = source_kind(clip.video_codec) if clip else ""
            if clip is None or not kind or (found := clip.bytes_of(*needed)) is None:
                continue
            area = (needed.last - needed.first + 1) * clip.width * clip.height
            bits, pixels = bits + 8 * found, pixels + area
            kinds[kind] = kinds.get(kind, 0) + area
    name = blake2b(repr(shown or [span.start for span in piece.spans]).encode(), digest_size=6).hexdigest()
    blank = blank_share(piece)
    if not pixels or bits <= 0:
        return PieceContent(name, None, "", blank)
    return PieceContent(name, log(bits / pixels), max(kinds, key=kinds.__getitem__), blank)
