"""Give a finished file its final name: whole, and never over another unasked."""

from __future__ import annotations

import errno
import os
from pathlib import Path

from chronocast.model.errors import ChronocastError


class PlaceError(ChronocastError):
    """A file can't be put where it should go."""


def make_folder(folder: Path) -> None:
    """Make the target folder if need be, and see that it can be written.

    Raises:
        PlaceError: it can't.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except FileExistsError:
        raise PlaceError(f"{folder} is a file, not a folder.", "Choose another target folder.") from None
    except OSError as error:
        raise PlaceError(
            f"The folder {folder} can't be made: {error.strerror}.", "Choose another target folder."
        ) from None
    if not os.access(folder, os.W_OK | os.X_OK):
        raise PlaceError(
            f"The folder {folder} can't be written.", "Choose another, or ask for permission to write there."
        )


def place(temporary: Path, final: Path, replace: bool) -> None:
    """Rename; without ``replace`` an existing file is kept and this is refused.

    Raises:
        PlaceError: a file of that name is there, or the rename failed.
    """
    try:
        if replace:
            os.replace(temporary, final)
            return
        try:
            os.link(temporary, final)
        except OSError as error:
            if error.errno not in (errno.EPERM, errno.EOPNOTSUPP, errno.EMLINK, errno.ENOSYS):
                raise
            if final.exists():
                raise FileExistsError from None
            os.rename(temporary, final)
            return
        os.unlink(temporary)
    except FileExistsError:
        raise PlaceError(
            f"{final} is there already and was not touched.",
            "Rename or move it, choose another folder, or allow files of the same name to be replaced.",
        ) from None
    except OSError as error:
        raise PlaceError(
            f"{final} could not be written: {error.strerror}.", "Check the folder and its drive."
        ) from None
