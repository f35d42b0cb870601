"""Proxies made while the desktop is open, by a run of their own: begun, told of, stopped at any time."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from chronocast.model.show import counted
from chronocast.ui.desk.to_go import ToGo
from chronocast.ui.desk.workers import errand

if TYPE_CHECKING:
    from chronocast.journal.workspace import Workspace
    from chronocast.preparation.source.source_ready import SourceReady
    from chronocast.run.view import RunView


class ProxyWork(QObject):
    """``ProxyWork(workspace)``: ``told`` brings how far it is, "" when it is over; ``said`` a sentence; ``failed`` one of trouble.

    ``made`` says that there are more proxies than before.
    """

    told = pyqtSignal(str)
    said = pyqtSignal(str)
    failed = pyqtSignal(str)
    made = pyqtSignal()

    def __init__(self, workspace: Workspace, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.workspace = workspace
        self._stop: threading.Event | None = None
        self._seen: frozenset[str] = frozenset()

    @property
    def going(self) -> bool:
        """Whether proxies are being made."""
        return self._stop is not None

    def by_themselves(self, sources: Sequence[SourceReady]) -> None:
        """Make them if they are to be made so, of films that weren't looked at before; quietly where none is wanted."""
        from chronocast.journal.settings import load_settings

        films = frozenset(facts.fingerprint for ready in sources for facts in ready.facts.values())
        if self.going or films <= self._seen or load_settings().proxies != "by themselves":
            return
        self._seen |= films
        self._begin(sources, quiet=True)

    def switch(self, sources: Sequence[SourceReady]) -> None:
        """Make the proxies that some sources want; where that goes on already, stop it."""
        if self._stop is None:
            self._begin(sources)
        else:
            self._stop.set()
            self.told.emit("Stopping; what is finished is kept…")

    def _begin(self, sources: Sequence[SourceReady], quiet: bool = False) -> None:
        stop = self._stop = threading.Event()

        def work() -> str:
            from chronocast.preparation.proxies import plan_proxies, proxies_begun, proxies_told
            from chronocast.run.quiet import run_quietly

            plan = plan_proxies(sources, self.workspace)
            if plan.films or not quiet:
                self.said.emit(proxies_told(plan, self.workspace))
            if not plan.films:
                return ""
            to_go = ToGo()

            def progress(view: RunView) -> None:
                share = view.frames_done / view.frames if view.frames else 0.0
                films = counted(len(plan.films), "proxy", "proxies")
                self.told.emit(f"Making {films} (the same command stops it): {share:.0%}{to_go.left(share)}")

            batch, path = proxies_begun(plan.films, self.workspace)
            view = run_quietly(batch, path, progress, stop.is_set)
            done = sum(output.state == "proved" for output in view.outputs.values())
            wrong = next((o.reason for o in view.outputs.values() if o.state == "needs you"), "")
            return f"{done} of {counted(len(plan.films), 'proxy', 'proxies')} made." + (
                f" {wrong}" if wrong else ""
            )

        def over(sentence: str) -> None:
            self._ended()
            if sentence:
                self.said.emit(sentence)
                self.made.emit()

        def failed(sentence: str) -> None:
            self._ended()
            self.failed.emit(sentence)

        if not quiet:
            self.told.emit("Looking for films that are slow to look at…")
        errand(work, over, failed)

    def _ended(self) -> None:
        self._stop = None
        self.told.emit("")

    def stop(self) -> None:
        """Stop it; proxies that are finished are kept."""
        if self._stop is not None:
            self._stop.set()
