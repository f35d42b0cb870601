"""Documents on disk: read with a sentence when they can't be, written whole or not at all."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from chronocast.journal.locks import Lock
from chronocast.journal.places import state_folder
from chronocast.model.batch.batch import Batch, read_batch, write_batch
from chronocast.model.errors import ChronocastError

BATCH_ENDING = ".batch.json"
LARGEST_BATCH = 64 * 1024 * 1024


class DocumentError(ChronocastError):
    """A document that can't be read or written."""


class ChangedOnDisk(DocumentError):
    """A batch's file is not the one that was read or written last: somebody else has changed it since."""


def write_text(path: Path, text: str, make_folder: bool = True) -> None:
    """Write, flush, rename: the old file stays until the new one is whole.

    With ``make_folder`` False the folder has to be there: one that has gone
    with its drive is never made again in its place.

    Parameters
    ----------
    path
        The file's.
    text
        What was typed or read.
    make_folder
        Whether its folder is made if need be.

    Raises
    ------
    DocumentError
        It can't be written; the old file is as it was.
    """
    temporary = ""
    try:
        if make_folder:
            path.parent.mkdir(parents=True, exist_ok=True)
        elif not path.parent.is_dir():
            raise DocumentError(
                f"The folder {path.parent} is missing; nothing is made in its place.",
                "Connect its drive again; until then the batch is not saved.",
            )
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

    Raises
    ------
    DocumentError
        It is missing, no text, or can't be read.
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


class BatchFile:
    """``BatchFile(path)``: a batch's file, and which revision of it is known here.

    A revision is a digest of the file's bytes; "" is no file.  ``save`` never
    writes over a revision that wasn't seen, unless that is asked for.
    """

    def __init__(self, path: Path, new: bool = False) -> None:
        self.path, self.revision, self._new = path, "", new

    def load(self) -> Batch:
        """The batch as it is on disk; from here on its revision is known.

        Raises
        ------
        DocumentError, ModelError
            It can't be read or used; the sentence says why.
        """
        batch = load_batch(self.path)
        self.revision = self.on_disk()
        return batch

    def on_disk(self) -> str:
        """The revision that is on the disk now; "" where there is no file or it can't be read."""
        try:
            return _revision(self.path.read_bytes())
        except OSError:
            return ""

    @property
    def changed(self) -> bool:
        """Whether somebody else has written the file since it was read or written here.  A missing one isn't changed."""
        now = self.on_disk()
        return bool(now) and now != self.revision

    def save(self, batch: Batch, over_theirs: bool = False) -> None:
        """Write the batch.

        Raises
        ------
        ChangedOnDisk
            Somebody else has changed the file, and ``over_theirs`` is False.
        DocumentError
            It can't be written; what was there is as it was.
        """
        text = write_batch(batch)
        with _alone(self.path):
            if self.changed and not over_theirs:
                raise ChangedOnDisk(
                    f"{self.path.name} was changed on disk by another window or command since it was read here.",
                    "Nothing was written over it. Read it again, or decide which of both to keep.",
                )
            write_text(self.path, text, make_folder=self._new)
            self.revision = _revision(text.encode())


def _revision(data: bytes) -> str:
    return hashlib.blake2b(data, digest_size=12).hexdigest()


@contextlib.contextmanager
def _alone(path: Path) -> Iterator[None]:
    """One process at a time looks at a batch's file and writes it."""
    name = hashlib.blake2b(os.fsencode(os.path.realpath(path)), digest_size=10).hexdigest()
    lock = Lock(state_folder() / "locks" / f"{name}.lock")
    with contextlib.ExitStack() as held:
        with contextlib.suppress(OSError):  # where nothing can be locked a batch can still be written
            held.enter_context(lock)
        yield


def load_batch(path: Path) -> Batch:
    """A batch from its file.

    Raises
    ------
    DocumentError, ModelError
        It can't be read or used; the sentence says why.
    """
    return read_batch(read_text(path), str(path))


def save_batch(batch: Batch, path: Path) -> None:
    """Write a batch to its file.

    Raises
    ------
    DocumentError
        It can't be written.
    """
    write_text(path, write_batch(batch))


def load_json(path: Path) -> dict[str, Any]:
    """A small file of our own, or nothing where it is missing or damaged."""
    try:
        value = json.loads(unsealed(path.read_text(encoding="utf-8")))
    except (OSError, ValueError, RecursionError):
        return {}
    return value if isinstance(value, dict) else {}


def save_json(path: Path, value: dict[str, Any]) -> None:
    """Write a small file of our own."""
    write_text(path, json.dumps(value, indent=1, ensure_ascii=False) + "\n")


_SEAL = ',\n "sum": "'


def sealed(text: str) -> str:
    """The text of a JSON object with a sum of it as its last field: what a failing drive changed in it is seen.

    For what would be taken at its word otherwise, since looking at it value by value takes too long.
    """
    body = text.rstrip().removesuffix("}").rstrip()
    return f'{body}{_SEAL}{_sum_of(body)}"\n}}\n'


def unsealed(text: str) -> str:
    """The text that was sealed; of one that never was, itself.

    Raises
    ------
    ValueError
        It isn't the text that was sealed.
    """
    body, seal, rest = text.rpartition(_SEAL)
    if not seal:
        return text
    if rest != f'{_sum_of(body)}"\n}}\n':
        raise ValueError("it was changed since it was written")
    return body + "}"


def _sum_of(text: str) -> str:
    return hashlib.blake2b(text.encode("utf-8", "surrogatepass"), digest_size=8).hexdigest()
