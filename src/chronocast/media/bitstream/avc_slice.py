"""Slice headers of H.264 (7.3.3): read, and written anew where a stream is made to begin in the middle."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from chronocast.media.bitstream.avc_sets import PictureSet, SequenceSet
from chronocast.media.bitstream.bits import BitReader, BitWriter, StreamUnreadable, escaped, unescaped
from chronocast.media.bitstream.nal import LENGTH_BYTES, packed, units_in

_SLICE, _IDR = 1, 5
_P, _B, _I = 0, 1, 2
IDR_NUMBER = 3
"""What a made IDR calls itself (idr_pic_id): encoders count 0, 1, 0, and two in a row must differ."""
HEADER_BYTES = 400
"""A header is no longer than so many bytes."""


@dataclass(frozen=True)
class Field:
    """Where a field of a header stands: from one bit up to another."""

    begin: int
    end: int


@dataclass(frozen=True)
class SliceHeader:
    """What a slice's header says, and where.

    ``lists`` are the commands that order the lists of references, of each list
    the pairs (command, argument), ``forget`` those of memory management;
    ``end`` is the bit at which the header ends.
    """

    kind: int
    set_number: int
    set_field: Field
    reference: bool
    intra: bool
    arithmetic: bool
    first: bool
    number: int
    number_field: Field
    number_bits: int
    order: int
    order_field: Field
    order_bits: int
    lists: tuple[tuple[tuple[int, int], ...], ...]
    lists_field: Field
    forget: tuple[tuple[int, int], ...] | None
    forget_field: Field
    end: int


def read_header(
    unit: bytes, sequences: Mapping[int, SequenceSet], pictures: Mapping[int, PictureSet]
) -> SliceHeader:
    """A slice's header.

    Parameters
    ----------
    unit
        The slice's unit.
    sequences, pictures
        The stream's parameter sets, by number.

    Raises
    ------
    StreamUnreadable
        It can't be read.
    """
    kind, reference = unit[0] & 31, bool(unit[0] & 0x60)
    bits = BitReader(unescaped(unit[:HEADER_BYTES]))
    bits.take(8)
    first, shape = bits.unsigned() == 0, bits.unsigned() % 5
    at = bits.at
    set_number = bits.unsigned()
    set_field, picture = Field(at, bits.at), pictures.get(set_number)
    sequence = sequences.get(picture.sequence) if picture else None
    if picture is None or sequence is None or not sequence.rewritable or shape > _I:
        raise StreamUnreadable("its slices use parameter sets, or kinds, that aren't rewritten")
    if sequence.planes_apart:
        bits.take(2)
    at = bits.at
    number = bits.take(sequence.number_bits)
    number_field = Field(at, bits.at)
    if kind == _IDR:
        bits.unsigned()
    at = bits.at
    order = bits.take(sequence.order_bits) if sequence.order_kind == 0 else 0
    order_field = Field(at, bits.at)
    if sequence.order_kind == 0 and picture.bottom_order:
        bits.signed()
    if picture.redundant:
        bits.unsigned()
    if shape == _B:
        bits.flag()
    active = picture.references
    if shape != _I and bits.flag():
        active = (bits.unsigned() + 1, bits.unsigned() + 1 if shape == _B else active[1])
    at = bits.at
    lists = tuple(_list_commands(bits) for _ in range((1, 2, 0)[shape]))
    lists_field = Field(at, bits.at)
    if (picture.weighted and shape == _P) or (picture.weighted_both == 1 and shape == _B):
        _pass_weights(bits, sequence, active[: 2 if shape == _B else 1])
    at = bits.at
    forget = _marking(bits, kind) if reference else None
    forget_field = Field(at, bits.at)
    if picture.arithmetic and shape != _I:
        bits.unsigned()
    bits.signed()
    if picture.deblocking_said and bits.unsigned() != 1:
        bits.signed(), bits.signed()
    return SliceHeader(
        kind,
        set_number,
        set_field,
        reference,
        shape == _I,
        picture.arithmetic,
        first,
        number,
        number_field,
        sequence.number_bits,
        order,
        order_field,
        sequence.order_bits,
        lists,
        lists_field,
        forget,
        forget_field,
        bits.at,
    )


def _list_commands(bits: BitReader) -> tuple[tuple[int, int], ...]:
    """ref_pic_list_modification (7.3.3.1) of one list."""
    found = list[tuple[int, int]]()
    if bits.flag():
        while (command := bits.unsigned()) != 3:
            if command > 1:
                raise StreamUnreadable("it keeps pictures for long")
            found.append((command, bits.unsigned() + 1))
    return tuple(found)


def _marking(bits: BitReader, kind: int) -> tuple[tuple[int, int], ...]:
    """dec_ref_pic_marking (7.3.3.3) of a reference picture."""
    found = list[tuple[int, int]]()
    if kind == _IDR:
        bits.take(2)
        return ()
    if not bits.flag():
        return ()
    while command := bits.unsigned():
        if command != 1:
            raise StreamUnreadable("it keeps pictures for long")
        found.append((command, bits.unsigned() + 1))
    return tuple(found)


def _pass_weights(bits: BitReader, sequence: SequenceSet, active: Sequence[int]) -> None:
    """pred_weight_table (7.3.3.2)."""
    coloured = sequence.chroma != 0 and not sequence.planes_apart
    bits.unsigned()
    if coloured:
        bits.unsigned()
    for count in active:
        for _ in range(count):
            if bits.flag():
                bits.signed(), bits.signed()
            if coloured and bits.flag():
                for _ in range(4):
                    bits.signed()


class _Counting:
    """Numbers of reference pictures (frame_num) of a run that begins in mid-stream: the old ones, and those from 0.

    Pictures that were dropped had numbers too; so each kept one gets its own.
    """

    def __init__(self, most: int) -> None:
        self.most = most
        self.new_of: dict[int, int] = {}
        self.next = 0

    def new_difference(self, target: int, before: int) -> int:
        """From a number to another, modulo what there are; never 0."""
        return (before - target) % self.most or self.most

    def see(self, old: int, reference: bool) -> int:
        """The new number of the picture that comes next."""
        new = self.next % self.most
        if reference:
            self.new_of[old] = new
            self.next += 1
        return new


def renumbered(packets: Sequence[bytes], header: Callable[[bytes], SliceHeader]) -> list[bytes]:
    """A run whose first picture becomes an IDR, and whose others count from it, up to the next IDR.

    Numbers and orders of pictures begin at 0; commands that order references are
    said in the new numbers; commands to forget pictures that aren't there are left out.

    Parameters
    ----------
    packets
        In decoding order, as pieces keep them.
    header
        Reads a slice's header.

    Raises
    ------
    StreamUnreadable
        A picture refers to one that isn't there.
    """
    found, counting, zero, done = list[bytes](), None, 0, False
    for place, data in enumerate(packets):
        units = units_in(data, LENGTH_BYTES)
        if done or (place and any(unit[0] & 31 == _IDR for unit in units)):
            found.append(data)
            done = True
            continue
        heads = [(header(unit) if unit[0] & 31 == _SLICE else None) for unit in units]
        read = next((item for item in heads if item is not None), None)
        if read is None or not read.arithmetic:
            raise StreamUnreadable("a picture isn't coded in a way that is rewritten")
        if counting is None:
            counting, zero = _Counting(1 << read.number_bits), read.order
        number = counting.see(read.number, read.reference)
        made = [
            unit if head is None else _rewritten(unit, head, number, zero, counting, idr=place == 0)
            for unit, head in zip(units, heads, strict=True)
        ]
        found.append(packed(made))
    return found


def moved(
    packets: Sequence[bytes], header: Callable[[bytes], SliceHeader], numbers: Mapping[int, int]
) -> list[bytes]:
    """Packets whose slices call their picture set by another number.

    Parameters
    ----------
    packets
        In decoding order, as pieces keep them.
    header
        Reads a slice's header.
    numbers
        The new number of each set.

    Raises
    ------
    StreamUnreadable
        A picture isn't coded in a way that is rewritten.
    """
    found = []
    for data in packets:
        units = [
            _moved(unit, header(unit), numbers) if unit[0] & 31 in (_SLICE, _IDR) else unit
            for unit in units_in(data, LENGTH_BYTES)
        ]
        found.append(packed(units))
    return found


class SliceBits:
    """``SliceBits(unit, head)``: a slice's header as bits, and the ``body`` that comes after it."""

    def __init__(self, unit: bytes, head: SliceHeader) -> None:
        payload, whole = unescaped(unit), (head.end + 7) // 8
        self.kind, self.body = payload[0], payload[whole:]
        self._bits, self._count = int.from_bytes(payload[:whole], "big"), 8 * whole

    def field(self, begin: int, end: int) -> tuple[int, int]:
        """The bits from one up to another, as a number, and how many they are."""
        return self._bits >> (self._count - end) & ((1 << (end - begin)) - 1), end - begin

    def copy(self, made: BitWriter, begin: int, end: int) -> None:
        """Write some of its bits as they are.

        Parameters
        ----------
        made
            What they are written to.
        begin, end
            From one bit up to another.
        """
        made.put(*self.field(begin, end))

    def unit(self, made: BitWriter) -> bytes:
        """The slice with another header before its pictures' codes."""
        return escaped(made.filled() + self.body)


