"""Bits of a stream: read and written one field after another, escape bytes taken out and put in."""

from __future__ import annotations

import re

_ESCAPED = re.compile(rb"\x00\x00\x03")
_LONGEST = 33
"""Bits that tell how long a number in the code ue(v) is."""
_ESCAPE = re.compile(rb"\x00\x00(?=[\x00-\x03])")


class StreamUnreadable(ValueError):
    """A stream isn't as its standard has it, or uses what isn't read here; the text says what."""


def unescaped(unit: bytes) -> bytes:
    """A NAL unit's payload without the bytes that keep start codes out (Rec. ITU-T H.264, 7.4.1)."""
    return _ESCAPED.sub(b"\x00\x00", unit)


def escaped(payload: bytes) -> bytes:
    """A payload with the bytes that keep start codes out."""
    made = _ESCAPE.sub(b"\x00\x00\x03", payload)
    return made + b"\x03" if made.endswith(b"\x00") else made


class BitReader:
    """``BitReader(payload)``: fields of an unescaped payload, one after another."""

    def __init__(self, payload: bytes) -> None:
        self._bits, self._count = int.from_bytes(payload, "big"), 8 * len(payload)
        self.at = 0

    def take(self, count: int) -> int:
        """The next bits as a number.

        Raises
        ------
        StreamUnreadable
            There are no more.
        """
        self.at += count
        if self.at > self._count:
            raise StreamUnreadable("a header ends early")
        return self._bits >> (self._count - self.at) & ((1 << count) - 1)

    def flag(self) -> bool:
        """The next bit."""
        return bool(self.take(1))

    def unsigned(self) -> int:
        """The next number in the code ue(v)."""
        left = max(self._count - self.at, 0)
        seen = min(left, _LONGEST)  # what comes next: not the whole rest, which is much longer
        zeros = seen - (self._bits >> (left - seen) & ((1 << seen) - 1)).bit_length()
        if zeros > 32:
            raise StreamUnreadable("a number in a header is too long")
        return self.take(2 * zeros + 1) - 1

    def signed(self) -> int:
        """The next number in the code se(v)."""
        code = self.unsigned()
        return (code + 1) // 2 if code % 2 else -(code // 2)


class BitWriter:
    """Fields written one after another."""

    def __init__(self) -> None:
        self._bits, self.count = 0, 0

    def put(self, value: int, count: int) -> None:
        """Write a number of so many bits."""
        self._bits, self.count = self._bits << count | value, self.count + count

    def unsigned(self, value: int) -> None:
        """Write a number in the code ue(v)."""
        self.put(value + 1, 2 * (value + 1).bit_length() - 1)

    def filled(self) -> bytes:
        """All of it, the last byte filled up with ones, as before arithmetic codes."""
        spare = -self.count % 8
        return (self._bits << spare | (1 << spare) - 1).to_bytes((self.count + spare) // 8, "big")
