"""Huffman-coded pictures by avcodec, for base pieces: nothing is lost, and both ways take a fraction of an encode."""

from __future__ import annotations

from chronocast.media.encoders.encoder import Encoder, Told

EIGHT_BITS, DEEP = "utvideo", "ffvhuff"

ENCODERS = (
    Encoder(EIGHT_BITS, lambda _: Told({"pred": "left"}), 0.21, proved=True),
    Encoder(DEEP, work=0.37, proved=True),
)
