"""Documents on disk: read with a sentence when they can't be, written whole or not at all."""

from __future__ import annotations

import contextlib
import json
import os
import tempfile
from pathlib import Path
from typing import Any

from chronocast.model.batch import Batch, read_batch, write_batch
from chronocast.model.errors import ChronocastError

BATCH_ENDING = ".batch.json"
LARGEST_BATCH = 64 * 1024 * 1024


class DocumentError(ChronocastError):
    """A document that can't be read or written."""


def write_text(path: Path, text: str) -> None:
    """Write, flush, rename: the old file stays until the new one is whole.

    Raises:
        DocumentError: it can't be written; the old file is as it was.
    """
    temporary = ""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name[:40]}.", suffix=".part", dir=path.parent)
        with os.fdopen(handle, "w", encoding="utf-8") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
        os.chmod(temporary, mode)
        os.replace(temporary, path)
    except OSError as error:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        raise DocumentError(
            f"{path} can't be written: {error.strerror}.",
            "Choose another place; what was there is as it was.",
        ) from None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def read_text(path: Path) -> str:
    """The text of a document.

    Raises:
        DocumentError: it is missing, no text, or can't be read.
    """
    try:
        if path.stat().st_size > LARGEST_BATCH:
            raise DocumentError(f"{path} is too large for a document.")
        return path.read_text(encoding="utf-8-sig")
    except FileNotFoundError:
        raise DocumentError(f"{path} is missing.", "Check the path.") from None
    except IsADirectoryError:
        raise DocumentError(f"{path} is a folder.", "Name the batch file in it.") from None
    except UnicodeDecodeError:
        raise DocumentError(f"{path} is not text.", "Choose a batch file.") from None
    except OSError as error:
        raise DocumentError(f"{path} can't be read: {error.strerror}.", "Check its permissions.") from None


def load_batch(path: Path) -> Batch:
    """A batch from its file.

    Raises:
        DocumentError, ModelError: it can't be read or used; the sentence says why.
    """
    return read_batch(read_text(path), str(path))


def save_batch(batch: Batch, path: Path) -> None:
    """Write a batch to its file.

    Raises:
        DocumentError: it can't be written.
    """
    write_text(path, write_batch(batch))


def load_json(path: Path) -> dict[str, Any]:
    """A small file of our own, or nothing where it is missing or damaged."""
    try:
        value = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return value if isinstance(value, dict) else {}


def save_json(path: Path, value: dict[str, Any]) -> None:
    """Write a small file of our own."""
    write_text(path, json.dumps(value, indent=1, ensure_ascii=False) + "\n")
