"""What the desktop asks of the run that goes on: each request is answered by its runner, yes or no with a reason."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from chronocast.model.answers import Answer
from chronocast.model.batch.edits import hold, in_order, set_asked
from chronocast.ui.desk.desk import Desk
from chronocast.ui.desk.workers import errand


class RunRequests(QObject):
    """``RunRequests(desk)``: ``edited`` brings (what, batch) where the batch changes as well.

    ``said`` brings what came of a request, ``failed`` why it was refused.
    """

    edited = pyqtSignal(str, object)
    said = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.desk = desk

    def stop(self) -> None:
        """Stop the run for certain; what is finished is kept, so no question is asked."""
        from chronocast.run.client import stop_run

        journal = self.desk.journal
        if journal is not None:
            self.said.emit("Stopping. Finished files and pieces are kept; begin again to go on from there.")
            errand(lambda: stop_run(journal), self._stopped, self.failed.emit)

    def _stopped(self, sentence: str) -> None:
        self.said.emit(f"{sentence} Begin again to go on from there.")

    def hold_all(self, outputs: list[str], held: bool) -> None:
        """Hold outputs back in the run that goes on too, or release them."""
        known = [name for name in outputs if self.desk.run is not None and name in self.desk.run.outputs]
        if self.desk.going and known:
            self.ask("hold", {"outputs": known, "held": held})

    def hold_one(self, output: str, held: bool) -> None:
        """Hold an output of the run back, or release it; in the batch as well.

        Parameters
        ----------
        output
            Its id.
        held
            Whether it is held.
        """
        if self.desk.batch.output(output) is not None:
            self.edited.emit("hold 1" if held else "release 1", hold(self.desk.batch, [output], held))
        self.hold_all([output], held)

    def leave_out(self, output: str) -> None:
        """Have an output not made in the run that goes on; what is finished of it is kept."""
        done = "It is left out of this run; what is finished of it is kept. The batch still asks for it."
        self.ask("stop", {"outputs": [output]}, lambda: self.said.emit(done))

    def add(self) -> None:
        """Let outputs asked for since join the run that goes on."""
        names = self.desk.not_in_run()
        if names:
            body = {"batch": self.desk.batch.model_dump(mode="json"), "outputs": names}
            count = f"{len(names)} output{'s' if len(names) != 1 else ''}"
            self.ask("add", body, lambda: self.said.emit(f"{count} joined the run."))

    def move(self, output: str, step: int) -> None:
        """Move an output up or down in the run's order, and in the batch's: the order lasts."""
        if self.desk.run is not None and (order := self.desk.run.moved(output, step)):
            self.ask("order", {"outputs": order})
            self.edited.emit("move an output in the order", in_order(self.desk.batch, order))

    def put_before(self, output: str, before: str) -> None:
        """Make an output right before another one ("" for last), in the run's order and the batch's."""
        if self.desk.run is not None and (order := self.desk.run.put_before(output, before)):
            self.ask("order", {"outputs": order})
            self.edited.emit(
                "move an output in the order", set_asked(in_order(self.desk.batch, order), wish="order")
            )

    def ask(self, kind: str, body: Answer | None = None, then: Callable[[], None] | None = None) -> None:
        """Ask the run for something."""
        from chronocast.run.client import ask

        journal = self.desk.journal
        if journal is None:
            return

        def answered(result: tuple[bool, str]) -> None:
            if not result[0]:
                self.failed.emit(result[1])
            elif then:
                then()

        errand(lambda: ask(journal, kind, body), answered, self.failed.emit)

    def take_up(self) -> None:
        """Start the runner of the run again."""
        from chronocast.run.client import start_runner

        journal = self.desk.journal
        if journal is not None:
            errand(lambda: start_runner(journal), lambda _: None, self.failed.emit)
