"""VP9 by libvpx."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Asked, Encoder, Told, buffered


def told(asked: Asked) -> Told:
    """Say it to libvpx."""
    picture, control = asked.picture, asked.picture.rate_control
    options = {
        "deadline": "good",
        "cpu-used": {"fast": "6", "medium": "4", "slow": "2"}[picture.effort],
        "auto-alt-ref": "1",
        "lag-in-frames": "16",
        "row-mt": "0",
        **buffered(picture),
    }
    if not picture.steering.rated:
        return Told({"crf": f"{control.quality:g}", "b": "0", **options})
    if picture.steering.even:
        options["minrate"] = str(control.target_bits_per_second)
    return Told(options, control.target_bits_per_second)


ENCODERS = (Encoder("libvpx-vp9", told, {"fast": 1.2, "medium": 1.35, "slow": 2.2}, library="libvpx"),)
