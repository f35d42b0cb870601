"""What is done with the run: begun, paused, stopped, added to."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QMessageBox, QWidget

from chronocast.model.house import Rank
from chronocast.preparation.forecast.output_outlook import OutputOutlook
from chronocast.ui.commands import Actions
from chronocast.ui.desk.session import Session

NAMES_SHOWN = 6


class RunActions(QObject):
    """``RunActions(session, window)``.  ``said`` and ``trouble`` are sentences.

    ``refused`` is how many files can't be made as asked.
    """

    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self.session, self.window = session, window
        self.refused = 0

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        return {
            "run.begin": self.begin,
            "run.begin_replacing": lambda: self.begin(replace=True),
            "run.begin_before_others": lambda: self.begin(rank="before others"),
            "run.begin_after_others": lambda: self.begin(rank="after others"),
            "run.pause_or_resume": self.pause_or_resume,
            "run.stop": self.session.requests.stop,
            "run.retry": lambda: self.session.requests.ask("retry"),
            "run.measure": self.session.machine.measure,
            "run.probe": self.session.probe,
            "run.proxies": self.make_proxies,
        }

    def make_proxies(self) -> None:
        """Make the proxies that the batch's films want, or stop that."""
        prospect = self.session.prospect
        if self.session.going and not self.session.proxies.going:
            self.said.emit(
                "A run of this batch goes on, and needs the machine: make proxies before or after it."
            )
        elif prospect is None:
            self.said.emit("The sources are still being looked at.")
        else:
            self.session.proxies.switch(list(prospect.sources.values()))

    def begin(self, replace: bool = False, rank: Rank = "as others") -> None:
        """Begin, unless something in the way needs a decision first.

        Parameters
        ----------
        replace
            Whether files of the same name may be replaced.
        rank
            How it stands among other operators' runs of its house.
        """
        if self.session.going:
            self.session.requests.add()
            return
        view = self.session.view
        if view is None or all(item.made for item in view.outputs):
            if self.refused:
                count = f"{self.refused} file{'s' if self.refused != 1 else ''}"
                self.trouble.emit(f"{count} can't be made as asked: see what stands in the way in Plan.")
            else:
                self.said.emit("There is nothing to render: ask for something first, or everything is made.")
            return
        there = [item for item in view.outputs if not item.made and item.ready.path.exists()]
        if there and not replace:
            answer = self._ask_to_replace(there)
            if answer is None:
                return
            replace = answer
        self.session.rank = rank
        self.session.begin(replace)

    def _ask_to_replace(self, there: list[OutputOutlook]) -> bool | None:
        """Files of the same name are there: whether to replace them; None for not now."""
        files = "files of the same name are" if len(there) > 1 else "file of the same name is"
        box = QMessageBox(self.window)
        box.setText(f"{len(there)} {files} in the target folder already.")
        box.setInformativeText("\n".join(item.ready.path.name for item in there[:NAMES_SHOWN]))
        yes = box.addButton("Replace them", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Leave those and render the rest", QMessageBox.ButtonRole.AcceptRole)
        no = box.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(no)  # what can't be undone is never one key away
        box.setEscapeButton(no)
        box.exec()
        return None if box.clickedButton() is no else box.clickedButton() is yes

    def ask_about_room(self, sentence: str, replace: bool) -> None:
        """A drive is too small or can't be written, by a look at it a moment ago: begin all the same?"""
        box = QMessageBox(self.window)
        box.setText(sentence)
        box.setInformativeText(
            "Free some room, choose another target folder (Ctrl+T), or leave less free on purpose. "
            "If it is begun all the same, the run fills the drive and waits when it is full."
        )
        anyway = box.addButton("Begin all the same", QMessageBox.ButtonRole.DestructiveRole)
        no = box.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(no)
        box.setEscapeButton(no)
        box.exec()
        if box.clickedButton() is anyway:
            self.session.begin(replace, any_room=True)

    def pause_or_resume(self) -> None:
        """Freeze the run, or let it go on."""
        if self.session.run:
            self.session.requests.ask("resume" if self.session.run.paused else "pause")
