"""FFV1 and run length by avcodec: nothing is lost."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, Told


def told(asked: Asked) -> Told:
    """FFV1 version 3, every slice with its own sum (RFC 9043)."""
    return Told({"level": "3", "coder": "1", "context": "1", "slices": "4", "slicecrc": "1"})


ENCODERS = (
    Encoder("ffv1", told, 0.85, proved=True, threads=2),
    Encoder("jpeg2000", lambda _: Told({"pred": "dwt53"}), 4.0, proved=True),
    Encoder("qtrle", work=0.36, proved=True),
)
