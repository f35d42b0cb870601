"""AV1 by SVT-AV1."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, Told


def told(asked: Asked) -> Told:
    """Say it to SVT-AV1."""
    picture = asked.picture
    options = {
        "preset": {"fast": "10", "medium": "8", "slow": "5"}[picture.effort],
        "svtav1-params": f"lp={asked.threads}:irefresh-type=2",
    }
    if not picture.steering.rated:
        return Told(options | {"crf": f"{picture.rate_control.quality:g}"})
    return Told(options, picture.rate_control.target_bits_per_second)


ENCODERS = (Encoder("libsvtav1", told, {"fast": 0.4, "medium": 0.75, "slow": 2.1}, library="libSvtAv1Enc"),)
