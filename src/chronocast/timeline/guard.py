"""Look at a timeline file's text before a parser does: deep nesting kills the parser."""

from __future__ import annotations

import itertools
import re
from pathlib import Path

from chronocast.timeline.errors import TimelineError

DEEPEST = 200
LARGEST = 256 * 1024 * 1024

_STRING = re.compile(rb'"(?:[^"\\]|\\.)*"', re.DOTALL)
_NOT_BRACKETS = bytes(set(range(256)) - set(b"[]{}"))
_NOT_MARKS = bytes(set(range(256)) - set(b'[]{}"'))
_STEPS = {ord("["): 1, ord("{"): 1, ord("]"): -1, ord("}"): -1}


def contents(path: Path) -> bytes:
    """The bytes of a timeline file.

    Raises
    ------
    TimelineError
        Missing, empty or too large.
    """
    try:
        size = path.stat().st_size
        if size > LARGEST:
            raise TimelineError(f"{path} is too large for a timeline file ({size // 2**20} MiB).")
        data = path.read_bytes()
    except FileNotFoundError:
        raise TimelineError(f"{path} is missing.", "Put it back, or relink the source.") from None
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise TimelineError(
            f"{path} can't be read: {reason}.", "Check its permissions and its drive."
        ) from None
    if not data.strip():
        raise TimelineError(f"{path} is empty.", "Export the sequence again.")
    return data


def depth(data: bytes) -> int:
    """How deep the brackets outside of strings are nested.

    >>> depth(b'{"a": ["[[[", []]}')
    3
    """
    if b"\\" not in data:  # without escapes, only quotes and brackets matter: far less to look through
        data = data.translate(None, _NOT_MARKS)
    brackets = _STRING.sub(b"", data).translate(None, _NOT_BRACKETS)
    return max(itertools.accumulate(map(_STEPS.__getitem__, brackets)), default=0)


def guard(path: Path) -> str:
    """The text of a timeline file that is safe to parse.

    Raises
    ------
    TimelineError
        Missing, empty, too large, not text, or nested deeper than 200.
    """
    data = contents(path)
    if depth(data) > DEEPEST:
        raise TimelineError(
            f"{path} is nested more than {DEEPEST} deep.", "Flatten the sequence and export it again."
        )
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise TimelineError(
            f"{path} is not UTF-8 text, as a timeline file must be.", "Export the sequence again."
        ) from None
