"""H.264 (Rec. ITU-T H.264): parameter sets, where a decoder can begin, and how a run of packets is made to begin anew."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from chronocast.media.bitstream.avc_references import References, settled
from chronocast.media.bitstream.avc_sets import (
    PictureSet,
    SequenceSet,
    picture_set_as,
    read_picture_set,
    read_sequence_set,
    sequence_set_as,
)
from chronocast.media.bitstream.avc_slice import HEADER_BYTES, SliceHeader, moved, read_header, renumbered
from chronocast.media.bitstream.bits import StreamUnreadable
from chronocast.media.bitstream.nal import LENGTH_BYTES, packed, units_in
from chronocast.media.bitstream.stream import Begin, StreamSets, last_changed

_SLICE, _IDR, _SEQUENCE, _PICTURE = 1, 5, 7, 8
_UNSENT = frozenset({_SEQUENCE, _PICTURE, 9, 12, 13})
"""Kinds of units that don't belong to a picture: parameter sets, delimiters, filler."""


def kind_of(unit: bytes) -> int:
    """A unit's kind (nal_unit_type)."""
    return unit[0] & 31


def bare(data: bytes, length_bytes: int) -> bytes:
    """A packet's picture by itself, without parameter sets, delimiters, filler and lengths."""
    return b"".join(unit for unit in units_in(data, length_bytes) if kind_of(unit) not in _UNSENT)


def length_bytes(extradata: bytes) -> int:
    """In how many bytes a file says a unit's length; 0 where units stand between start codes."""
    return (extradata[4] & 3) + 1 if extradata[:1] == b"\x01" and len(extradata) > 4 else 0


def _sets_at(extradata: bytes, at: int, count: int) -> tuple[tuple[bytes, ...], int]:
    """So many sets of an ``avcC`` box from a place on, and the place after them."""
    found = []
    for _ in range(count):
        length = extradata[at] << 8 | extradata[at + 1]
        found.append(extradata[at + 2 : at + 2 + length])
        at += 2 + length
    return tuple(found), at


@dataclass(frozen=True)
class AvcConfiguration:
    """What a file says of an H.264 stream: the ``avcC`` box of ISO/IEC 14496-15, or sets between start codes."""

    head: bytes
    sequence: tuple[bytes, ...]
    picture: tuple[bytes, ...]
    tail: bytes = b""
    length_bytes: int = LENGTH_BYTES

    @classmethod
    def read(cls, extradata: bytes) -> AvcConfiguration:
        """It, as it is in a file.

        Raises
        ------
        StreamUnreadable
            It isn't one.
        """
        if extradata[:1] != b"\x01":
            units = units_in(extradata, 0)
            sequence = tuple(unit for unit in units if kind_of(unit) == _SEQUENCE)
            picture = tuple(unit for unit in units if kind_of(unit) == _PICTURE)
            if not sequence or not picture:
                raise StreamUnreadable("its file has no parameter sets")
            return cls(sequence[0][1:4], sequence, picture, length_bytes=0)
        try:
            sequence, at = _sets_at(extradata, 6, extradata[5] & 31)
            picture, at = _sets_at(extradata, at + 1, extradata[at])
        except IndexError:
            raise StreamUnreadable("its file says its parameter sets in a way that can't be read") from None
        if not sequence or not picture or not all((*sequence, *picture)):
            raise StreamUnreadable("its file has no parameter sets")
        return cls(extradata[1:4], sequence, picture, extradata[at:], (extradata[4] & 3) + 1)

    def written(self) -> bytes:
        """It as an ``avcC`` box, lengths of units in four bytes."""
        parts = [b"\x01", self.head, bytes([0xFC | LENGTH_BYTES - 1, 0xE0 | len(self.sequence)])]
        parts += [len(item).to_bytes(2, "big") + item for item in self.sequence]
        parts += [bytes([len(self.picture)])]
        parts += [len(item).to_bytes(2, "big") + item for item in self.picture]
        tail = self.tail
        if not tail and self.head[0] not in (66, 77, 88):
            tail = read_sequence_set(self.sequence[0]).said_in_file()
        return b"".join([*parts, tail])


def merged(extradata: Sequence[bytes]) -> bytes:
    """One configuration for a file in which pieces of several stand: all of their sets.

    Raises
    ------
    StreamUnreadable
        Two that differ have the same number.
    """
    all_of = [AvcConfiguration.read(item) for item in dict.fromkeys(extradata)]
    sequence = tuple(dict.fromkeys(item for one in all_of for item in one.sequence))
    picture = tuple(dict.fromkeys(item for one in all_of for item in one.picture))
    numbers = (
        [read_sequence_set(item).id for item in sequence],
        [read_picture_set(item).id for item in picture],
    )
    if any(len(set(each)) < len(each) for each in numbers):
        raise StreamUnreadable("parameter sets that differ have the same number")
    # the profile that asks most, and the highest level, so that no player begins what it can't show
    profile = max((one.head for one in all_of), key=lambda head: (head[0], -head[1]))
    head = bytes([profile[0], profile[1], max(one.head[2] for one in all_of)])
    return AvcConfiguration(head, sequence, picture, all_of[0].tail).written()


