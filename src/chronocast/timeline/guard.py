"""Look at a timeline file's text before a parser does: deep nesting kills the parser."""

from __future__ import annotations

import re
from pathlib import Path

from chronocast.timeline.errors import TimelineError

DEEPEST = 200
LARGEST = 256 * 1024 * 1024

_TOKEN = re.compile(rb'"(?:[^"\\]|\\.)*"|[\[{]|[\]}]', re.DOTALL)


def guard(path: Path) -> str:
    """The text of a timeline file that is safe to parse.

    Raises:
        TimelineError: missing, empty, too large, not text, or nested deeper than 200.
    """
    try:
        size = path.stat().st_size
        if size > LARGEST:
            raise TimelineError(f"{path} is too large for a timeline file ({size // 2**20} MiB).")
        data = path.read_bytes()
    except FileNotFoundError:
        raise TimelineError(f"{path} is missing.", "Put it back, or relink the source.") from None
    except OSError as error:
        raise TimelineError(
            f"{path} can't be read: {error.strerror}.", "Check its permissions and its drive."
        ) from None
    if not data.strip():
        raise TimelineError(f"{path} is empty.", "Export the sequence again.")
    depth = 0
    for token in _TOKEN.finditer(data):
        mark = token[0][:1]
        if mark in b"[{":
            depth += 1
            if depth > DEEPEST:
                raise TimelineError(
                    f"{path} is nested more than {DEEPEST} deep.", "Flatten the sequence and export it again."
                )
        elif mark in b"]}":
            depth -= 1
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise TimelineError(
            f"{path} is not UTF-8 text, as a timeline file must be.", "Export the sequence again."
        ) from None
