"""The cuts of a batch's sources: missing media searched, new cuts looked at and taken, cuts and picks written; elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from chronocast.model.batch.batch import Batch
from chronocast.preparation.recut import Recut, Relinked, changed_sources, compare, search_in, take
from chronocast.ui.desk.desk import Desk
from chronocast.ui.desk.workers import errand

if TYPE_CHECKING:
    from chronocast.preparation.cuts import CutsWritten


def _written(made: CutsWritten, to: Path) -> str:
    told = f"{len(made.files)} files written to {to}."
    if not made.left_out:
        return told
    more = len(made.left_out) - 1
    others = f" So are {more} more." if more > 1 else " So is one more." if more else ""
    return f"{told} Left out: {made.left_out[0]}{others} Their cuts are in the OTIO files."


class CutWork(QObject):
    """``CutWork(desk)``: ``edited`` brings (what, batch); ``told`` what is waited for, "" for nothing more.

    ``said`` brings what came of it, ``failed`` a sentence.
    """

    edited = pyqtSignal(str, object)
    told = pyqtSignal(str)
    said = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.desk = desk

    def search(self, place: Path) -> None:
        """Look for missing media in a folder, elsewhere; what is found stays relinked."""
        batch, folder = self.desk.batch, self.desk.path.parent

        def failed(sentence: str) -> None:
            self.told.emit("")
            self.failed.emit(sentence)

        def done(result: Relinked) -> None:
            self.told.emit("")
            if batch == self.desk.batch:
                self.edited.emit(f"search {place.name}", result.batch)
            if result.missing:
                names = ", ".join(Path(name).name for name in result.missing[:4])
                self.failed.emit(f"Still missing after searching {place}: {names}.")
            else:
                self.said.emit(f"Found {len(result.found)} files in {place}.")

        self.told.emit(f"Searching {place.name}…")
        errand(lambda: search_in(batch, folder, self.desk.workspace.facts, [place]), done, failed)

    def look_at_new(self, sources: list[str], then: Callable[[list[str], list[Recut]], None]) -> None:
        """What the new cut of some sequences (or of all that changed) would do."""
        batch, folder = self.desk.batch, self.desk.path.parent
        names = sources or (changed_sources(self.desk.prospect) if self.desk.prospect else [])
        errand(
            lambda: compare(batch, folder, self.desk.workspace, names) if names else [],
            lambda found: then(names, found),
            self.failed.emit,
        )

    def take_new(self, sources: list[str]) -> None:
        """Take the new cut; an edit like any other."""
        batch, folder = self.desk.batch, self.desk.path.parent

        def done(taken: Batch) -> None:
            if batch == self.desk.batch:
                self.edited.emit("take the new cut", taken)

        errand(lambda: take(batch, folder, self.desk.workspace.facts, sources), done, self.failed.emit)

    def write_all(self, to: Path) -> None:
        """The cut of every source and range, as OTIO and edit lists, into a folder."""
        from chronocast.preparation.cuts import write_cuts

        batch, path = self.desk.batch, self.desk.path
        errand(
            lambda: write_cuts(batch, path, to, self.desk.workspace, edl=True),
            lambda made: self.said.emit(_written(made, to)),
            self.failed.emit,
        )

    def write_picks(self, to: Path, sources: list[str]) -> None:
        """The ranges of some sources as sub-clips, into one OTIO file."""
        from chronocast.preparation.cuts import write_picks

        batch, path = self.desk.batch, self.desk.path

        def done(count: int) -> None:
            clips = f"{count} sub-clip{'s' if count != 1 else ''}"
            self.said.emit(f"{clips} written to {to}. No film was made.")

        errand(lambda: write_picks(batch, path, to, self.desk.workspace, sources), done, self.failed.emit)
