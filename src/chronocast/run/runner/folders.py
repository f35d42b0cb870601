"""Where a run's outputs go, and whether the drives they need are there."""

from __future__ import annotations

from pathlib import Path

from chronocast.deliver.place import FolderGone, PlaceError, existing_folder, make_folder, mount_point
from chronocast.journal.batches.batch_key import batch_key
from chronocast.media.source.images import is_there
from chronocast.model.paths import real_path
from chronocast.preparation.output.output_ready import OutputReady


def media_of(ready: OutputReady) -> set[Path]:
    """Every file that an output's source is read from."""
    return {ready.source.path, *(Path(real_path(path)) for path in ready.source.facts)}


class Folders:
    """``Folders(batch)``: the folders that a batch's outputs go to.

    ``drives`` is the mount point each folder had when the run began, so that
    an empty mount point is not written into.
    """

    def __init__(self, batch: Path) -> None:
        self.home = batch.parent
        self.mark = batch_key(batch)[:8]
        self.drives: dict[Path, Path] = {}

    def temporary(self, ready: OutputReady, attempt: int) -> Path:
        """Where a join's attempt writes: beside the file it becomes."""
        return ready.path.with_name(f".{ready.path.name}.{self.mark}-{attempt}.part")

    def make(self, ready: OutputReady) -> None:
        """Make the folder an output goes to, unless it has gone with its drive.

        Raises
        ------
        PlaceError
            It can't be had.
        """
        folder = ready.path.parent
        make_folder(folder, self.home, media_of(ready), self.drives.get(folder))

    def remember(self, ready: OutputReady) -> None:
        """Make an output's folder and remember which drive it is on.

        Raises
        ------
        PlaceError
            It can't be had.
        """
        self.make(ready)
        self.drives.setdefault(ready.path.parent, mount_point(ready.path.parent))

    def drive_of(self, ready: OutputReady) -> str:
        """The mount point of its folder when the run began."""
        return str(self.drives.get(ready.path.parent, ""))

    def gone(self, ready: OutputReady) -> str:
        """A sentence if the drive an output goes to was taken out since the run began."""
        try:
            self.make(ready)
        except FolderGone as error:
            return str(error)
        except PlaceError:
            pass
        return ""

    def is_back(self, ready: OutputReady) -> bool:
        """Whether the folder an output goes to, and all media it needs, are there."""
        media, folder = media_of(ready), ready.path.parent
        there = existing_folder(folder, self.home, media, self.drives.get(folder))
        return there and all(is_there(str(path)) for path in media)