def _moved(unit: bytes, head: SliceHeader, numbers: Mapping[int, int]) -> bytes:
    if not head.arithmetic:
        raise StreamUnreadable("a picture isn't coded in a way that is rewritten")
    old, made = SliceBits(unit, head), BitWriter()
    old.copy(made, 0, head.set_field.begin)
    made.unsigned(numbers[head.set_number])
    old.copy(made, head.set_field.end, head.end)
    return old.unit(made)


def _rewritten(
    unit: bytes, head: SliceHeader, number: int, zero: int, counting: _Counting, *, idr: bool
) -> bytes:
    """A slice with the numbers it has in its new place."""
    old = SliceBits(unit, head)
    made = BitWriter()
    if idr:
        made.put(old.kind & 0xE0 | _IDR, 8)
    else:
        made.put(old.kind, 8)
    old.copy(made, 8, head.number_field.begin)
    made.put(number, head.number_bits)
    if idr:
        made.unsigned(IDR_NUMBER)
    old.copy(made, head.number_field.end, head.order_field.begin)
    made.put((head.order - zero) % (1 << head.order_bits), head.order_bits)
    old.copy(made, head.order_field.end, head.lists_field.begin)
    _write_lists(made, head, number, counting)
    old.copy(made, head.lists_field.end, head.forget_field.begin)
    if idr:
        made.put(0, 2)
    elif head.forget is not None:
        _write_forget(made, head, number, counting)
    old.copy(made, head.forget_field.end, head.end)
    return old.unit(made)


def _write_lists(made: BitWriter, head: SliceHeader, number: int, counting: _Counting) -> None:
    for commands in head.lists:
        made.put(bool(commands), 1)
        old, new = head.number, number
        for command, argument in commands:
            old = (old + (argument if command else -argument)) % counting.most
            if old not in counting.new_of:
                raise StreamUnreadable("a picture refers to one before the cut")
            target = counting.new_of[old]
            made.unsigned(0)
            made.unsigned(counting.new_difference(target, new) - 1)
            new = target
        if commands:
            made.unsigned(3)


def _write_forget(made: BitWriter, head: SliceHeader, number: int, counting: _Counting) -> None:
    kept = [
        counting.new_of[old]
        for _, argument in head.forget or ()
        if (old := (head.number - argument) % counting.most) in counting.new_of
    ]
    made.put(bool(kept), 1)
    for target in kept:
        made.unsigned(1)
        made.unsigned(counting.new_difference(target, number) - 1)
    if kept:
        made.unsigned(0)
