"""MPEG-2 (Rec. ITU-T H.262): sequence headers, where a decoder can begin, and how a run of packets is made to begin anew."""

from __future__ import annotations

import re
from collections.abc import Sequence

from chronocast.media.bitstream.bits import StreamUnreadable
from chronocast.media.bitstream.stream import Begin, StreamSets, last_changed

_PICTURE, _SEQUENCE, _EXTENSION, _GROUP = 0x00, 0xB3, 0xB5, 0xB8
_START = re.compile(rb"\x00\x00\x01(.)", re.DOTALL)


def codes_in(data: bytes) -> list[tuple[int, int]]:
    """Start codes of a packet that aren't of slices: (place, code)."""
    return [
        (found.start(), code)
        for found in _START.finditer(data)
        if (code := found[1][0]) == _PICTURE or code >= 0xB0
    ]


def without_headers(data: bytes) -> bytes:
    """A packet from its group or picture on, without the headers of its sequence."""
    at = next((place for place, code in codes_in(data) if code in (_GROUP, _PICTURE)), None)
    if at is None:
        raise StreamUnreadable("a packet has no picture")
    return data[at:]


def headers_of(data: bytes) -> bytes:
    """The headers of the sequence that a packet begins with; none without."""
    return data[: len(data) - len(without_headers(data))]


def in_band(extradata: bytes, packet: bytes) -> bytes:
    """A key packet of a piece with the headers of the piece's sequence before its group."""
    return packet if headers_of(packet) else extradata + packet


class Mpeg2Stream:
    """``Mpeg2Stream(extradata)``: an MPEG-2 stream as its file describes it.

    Raises
    ------
    StreamUnreadable
        Its headers can't be read.
    """

    def __init__(self, extradata: bytes) -> None:
        codes = codes_in(extradata)
        if not codes or codes[0] != (0, _SEQUENCE):
            raise StreamUnreadable("its file has no headers of its sequence")
        self.extradata = extradata

    @property
    def sets(self) -> StreamSets:
        """Its headers, which stand before every group of pictures that is kept."""
        extension = next(
            (
                place
                for place, code in codes_in(self.extradata)
                if code == _EXTENSION and self.extradata[place + 4] >> 4 == 1
            ),
            None,
        )
        if extension is None or len(self.extradata) < extension + 6:
            return StreamSets(self.extradata, frozenset(), 0, "its source is MPEG-1")
        # profile and level are said in the eight bits after the extension's own four
        said = (self.extradata[extension + 4] & 15) << 4 | self.extradata[extension + 5] >> 4
        progressive = bool(self.extradata[extension + 5] & 8)
        trouble = "" if progressive else "its source is coded in a way that allows fields"
        return StreamSets(self.extradata, frozenset(), said & 15, trouble)

    def begins(self, data: bytes) -> Begin:
        """Whether a decoder can begin at a key packet: at a group of pictures, closed or not.

        Raises
        ------
        StreamUnreadable
            Its headers aren't those its file says.
        """
        said = headers_of(data)
        if said and said.rstrip(b"\x00") != self.extradata.rstrip(b"\x00"):
            raise StreamUnreadable("its headers change on the way")
        group = next((place for place, code in codes_in(data) if code == _GROUP), None)
        if group is None:
            return "never"
        return "closed" if data[group + 7] & 0x40 else "open"

    def plain(self, data: bytes) -> bytes:
        """A packet as pieces keep it: its sequence's headers before every group."""
        pictures = without_headers(data)
        return self.extradata + pictures if codes_in(pictures)[0][1] == _GROUP else pictures

    def muxed(self, data: bytes) -> bytes:
        """A packet as a muxer takes it: as it is."""
        return data

    def begun(self, packets: Sequence[bytes], dropped: int) -> list[bytes]:
        """Packets as they must be where nothing comes before: the first group closed, its pictures counted from 0.

        Parameters
        ----------
        packets
            All of the run, in decoding order, as pieces keep them.
        dropped
            Pictures shown before the first one that were left out.
        """
        found = list[bytes]()
        done = False
        for place, data in enumerate(packets):
            codes = codes_in(data)
            group = next((at for at, code in codes if code == _GROUP), None)
            done = done or (place > 0 and group is not None)
            if done:
                found.append(data)
                continue
            made = bytearray(data)
            if group is not None:
                # closed_gop set, broken_link cleared; they follow the time code's 25 bits
                made[group + 7] = made[group + 7] & ~0x20 | 0x40
            picture = next(at for at, code in codes if code == _PICTURE)
            said = int.from_bytes(made[picture + 4 : picture + 6], "big")
            number = ((said >> 6) - dropped) % 1024
            made[picture + 4 : picture + 6] = (number << 6 | said & 63).to_bytes(2, "big")
            found.append(bytes(made))
        return found

    def settled(self, before: Sequence[bytes], after: Sequence[bytes], dropped: Sequence[bytes]) -> int:
        """So many packets of a run that was begun anew, after which all are as they were.

        Parameters
        ----------
        before, after
            The run's packets.
        dropped
            Pictures that were left out.
        """
        return last_changed(before, after)
