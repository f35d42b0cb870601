"""Paths as text.  On Linux a file's name is bytes; documents, jobs and screens want text.

Bytes that are no UTF-8 become characters of a private plane of Unicode, so
that every path can be written to JSON and come back as it was.  Values of
type ``str`` hold paths in this form throughout; ``Path`` objects hold them as
the system has them.
"""

from __future__ import annotations

import os
from os import PathLike
from typing import Annotated, NamedTuple

_FIRST = 0x10FE00


class FileMark(NamedTuple):
    """By what a file is known to be as it was: its bytes, and the time of its last change."""

    bytes: int
    mtime_ns: int


def path_text(path: str | PathLike[str]) -> str:
    """A path as text that can be written anywhere.

    >>> real_path(path_text(b"caf\\xe9".decode(errors="surrogateescape"))) == "caf\\udce9"
    True
    """
    return "".join(
        chr(_FIRST + ord(letter) - 0xDC00) if "\udc80" <= letter <= "\udcff" else letter
        for letter in os.fspath(path)
    )


def real_path(text: str | PathLike[str]) -> str:
    """A path as the system has it, from its text."""
    return "".join(
        chr(0xDC00 + ord(letter) - _FIRST) if _FIRST + 0x80 <= ord(letter) <= _FIRST + 0xFF else letter
        for letter in os.fspath(text)
    )


def shown(path: str | PathLike[str]) -> str:
    """A path or name for people: what is no letter of any script is escaped.

    >>> shown("caf\\udce9\\n.mov")
    'caf\\\\xe9\\\\n.mov'
    """
    found = []
    for letter in os.fspath(path):
        code = ord(letter)
        if "\udc80" <= letter <= "\udcff":
            found.append(f"\\x{code - 0xDC00:02x}")
        elif _FIRST + 0x80 <= code <= _FIRST + 0xFF:
            found.append(f"\\x{code - _FIRST:02x}")
        elif code < 32 or 127 <= code < 160:
            found.append(letter.encode("unicode_escape").decode())
        else:
            found.append(letter)
    return "".join(found)


class OnDisk(NamedTuple):
    """Marks a text of a message as the path of a file: another machine may have it elsewhere."""


FilePath = Annotated[str, OnDisk()]
"""A path as text in a message between processes."""
