"""This machine and its stock, as the desktop looks after them: measured, tried, tidied, each off the interface's thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from chronocast.model.stages import HERE
from chronocast.ui.desk.workers import errand

if TYPE_CHECKING:
    from chronocast.forecast.station import Load
    from chronocast.journal.workspace import Workspace
    from chronocast.pieces.tidying import Tidying
    from chronocast.preparation.station_known import StationKnown
    from chronocast.preparation.stock_keeping import StockKnown

AGAIN_MS = 10 * 60_000
"""How long after a busy minute this machine is measured again."""


class AtWork(NamedTuple):
    """What it is doing besides: whether a run needs it, and what others took of it when it was last looked at."""

    runs: bool
    load: Load | None


class MachineWork(QObject):
    """``MachineWork(workspace, at_work)``: ``at_work`` says what the machine is doing when it is asked.

    ``told`` brings what is waited for, "" for nothing more; ``said`` what came of it; ``failed`` a sentence;
    ``known_anew`` that forecasts have something new to rest on.
    """

    told = pyqtSignal(str)
    said = pyqtSignal(str)
    failed = pyqtSignal(str)
    known_anew = pyqtSignal()

    def __init__(
        self, workspace: Workspace, at_work: Callable[[], AtWork], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.workspace, self._at_work = workspace, at_work
        self._measuring: Any = None
        self._trying: Any = None
        self._ended = False

    def end(self) -> None:
        """End what is being measured or tried."""
        self._ended = True
        for apart in (self._measuring, self._trying):
            if apart is not None:
                apart.end()

    def _wait_for(self, sentence: str, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Do something elsewhere and say so meanwhile."""

        def over(result: Any) -> None:
            self.told.emit("")
            done(result)

        def failed(told: str) -> None:
            self.told.emit("")
            self.failed.emit(told)

        self.told.emit(sentence)
        errand(work, over, failed)

    # The machine

    def read_station(self, done: Callable[[StationKnown], None]) -> None:
        """Read what is known of this machine, elsewhere; ``done`` gets it."""
        space, load = self.workspace, self._at_work().load

        def work() -> StationKnown:
            from chronocast.preparation.station_known import station_known

            return station_known(space, load)

        errand(work, done, self.failed.emit)

    def measure(self) -> None:
        """Calibrate this machine, in a process that goes when we go."""
        from chronocast.crew.local.calibrate import Apart

        if self._measuring is not None:
            return
        self._measuring = apart = Apart()

        def work() -> bool:
            try:
                return apart.wait()
            finally:
                self._measuring = None

        def over(measured: bool) -> None:
            if measured and self.workspace.paces.of().busy:
                self.said.emit(
                    "This machine was busy with something else while it was measured, so times stay wide. "
                    "It is measured again by itself."
                )
                QTimer.singleShot(AGAIN_MS, self._measure_again)
            elif measured:
                self.said.emit("This machine is measured; times are narrower now.")
            self.known_anew.emit()

        self._wait_for("Measuring this machine (under half a minute)…", work, over)

    def _measure_again(self) -> None:
        """After a busy minute: another trial, unless a run or the operator needs the machine."""
        if self._ended:
            return
        if self._at_work().runs:
            QTimer.singleShot(AGAIN_MS, self._measure_again)
        else:
            self.measure()

    def learn_anew(self, done: Callable[[Any], None]) -> None:
        """Let what pieces took here no longer speak of this machine's pace; ``done`` gets how many there were."""
        space = self.workspace

        def work() -> int:
            if not space.has_ledger:
                return 0
            with space.ledger() as ledger:
                return ledger.forget_pace(HERE)

        errand(work, done, self.failed.emit)

    def try_encoders(self, done: Callable[[], None]) -> None:
        """Try this machine's hardware encoders, each in a process of its own; then forecast anew."""
        from chronocast.crew.local.device_trials import DeviceTrials, devices_tried

        if self._trying is not None:
            return
        space, self._trying = self.workspace, (trials := DeviceTrials())

        def work() -> None:
            try:
                devices_tried(space, again=True, trials=trials)
            finally:
                self._trying = None

        def over(_: object) -> None:
            done()
            self.known_anew.emit()

        self._wait_for("Trying this machine's hardware encoders…", work, over)

    # Its stock

    def read_stock(self, done: Callable[[StockKnown], None]) -> None:
        """Read what the stock holds, elsewhere; ``done`` gets it."""
        from chronocast.preparation.stock_keeping import stock_known

        errand(lambda: stock_known(self.workspace), done, self.failed.emit)

    def plan_tidying(self, most_bytes: int, done: Callable[[Tidying], None]) -> None:
        """Find out what would go from the stock, elsewhere; ``done`` gets it."""
        from chronocast.preparation.stock_keeping import plan_tidying

        errand(lambda: plan_tidying(self.workspace, most_bytes=most_bytes), done, self.failed.emit)

    def tidy_stock(self, plan: Tidying, done: Callable[[int], None]) -> None:
        """Remove what was planned from the stock, elsewhere; ``done`` gets the bytes that came free."""
        from chronocast.preparation.stock_keeping import carry_out_tidying

        errand(lambda: carry_out_tidying(self.workspace, plan), done, self.failed.emit)
