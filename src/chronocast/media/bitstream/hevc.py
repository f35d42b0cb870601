"""HEVC (Rec. ITU-T H.265): parameter sets, where a decoder can begin, and how a run of packets is made to begin anew."""

from __future__ import annotations

from collections.abc import Sequence

from chronocast.media.bitstream.bits import StreamUnreadable, unescaped
from chronocast.media.bitstream.nal import LENGTH_BYTES, packed, units_in
from chronocast.media.bitstream.stream import Begin, StreamSets, last_changed

_IDR = frozenset({19, 20})
_BROKEN = frozenset({16, 17, 18})
_CLEAN, _BROKEN_ALONE = 21, 18
_SETS = frozenset({32, 33, 34})
_DELIMITER = 35
_UNSENT = _SETS | {35, 36, 37, 38}
"""Kinds of units that don't belong to a picture: parameter sets, delimiters, ends, filler."""


def kind_of(unit: bytes) -> int:
    """A unit's kind (nal_unit_type)."""
    return unit[0] >> 1 & 63


def bare(data: bytes, length_bytes: int) -> bytes:
    """A packet's picture by itself, without parameter sets, delimiters, filler and lengths."""
    return b"".join(unit for unit in units_in(data, length_bytes) if kind_of(unit) not in _UNSENT)


def length_bytes(extradata: bytes) -> int:
    """In how many bytes a file says a unit's length; 0 where units stand between start codes."""
    if len(extradata) < 23 or extradata[:3] in (b"\x00\x00\x01", b"\x00\x00\x00"):
        return 0
    return (extradata[21] & 3) + 1


def sets_in(extradata: bytes) -> tuple[list[bytes], int]:
    """The parameter sets a file says (``hvcC`` of ISO/IEC 14496-15, or between start codes), and the bytes of a unit's length.

    Raises
    ------
    StreamUnreadable
        There are none.
    """
    said_in = length_bytes(extradata)
    if not said_in:
        found = [unit for unit in units_in(extradata, 0) if kind_of(unit) in _SETS]
    else:
        try:
            found, at = list[bytes](), 23
            for _ in range(extradata[22]):
                count, at = int.from_bytes(extradata[at + 1 : at + 3], "big"), at + 3
                for _ in range(count):
                    length = int.from_bytes(extradata[at : at + 2], "big")
                    unit = extradata[at + 2 : at + 2 + length]
                    at += 2 + length
                    if unit and kind_of(unit) in _SETS:
                        found.append(unit)
        except IndexError:
            raise StreamUnreadable("its file says its parameter sets in a way that can't be read") from None
    if {kind_of(unit) for unit in found} != _SETS:
        raise StreamUnreadable("its file has no parameter sets")
    return found, said_in


class HevcStream:
    """``HevcStream(extradata)``: an HEVC stream as its file describes it.

    Raises
    ------
    StreamUnreadable
        Its parameter sets can't be read.
    """

    def __init__(self, extradata: bytes) -> None:
        self._sets, self._length_bytes = sets_in(extradata)
        self.extradata = extradata

    @property
    def sets(self) -> StreamSets:
        """Its parameter sets.  Each piece says its own where it begins, so that their numbers don't matter."""
        sequence = unescaped(next(unit for unit in self._sets if kind_of(unit) == 33))
        # general_level_idc: after the unit's own two bytes, one of numbers, and eleven of the profile
        return StreamSets(b"".join(self._sets), frozenset(), sequence[14] if len(sequence) > 14 else 0)

    def begins(self, data: bytes) -> Begin:
        """Whether a decoder can begin at a key packet: by itself, or if what comes before is dropped.

        Raises
        ------
        StreamUnreadable
            It can't be read, or its sets aren't those its file says.
        """
        units = units_in(data, self._length_bytes)
        if any(kind_of(unit) in _SETS and unit not in self._sets for unit in units):
            raise StreamUnreadable("its parameter sets change on the way")
        kinds = {kind_of(unit) for unit in units if kind_of(unit) < 32}
        if kinds and kinds <= _IDR:
            return "closed"
        return "open" if kinds and kinds <= {_CLEAN, *_BROKEN} else "never"

    def plain(self, data: bytes) -> bytes:
        """A packet as pieces keep it: lengths in four bytes, without parameter sets, delimiters and filler."""
        return packed(unit for unit in units_in(data, self._length_bytes) if kind_of(unit) not in _UNSENT)

    def muxed(self, data: bytes) -> bytes:
        """A packet as a muxer takes it: between start codes where its file's sets are."""
        if self._length_bytes:
            return data
        return b"".join(b"\x00\x00\x00\x01" + unit for unit in units_in(data, LENGTH_BYTES))

    def begun(self, packets: Sequence[bytes], dropped: int) -> list[bytes]:
        """Packets as they must be where nothing comes before: a first CRA picture becomes a BLA one without leading ones.

        Parameters
        ----------
        packets
            All of the run, in decoding order, as pieces keep them.
        dropped
            Pictures shown before the first one that were left out.
        """
        units = units_in(packets[0], LENGTH_BYTES)
        made = [
            bytes([unit[0] & 0x81 | _BROKEN_ALONE << 1]) + unit[1:]
            if kind_of(unit) in (_CLEAN, *_BROKEN)
            else unit
            for unit in units
        ]
        return [packed(made), *packets[1:]]

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


def in_band(extradata: bytes, packet: bytes) -> bytes:
    """A key packet of a piece with the piece's parameter sets before its picture."""
    sets = sets_in(extradata)[0]
    units = [unit for unit in units_in(packet, LENGTH_BYTES) if kind_of(unit) not in _SETS]
    delimiters = [unit for unit in units[:1] if kind_of(unit) == _DELIMITER]
    return packed((*delimiters, *sets, *units[len(delimiters) :]))
