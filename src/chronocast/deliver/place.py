"""Give a finished file its final name: whole, and never over another unasked."""

from __future__ import annotations

import errno
import os
import shutil
from collections.abc import Iterable
from pathlib import Path

from chronocast.model.errors import ChronocastError
from chronocast.model.paths import FileMark


class PlaceError(ChronocastError):
    """A file can't be put where it should go."""


class FolderGone(PlaceError):
    """The place where a folder belongs is not there: a drive that was unplugged, a share that isn't mounted."""


def mount_point(folder: Path) -> Path:
    """Where the drive is mounted that a folder is on, or would be if it were made."""
    there = folder.absolute()
    while not os.path.ismount(there):
        there = there.parent
    return there


def is_mounted(drive: Path) -> bool:
    """Whether a drive is mounted at its place; one that is mounted when it is looked at, is."""
    try:
        os.stat(drive / ".")
    except OSError:
        return False
    return os.path.ismount(drive)


def existing_folder(
    folder: Path, home: Path | None = None, media: Iterable[Path] = (), drive: Path | None = None
) -> bool:
    """Whether a target folder is there, or may be made.

    Parameters
    ----------
    folder
        Where files go.
    home
        The batch's own folder; whatever belongs inside it may be made.
    media
        Files that sources are read from.  A missing folder that held one of
        them has gone with its drive and is not to be made again.
    drive
        Where its drive is mounted.  The empty folder that is left when a
        drive was taken out is on another one.
    """
    if drive is not None and not is_mounted(drive):
        return False
    if folder.is_dir():
        return True
    if any(folder in path.parents for path in media):
        return False
    return folder.parent.is_dir() or (home is not None and home in folder.parents and home.is_dir())


def make_folder(
    folder: Path, home: Path | None = None, media: Iterable[Path] = (), drive: Path | None = None
) -> None:
    """Make the target folder if need be, and see that it can be written.

    Where the folder that it belongs in is missing, a drive has gone; a folder
    made in its place would hide that, and fill another drive.  The parameters
    are those of ``existing_folder``.

    Parameters
    ----------
    folder
        The target folder.
    home
        The batch's folder.
    media
        Files that its sources are read from.
    drive
        The mount point it had when the run began.

    Raises
    ------
    FolderGone
        The folder it belongs in is missing.
    PlaceError
        It can't be made or written.
    """
    if not existing_folder(folder, home, media, drive):
        if drive is not None and not is_mounted(drive):
            raise FolderGone(
                f"The drive at {drive} is not there any more; nothing is written in its place.",
                "Connect it again, or choose another target folder.",
            )
        missing = folder if folder.parent.is_dir() else folder.parent
        raise FolderGone(
            f"The folder {missing} is missing; nothing is made in its place.",
            "Connect its drive again, make the folder, or choose another target folder.",
        )
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except FileExistsError:
        raise PlaceError(f"{folder} is a file, not a folder.", "Choose another target folder.") from None
    except OSError as error:
        raise PlaceError(
            f"The folder {folder} can't be made: {error.strerror}.", "Choose another target folder."
        ) from None
    trial = folder / f".writable-{os.getpid()}.part"
    try:
        trial.touch()  # tried, not asked: permissions say little about a drive that is mounted read-only
        trial.unlink()
    except OSError as error:
        raise PlaceError(
            f"The folder {folder} can't be written: {error.strerror}.",
            "Choose another, or ask for permission to write there.",
        ) from None


def measured(path: Path) -> FileMark:
    """Bytes and time of last change of a file; of a folder of images all together.

    Raises
    ------
    OSError
        It is not there.
    """
    if not path.is_dir():
        status = path.stat()
        return FileMark(status.st_size, status.st_mtime_ns)
    found = [entry.stat() for entry in os.scandir(path) if entry.is_file()]
    return FileMark(sum(item.st_size for item in found), max((item.st_mtime_ns for item in found), default=0))


def discard(path: Path) -> None:
    """Remove a temporary file or folder, if it is there."""
    if path.is_dir() and not path.is_symlink():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)


def place(temporary: Path, final: Path, replace: bool) -> None:
    """Rename; without ``replace`` an existing file is kept and this is refused.

    A folder of images is only ever put in the place of another such folder.

    Parameters
    ----------
    temporary
        The checked file.
    final
        Its name from now on.
    replace
        Whether a file of that name is replaced.

    Raises
    ------
    PlaceError
        A file of that name is there, or the rename failed.
    """
    try:
        if temporary.is_dir():
            _place_folder(temporary, final, replace)
        elif replace:
            os.replace(temporary, final)
        else:
            _place_new(temporary, final)
    except FileExistsError:
        raise PlaceError(
            f"{final} is there already and was not touched.",
            "Rename or move it, choose another folder, or allow files of the same name to be replaced.",
        ) from None
    except OSError as error:
        raise PlaceError(
            f"{final} could not be written: {error.strerror}.", "Check the folder and its drive."
        ) from None


def _place_new(temporary: Path, final: Path) -> None:
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


def _place_folder(temporary: Path, final: Path, replace: bool) -> None:
    if not os.path.lexists(final):
        os.rename(temporary, final)
        return
    only_images = final.is_dir() and all(
        entry.is_file() and entry.name.startswith(f"{final.name}.") for entry in os.scandir(final)
    )
    if not replace or not only_images:
        raise FileExistsError
    old = final.with_name(f".{final.name}.old.part")
    discard(old)
    os.rename(final, old)
    os.rename(temporary, final)
    discard(old)
