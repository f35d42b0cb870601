"""ProRes by avcodec: one encoder that is quick, one that writes alpha."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, Told


def told(asked: Asked) -> Told:
    """Say it to the quick one."""
    picture = asked.picture
    grade = picture.kind.grade(picture.grade)
    assert grade is not None
    fields = {"flags": "+ildct"} if picture.scan != "progressive" else {}
    return Told({"profile": grade.profile, **fields})


def told_to_ks(asked: Asked) -> Told:
    """Say it to the one that writes alpha."""
    picture, plain = asked.picture, told(asked).options
    grade = picture.kind.grade(picture.grade)
    more = {"alpha_bits": "16"} if picture.alpha == "keep" and grade and grade.with_alpha else {}
    return Told({"profile": plain["profile"], "vendor": "chrc", **more, **plain})


ENCODERS = (
    Encoder("prores_aw", told, 0.42, larger=1.18, alpha=False, tags_frames=True, threads=2),
    Encoder("prores_ks", told_to_ks, 2.4, tags_frames=True, threads=2),
)