class AvcStream:
    """``AvcStream(extradata)``: an H.264 stream as its file describes it.

    ``moved_by`` is added to the numbers of its sets: another film's have its own.

    Raises
    ------
    StreamUnreadable
        Its parameter sets can't be read.
    """

    def __init__(self, extradata: bytes, moved_by: int = 0) -> None:
        self._said, self._moved_by = AvcConfiguration.read(extradata), moved_by
        self._sequence: dict[int, SequenceSet] = {}
        self._picture: dict[int, PictureSet] = {}
        self._headers: dict[bytes, SliceHeader] = {}
        for unit in self._said.sequence:
            read = read_sequence_set(unit)
            self._sequence[read.id] = read
        for unit in self._said.picture:
            found = read_picture_set(unit)
            self._picture[found.id] = found

    @property
    def sets(self) -> StreamSets:
        """Its parameter sets: their bytes, numbers and level, and what of them can't be cut."""
        trouble = ""
        if any(not item.frames_only for item in self._sequence.values()):
            trouble = "its source is coded in a way that allows fields"
        level = max(item.level for item in self._sequence.values())
        numbers = frozenset(self._sequence) | frozenset(self._picture)
        able = all(item.rewritable for item in self._sequence.values())
        able = able and all(item.arithmetic for item in self._picture.values())
        content = b"".join((*self._said.sequence, *self._said.picture))
        return StreamSets(content, numbers, level, trouble, able)

    @property
    def extradata(self) -> bytes:
        """What a piece of its packets says of itself, its sets called by their numbers in the file."""
        by = self._moved_by
        if not by:
            return self._said.written()
        read = [(unit, read_picture_set(unit)) for unit in self._said.picture]
        return replace(
            self._said,
            sequence=tuple(
                sequence_set_as(unit, read_sequence_set(unit).id + by) for unit in self._said.sequence
            ),
            picture=tuple(picture_set_as(unit, found.id + by, found.sequence + by) for unit, found in read),
        ).written()

    def begins(self, data: bytes) -> Begin:
        """Whether a decoder can begin at a key packet: by itself, if what comes before is dropped, or not by what is known here.

        Raises
        ------
        StreamUnreadable
            It can't be read, or its sets aren't those its file says.
        """
        units = units_in(data, self._said.length_bytes)
        known = {*self._said.sequence, *self._said.picture}
        if any(kind_of(unit) in (_SEQUENCE, _PICTURE) and unit not in known for unit in units):
            raise StreamUnreadable("its parameter sets change on the way")
        slices = [unit for unit in units if kind_of(unit) in (_SLICE, _IDR)]
        if slices and all(kind_of(unit) == _IDR for unit in slices):
            return "closed"
        if not slices or any(kind_of(unit) in (2, 3, 4) for unit in units):
            return "never"
        try:
            heads = [self._header(unit) for unit in slices]
        except StreamUnreadable:
            return "never"
        able = all(item.intra and item.reference and item.arithmetic for item in heads)
        return "open" if able else "never"

    def plain(self, data: bytes) -> bytes:
        """A packet as pieces keep it: lengths in four bytes, without parameter sets, delimiters and filler."""
        return packed(
            unit for unit in units_in(data, self._said.length_bytes) if kind_of(unit) not in _UNSENT
        )

    def muxed(self, data: bytes) -> bytes:
        """A packet as a muxer takes it: as it is."""
        return data

    def begun(self, packets: Sequence[bytes], dropped: int) -> list[bytes]:
        """Packets (as pieces keep them) as they must be where nothing comes before.

        A first picture that isn't an IDR becomes one, and what follows counts from it, up to the next IDR.

        Parameters
        ----------
        packets
            All of the run, in decoding order.
        dropped
            Pictures shown before the first one that were left out.

        Raises
        ------
        StreamUnreadable
            Something on the way refers to what isn't there.
        """
        first = [kind_of(unit) for unit in units_in(packets[0], LENGTH_BYTES)]
        begun = list(packets) if _IDR in first else renumbered(packets, self._header)
        if not self._moved_by:
            return begun
        return moved(begun, self._header, {number: number + self._moved_by for number in self._picture})

    def settled(self, before: Sequence[bytes], after: Sequence[bytes], dropped: Sequence[bytes]) -> int:
        """So many packets of a run that was begun anew: what follows is decoded as before where these are.

        Parameters
        ----------
        before, after
            The run's packets.
        dropped
            Pictures that were left out: decoded after the first, and shown before it.
        """
        if not last_changed(before, after):
            return 0
        sequences = list(self._sequence.values())
        if len({item.number_bits for item in sequences}) > 1 or any(item.gaps for item in sequences):
            return len(after)
        most, numbers = max(item.references for item in sequences), 1 << sequences[0].number_bits
        by = self._moved_by
        moved_sequence = {number + by: item for number, item in self._sequence.items()}
        moved_picture = {
            number + by: replace(item, sequence=item.sequence + by) for number, item in self._picture.items()
        }
        left_out = [(-1 - number, data) for number, data in enumerate(dropped)]
        try:
            return settled(
                [(0, before[0]), *left_out, *enumerate(before[1:], 1)],
                after,
                (self._header, lambda unit: read_header(unit, moved_sequence, moved_picture)),
                (References(most, numbers, before=most), References(most, numbers)),
            )
        except StreamUnreadable:
            return len(after)

    def _header(self, unit: bytes) -> SliceHeader:
        """A slice's header; those of a run are asked for again where it is followed."""
        beginning = unit[:HEADER_BYTES]
        known = self._headers.get(beginning)
        if known is None:
            known = self._headers[beginning] = read_header(beginning, self._sequence, self._picture)
        return known
