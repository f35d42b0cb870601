"""What pictures of H.264 are held as references by a decoder, and whether a run begun anew is decoded as before."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from chronocast.media.bitstream.avc_slice import SliceBits, SliceHeader
from chronocast.media.bitstream.bits import StreamUnreadable
from chronocast.media.bitstream.nal import LENGTH_BYTES, units_in

_SLICE, _IDR = 1, 5
_BEFORE = -1
"""A picture from before the run."""

ReadHeader = Callable[[bytes], SliceHeader]


class Slice(NamedTuple):
    """A slice's header, and its bits."""

    head: SliceHeader
    bits: SliceBits


class Held(NamedTuple):
    """A picture that is held: its place in the run (less than 0: not in it), and its number (frame_num)."""

    place: int
    number: int


class References:
    """``References(most, numbers)``: the pictures a decoder holds, the oldest first (8.2.5).

    Parameters
    ----------
    most
        How many it holds at most (max_num_ref_frames).
    numbers
        How many numbers there are (MaxFrameNum).
    before
        So many it holds already, of which nothing is known.
    """

    def __init__(self, most: int, numbers: int, before: int = 0) -> None:
        self._most, self._numbers = max(most, 1), numbers
        self.held = [Held(_BEFORE, -1)] * before

    def of(self, number: int) -> int:
        """The place of the picture with a number; that of one from before the run where none is known."""
        return next((one.place for one in reversed(self.held) if one.number == number), _BEFORE)

    def ordered(self, head: SliceHeader) -> list[tuple[int, ...]]:
        """The places of what a slice's commands put first in its lists (8.2.4.3.1)."""
        found = []
        for commands in head.lists:
            number, places = head.number, list[int]()
            for command, argument in commands:
                number = (number + (argument if command else -argument)) % self._numbers
                places.append(self.of(number))
            found.append(tuple(places))
        return found

    def see(self, place: int, head: SliceHeader) -> None:
        """A picture is decoded: what it says is forgotten, or else the oldest where all is full; it is held if others refer to it."""
        if head.kind == _IDR:
            self.held = []
        if not head.reference:
            return
        for _, argument in head.forget or ():
            self._forget((head.number - argument) % self._numbers)
        if not head.forget and len(self.held) >= self._most:
            del self.held[0]
        self.held.append(Held(place, head.number))

    def _forget(self, number: int) -> None:
        known = next((one for one in self.held if one.number == number), None)
        known = known or next((one for one in self.held if one.place == _BEFORE), None)
        if known:
            self.held.remove(known)


def settled(
    before: Iterable[tuple[int, bytes]],
    after: Sequence[bytes],
    headers: tuple[ReadHeader, ReadHeader],
    references: tuple[References, References],
) -> int:
    """So many packets of a run, from which on all are decoded as before if the first ones are.

    From there on a decoder holds the same pictures, every slice means the same
    ones by what it says, stands at the same distance from the first in order,
    and has the very bits it had, but for the numbers in its header.

    Parameters
    ----------
    before
        (place in the run, packet) as they were, in decoding order; less than 0 for pictures that were left out.
    after
        The packets of the run, begun anew.
    headers
        Reads a slice's header of those before, and of those after.
    references
        What a decoder holds before the first.

    Raises
    ------
    StreamUnreadable
        A slice can't be read, so that it isn't known what is held from then on.
    """
    old, new = references
    orders: tuple[int, int] | None = None
    last = 0
    for place, data in before:
        slices = _slices(data, headers[0])
        if place < 0:
            old.see(place - 1, slices[0].head)
            continue
        made = _slices(after[place], headers[1])
        if slices[0].head.kind == _IDR or orders is None:
            orders = slices[0].head.order, made[0].head.order
        alike = [one.place for one in old.held] == [one.place for one in new.held]
        same = len(slices) == len(made) and all(
            _follows(one, other, orders) and _means_same(old.ordered(one.head), new.ordered(other.head))
            for one, other in zip(slices, made, strict=True)
        )
        old.see(place, slices[0].head)
        new.see(place, made[0].head)
        if not alike or not same:
            last = place + 1
    return last


def _means_same(old: list[tuple[int, ...]], new: list[tuple[int, ...]]) -> bool:
    """Whether what is put first in lists is the same, and in the run."""
    return old == new and all(place >= 0 for places in new for place in places)


def _slices(data: bytes, header: ReadHeader) -> list[Slice]:
    """The slices of a packet.

    Raises
    ------
    StreamUnreadable
        There are none, or one can't be read.
    """
    found = list[Slice]()
    for unit in units_in(data, LENGTH_BYTES):
        if unit[0] & 31 in (_SLICE, _IDR):
            head = header(unit)
            found.append(Slice(head, SliceBits(unit, head)))
    if not found:
        raise StreamUnreadable("a packet has no picture")
    return found


def _follows(old: Slice, new: Slice, orders: tuple[int, int]) -> bool:
    """Whether a slice says the same as before, but for numbers, and stands at the same distance from the first in order."""
    a, b = old.head, new.head
    distance = (a.order - orders[0] - b.order + orders[1]) % (1 << a.order_bits)
    return (
        not distance
        and (a.kind, a.reference, a.number_bits, a.order_bits)
        == (b.kind, b.reference, b.number_bits, b.order_bits)
        and old.bits.body == new.bits.body
        and all(
            old.bits.field(*one) == new.bits.field(*other)
            for one, other in zip(_unchanged(a), _unchanged(b), strict=True)
        )
    )


def _unchanged(head: SliceHeader) -> list[tuple[int, int]]:
    """Where bits stand that a new beginning doesn't touch."""
    return [
        (0, head.set_field.begin),
        (head.set_field.end, head.number_field.begin),
        (head.number_field.end, head.order_field.begin),
        (head.order_field.end, head.lists_field.begin),
        (head.lists_field.end, head.forget_field.begin),
        (head.forget_field.end, head.end),
    ]
