"""Still images by avcodec."""

from __future__ import annotations

from chronocast.media.encoders.encoder import UNBOUND, Asked, Encoder, Told, steps


def told_to_jpeg(asked: Asked) -> Told:
    """A quality as its one step, Huffman tables made for the picture."""
    return Told(steps(asked.picture) | {"huffman": "optimal"}, UNBOUND)


ENCODERS = (
    Encoder("mjpeg", told_to_jpeg, 0.4),
    Encoder("png", lambda _: Told({"pred": "mixed"}), 3.2),
    Encoder("tiff", lambda _: Told({"compression_algo": "lzw"}), 0.9),
    Encoder("dpx", work=0.18),
    Encoder("exr", lambda _: Told({"compression": "zip16", "format": "half"}), 4.3),
)
