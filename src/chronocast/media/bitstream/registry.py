"""Long-GOP codecs whose packets can be cut: one row each."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from chronocast.media.bitstream import avc, hevc, mpeg2
from chronocast.media.bitstream.stream import LongGopStream


@dataclass(frozen=True)
class LongGopCodec:
    """A codec by the libraries' name: how its stream is read, and how sets of several pieces stand in one file.

    ``stream`` takes its description, and by how much the numbers of its sets are moved.
    ``merged`` makes one description of all of them; else each key frame has its own before it: ``in_band``
    makes a key packet so, from its piece's description and its bytes.  ``bare`` is a packet's picture by itself, the same in whatever container it is: from its
    bytes, and those in which a unit's length is said.  ``length_bytes`` tells these from a file's description.
    """

    stream: Callable[[bytes, int], LongGopStream]
    bare: Callable[[bytes, int], bytes]
    length_bytes: Callable[[bytes], int]
    merged: Callable[[list[bytes]], bytes] | None = None
    in_band: Callable[[bytes, bytes], bytes] | None = None


LONG_GOP: Mapping[str, LongGopCodec] = {
    "h264": LongGopCodec(avc.AvcStream, avc.bare, avc.length_bytes, merged=avc.merged),
    "hevc": LongGopCodec(
        lambda said, _: hevc.HevcStream(said), hevc.bare, hevc.length_bytes, in_band=hevc.in_band
    ),
    "mpeg2video": LongGopCodec(
        lambda said, _: mpeg2.Mpeg2Stream(said),
        lambda data, _: mpeg2.without_headers(data),
        lambda _: 0,
        in_band=mpeg2.in_band,
    ),
}


def bare_packets(codec: str, extradata: bytes) -> Callable[[bytes], bytes]:
    """What takes a packet to its picture by itself, which is the same in every container.

    Parameters
    ----------
    codec
        The libraries' name; packets of codecs that aren't of groups stay as they are.
    extradata
        What the packets' file says of its stream.
    """
    row = LONG_GOP.get(codec)
    if row is None:
        return bytes
    length_bytes = row.length_bytes(extradata)
    return lambda data: row.bare(data, length_bytes)
