"""Base pieces: what pieces of several outputs, or of several rounds of one, show alike before they are encoded."""

from __future__ import annotations

from chronocast.media.piece.base import base_job
from chronocast.media.piece.here import library_version
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.source.origin import samples_of
from chronocast.pieces.name import piece_name

SAMPLE_BYTES, DEEP_SAMPLE_BYTES = 0.46, 0.81
"""Of a base piece, a sample of eight and of more bits; measured with grain."""
SAMPLES = {"gray": 1.0, "4:2:0": 1.5, "4:2:2": 2.0}
"""Samples a pixel, without alpha; three of any other."""


def base_piece(job: PieceJob) -> PieceJob | None:
    """The base piece that a piece could be encoded from; None where its pictures can't be kept so."""
    base = base_job(job)
    if base is None:
        return None
    return base.model_copy(update={"name": piece_name(base, library_version(base.settings.encoder))})


def base_bytes(base: PieceJob) -> int:
    """About the bytes of a base piece."""
    kind = samples_of(base.settings.pixel_format)
    samples = SAMPLES.get(kind.chroma, 3.0) + kind.alpha
    each = SAMPLE_BYTES if kind.depth == 8 else DEEP_SAMPLE_BYTES
    return round(base.moments * base.width * base.height * samples * each)
