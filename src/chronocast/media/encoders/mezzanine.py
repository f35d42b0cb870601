"""DNxHR and CineForm by avcodec: graded, every frame whole."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, Told


def told(asked: Asked) -> Told:
    """Say the grade by its profile."""
    return Told({"profile": _profile(asked)})


def told_by_quality(asked: Asked) -> Told:
    """Say the grade by a word for its quality."""
    return Told({"quality": _profile(asked)})


def _profile(asked: Asked) -> str:
    grade = asked.picture.kind.grade(asked.picture.grade)
    assert grade is not None
    return grade.profile


ENCODERS = (Encoder("dnxhd", told, 0.5, threads=2), Encoder("cfhd", told_by_quality, 0.3))
