"""What is done with the batch as a whole: each asks what it must and hands on an edit."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PyQt6.QtCore import QObject, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from chronocast.journal.documents import BATCH_ENDING, save_batch
from chronocast.journal.settings import load_settings, save_settings
from chronocast.model.batch.batch import MOST_TITLE, portable, resolve
from chronocast.model.batch.edits import accept_media, set_folder
from chronocast.model.batch.moving import as_from
from chronocast.model.errors import ChronocastError
from chronocast.model.recipe.typed import parse_bytes
from chronocast.model.show import size_text
from chronocast.model.source.cutlist import media_title
from chronocast.preparation.recut import Recut
from chronocast.ui.commands import Actions
from chronocast.ui.desk.desk import new_batch
from chronocast.ui.desk.session import Session
from chronocast.ui.places.plan.source_sheet import recut_lines
from chronocast.ui.theme import Theme

EDIT_LIST_RATES = ("23.976", "24", "25", "29.97", "30", "50", "59.94", "60")
"""Frames a second that an edit list may be of."""


def _with_ending(name: str) -> Path:
    return Path(name if name.endswith(BATCH_ENDING) else name + BATCH_ENDING)


class BatchActions(QObject):
    """``BatchActions(session, theme, window)``.  ``said`` and ``trouble`` are sentences; ``batch_asked`` another batch.

    ``batch_asked`` brings the path of a batch to open, or None for a new one; ``batch_moved`` that of the batch
    itself, whose file was moved, and its history there.
    """

    said = pyqtSignal(str)
    trouble = pyqtSignal(str)
    batch_asked = pyqtSignal(object)
    batch_moved = pyqtSignal(object, object)

    def __init__(self, session: Session, theme: Theme, window: QWidget) -> None:
        super().__init__(window)
        self.session, self.theme, self.window = session, theme, window

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        return {
            "batch.new": self.make_new,
            "batch.open": self.open_batch,
            "batch.rename": self.rename,
            "batch.move": self.move,
            "batch.save_copy": self.save_copy,
            "batch.bring_in_files": self.bring_in_files,
            "batch.bring_in_folder": self.bring_in_folder,
            "batch.open_target": self.open_target,
            "batch.choose_target": self.choose_target,
            "batch.choose_reserve": self.choose_reserve,
            "batch.name_files": self.name_files,
            "batch.search_media": self.search_media,
            "batch.take_cut": lambda: self.take_cut([]),
            "batch.write_cuts": self.write_cuts,
            "batch.undo": self.session.undo,
            "batch.redo": self.session.redo,
        }

    def _folder(self, title: str) -> Path | None:
        """A folder that a person chooses, or None."""
        name = QFileDialog.getExistingDirectory(self.window, title, str(self.session.path.parent))
        return Path(name) if name else None

    def open_batch(self) -> None:
        """Choose a batch."""
        name, _ = QFileDialog.getOpenFileName(
            self.window, "Open a batch", str(self.session.path.parent), f"Batches (*{BATCH_ENDING})"
        )
        if name:
            self.batch_asked.emit(Path(name))

    def make_new(self) -> None:
        """Another batch, named and placed: beside this one's sources, unless somewhere else is chosen."""
        folder = self._beside_sources()
        proposed, number = folder / f"{date.today():%Y-%m-%d}{BATCH_ENDING}", 1
        while proposed.exists():
            number += 1
            proposed = folder / f"{date.today():%Y-%m-%d} {number}{BATCH_ENDING}"
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Name and place the new batch", str(proposed), f"Batches (*{BATCH_ENDING})"
        )
        if not name:
            return
        path = _with_ending(name)
        if path.exists():
            self.trouble.emit(f"{path} is there already and was not touched. Choose another name.")
            return
        try:
            title = path.name.removesuffix(BATCH_ENDING)[:MOST_TITLE]
            save_batch(new_batch().model_copy(update={"title": title}), path)
        except ChronocastError as error:
            self.trouble.emit(str(error))
            return
        self.batch_asked.emit(path)

    def _beside_sources(self) -> Path:
        """The folder that holds the first source's folder; the batch's own where there is none."""
        here = self.session.path.parent
        sources = self.session.batch.sources
        return resolve(sources[0].path, here).parent if sources else here

    def rename(self) -> None:
        """Give the batch another title."""
        text, ok = QInputDialog.getText(
            self.window, "Rename the batch", "What the batch is called", text=self.session.batch.title
        )
        words = " ".join(text.split())[:MOST_TITLE]
        if ok and words and words != self.session.batch.title:
            self.session.edit("rename the batch", self.session.batch.model_copy(update={"title": words}))

    def move(self) -> None:
        """Move the batch's file, beside its sources unless another place is chosen; the window goes with it."""
        session = self.session
        name = session.path.name
        if name.startswith("untitled"):
            name = f"{session.batch.title.replace('/', '-')}{BATCH_ENDING}"
        to, _ = QFileDialog.getSaveFileName(
            self.window,
            "Move the batch's file",
            str(self._beside_sources() / name),
            f"Batches (*{BATCH_ENDING})",
        )
        if not to or (path := _with_ending(to)) == session.path:
            return
        if session.desk.conflict:
            self.trouble.emit(
                "Decide first which of the two batches is right: the one here, or the one on disk."
            )
            return
        from chronocast.run.moving import move_batch

        old, new = session.path.absolute().parent, path.absolute().parent
        try:
            session.desk.save()  # what was just edited isn't written to the old place later
            move_batch(session.batch, session.path, path)
        except ChronocastError as error:
            self.trouble.emit(str(error))
            return
        self.batch_moved.emit(path, session.desk.history.through(lambda batch: as_from(batch, old, new)))

    def open_target(self) -> None:
        """Open the folder that files go to, in the desktop's own way."""
        folder = resolve(self.session.batch.folder, self.session.path.parent)
        if folder.is_dir():
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))
        else:
            self.said.emit(f"{folder} isn't there yet: it is made with the first file.")

    def save_copy(self) -> None:
        """Write a copy of the batch somewhere else (the batch itself is saved at every edit)."""
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Save a copy of the batch", str(self.session.path), f"Batches (*{BATCH_ENDING})"
        )
        if name:
            path = _with_ending(name)
            if path.exists() and path != Path(name):  # nobody was asked about that one
                self.trouble.emit(f"{path} is there already and was not touched. Choose another name.")
                return
            try:
                save_batch(self.session.batch, path)
                self.said.emit(f"A copy of the batch was written to {path}. No film was made.")
            except ChronocastError as error:
                self.trouble.emit(str(error))

    def bring_in_files(self) -> None:
        """Choose files."""
        names, _ = QFileDialog.getOpenFileNames(
            self.window, "Bring in media and timelines", str(self.session.path.parent)
        )
        if names:
            self.session.gather([Path(name) for name in names])

    def bring_in_folder(self) -> None:
        """Choose a folder."""
        if folder := self._folder("Bring in a folder"):
            self.session.gather([folder])

    def ask_rate(self, paths: list[Path]) -> None:
        """Edit lists and numbered images don't say their rate: ask, then bring them in."""
        names = ", ".join(media_title(path.name) for path in paths[:3])
        names += " and more" if len(paths) > 3 else ""
        question = f"{names}: edit lists and numbered images don't say their frame rate. It is"
        rate, said = QInputDialog.getItem(self.window, "Frames per second", question, EDIT_LIST_RATES, 2)
        if said:
            self.session.gather(paths, rate)

    def choose_target(self) -> None:
        """Choose where the files go."""
        if folder := self._folder("Where the files go"):
            batch = set_folder(self.session.batch, portable(folder, self.session.path.parent))
            self.session.edit("choose the target folder", batch)

    def choose_reserve(self) -> None:
        """How much is left free on every drive on purpose."""
        text, said = QInputDialog.getText(
            self.window,
            "Left free on every drive",
            "Leave at least so much free (on small drives at most a twentieth):",
            text=size_text(load_settings().reserve_bytes),
        )
        if said:
            try:
                save_settings(load_settings().model_copy(update={"reserve_bytes": parse_bytes(text)}))
            except ChronocastError as error:
                self.trouble.emit(str(error))
                return
            self.session.forecast()

    def name_files(self) -> None:
        """The pattern for names, and what every file would be called."""
        from chronocast.ui.places.plan.names_box import NamesBox

        box = NamesBox(self.theme, self.session.batch, self.window)
        if box.exec():
            self.session.edit("name the files", box.batch)

    def search_media(self) -> None:
        """Choose a folder to look for missing media in."""
        if folder := self._folder("Where the missing media may be"):
            self.session.cuts.search(folder)

    def take_cut(self, sources: list[str]) -> None:
        """Look at what the new cut would change; take it if a person says so."""

        def look(names: list[str], recuts: list[Recut]) -> None:
            if not names:
                self.said.emit("No sequence has changed.")
                return
            titles = ", ".join(s.name for s in self.session.batch.sources if s.id in names)
            answer = QMessageBox(self.window)
            answer.setText(f"Take {titles} as it is now?")
            answer.setInformativeText("\n".join(recut_lines(recuts)) or "No output is made of it.")
            yes = answer.addButton("Take it", QMessageBox.ButtonRole.AcceptRole)
            answer.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)
            answer.exec()
            if answer.clickedButton() is yes:
                self.session.cuts.take_new(names)

        self.session.cuts.look_at_new(sources, look)

    def accept_damage(self, sources: list[str]) -> None:
        """Accept what is damaged in some sources: their files show it, and their checks say so."""
        prospect = self.session.prospect
        if prospect is None:
            return
        marks = {
            source: tuple(facts.fingerprint for facts in ready.facts.values() if facts.damage)
            for source in sources
            if (ready := prospect.sources.get(source))
        }
        batch = accept_media(self.session.batch, marks)
        count = f"{len(sources)} source{'s' if len(sources) != 1 else ''}"
        self.session.edit(f"accept the damage of {count}", batch)

    def write_cuts(self) -> None:
        """Choose a folder for the cut of every source and range."""
        if folder := self._folder("Where the cuts go"):
            self.session.cuts.write_all(folder)

    def write_picks(self, identifier: str) -> None:
        """Choose a file for the ranges of a source, as sub-clips."""
        source = self.session.batch.source(identifier)
        if source is None or not source.ranges:
            self.said.emit("This source has no ranges to write yet.")
            return
        proposed = self.session.path.parent / f"{source.name} sub-clips.otio"
        name, _ = QFileDialog.getSaveFileName(self.window, "Write sub-clips", str(proposed), "OTIO (*.otio)")
        if name:
            self.session.cuts.write_picks(Path(name), [source.id])

    def show_differences(self, lines: list[str]) -> None:
        """What is otherwise on disk than here."""
        box = QMessageBox(self.window)
        box.setWindowTitle("This window and the file on disk")
        box.setText("What is otherwise in this window than on disk:" if lines else "Both say the same.")
        box.setInformativeText("\n".join(lines))
        box.addButton("Close", QMessageBox.ButtonRole.RejectRole)
        box.open()
