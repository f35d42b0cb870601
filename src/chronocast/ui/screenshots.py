"""Pictures of every main view, from a run of the demo made seconds before."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from chronocast.journal.workspace import Workspace

if TYPE_CHECKING:
    from chronocast.ui.window import Window

SECONDS_AT_MOST = 600.0


def take_shots(folder: Path) -> int:
    """Write the pictures to ``folder``; the exit status.

    The demo is copied to a fresh folder with a stock and ledger of its own;
    what is seen is really planned, encoded and proved.
    """
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory(prefix="chronocast-shots-") as place:
        for name in ("CHRONOCAST_DATA", "CHRONOCAST_STATE", "CHRONOCAST_CONFIG"):
            os.environ[name] = str(Path(place) / name.rsplit("_", 1)[1].lower())
        return _Shooter(folder.absolute(), Path(place)).go()


class _Shooter:
    def __init__(self, folder: Path, place: Path) -> None:
        from chronocast.ui.app import make_app

        self.folder, self.place = folder, place
        self.app = make_app()
        self.folder.mkdir(parents=True, exist_ok=True)

    def until(self, what: str, ready: Callable[[], bool], seconds: float = SECONDS_AT_MOST) -> None:
        """Let the window live until something is so."""
        end = time.monotonic() + seconds
        while not ready():
            self.app.processEvents()
            time.sleep(0.01)
            if time.monotonic() > end:
                raise TimeoutError(f"waited in vain for: {what}")

    def settle(self, seconds: float = 0.4) -> None:
        """Let the window live for a moment."""
        end = time.monotonic() + seconds
        self.until("a moment", lambda: time.monotonic() > end)

    def ask(self, window: Window) -> None:
        """What the batch is asked to keep, and a trial of one of its files; taken back afterwards."""
        from datetime import datetime, timedelta

        from chronocast.model.batch.edits import set_asked

        session, place = window.session, window.plan_place
        wanted = datetime.now().astimezone() + timedelta(minutes=9)
        asked = set_asked(
            session.batch, wanted=wanted, size_limit=16_000_000, line=8_000_000, look_floor=36.0
        )
        session.edit("ask for what is to be kept", asked)
        self.until("the answers", lambda: bool(session.desk.asked and session.desk.asked.line and place.ways))
        self.settle(1.0)
        self.shoot(window, "plan-asked-ink")
        session.undo()
        place.grid.table.setCurrentIndex(place.grid.model.index(0, 3))
        self.settle(1.0)
        box = place.try_output()
        assert box is not None
        self.until("the trial", lambda: box.told is not None)
        self.settle(1.0)
        box.grab().save(str(self.folder / "trial-ink.png"))
        box.close()
        place.grid.table.setCurrentIndex(place.grid.model.index(0, 1))
        self.settle(1.0)

    def with_stations(self, window: Window) -> None:
        """*House* with four stand-ins for workstations, and *Plan* with their lanes; they are gone afterwards."""
        from datetime import timedelta

        from chronocast.demo.house import STAND_INS, StandInHouse
        from chronocast.journal.places import data_folder
        from chronocast.model.batch.edits import set_asked
        from chronocast.model.house import Root
        from chronocast.ui.commands import HOUSE, PLAN

        house, watch = StandInHouse(self.place / "house"), window.session.house
        try:
            house.begin()
            space = Workspace()
            house.let_in(space, "desk", "desktop")
            own = space.house.belonging()
            folders = {"films": str(self.place), "stock": str(data_folder())}
            roots = (*own.roots, *(Root(name=name, path=path) for name, path in folders.items()))
            space.house.keep_belonging(own.model_copy(update={"roots": roots}))
            self.until("the stations", lambda: len(watch.house.stations) == len(STAND_INS), 120)
            self.settle(1.0)
            self.shoot(window, "house-ink")
            session = window.session
            window.go_to(PLAN)
            session.forecast_anew()
            self.until(
                "their lanes", lambda: bool(session.view and len(session.view.station.helpers) > 2), 60
            )
            assert session.view is not None
            end = session.view.time_after(session.view.finish.likely * 1.1)
            session.edit("set the time", set_asked(session.batch, wanted=end + timedelta(seconds=1)))
            bar = window.plan_place.plan_bar
            self.until("the orders", lambda: ":" in bar.wishes["in time"].text(), 60)
            grid = window.plan_place.grid
            grid.table.setCurrentIndex(grid.model.index(0, 3))
            self.settle(1.0)
            self.shoot(window, "plan-house-ink")
            session.undo()
            window.go_to(HOUSE)
        finally:
            house.end()
            Workspace().house.forget()
        self.until("nobody is there", lambda: not watch.house.hub)
        self.settle(2.0)

    def go(self) -> int:
        from chronocast.crew.local.calibrate import calibrate
        from chronocast.crew.local.device_trials import devices_tried
        from chronocast.demo.copy import copy_demo
        from chronocast.standins.device.plugged import place, plug
        from chronocast.ui import theme as themes
        from chronocast.ui.commands import CHECK, HOUSE, PLAN, RANGE, RECIPE, RUN
        from chronocast.ui.desk.session import Session
        from chronocast.ui.desk.workers import wait_for_errands
        from chronocast.ui.window import Window, _windows

        sys.stderr.write("measuring this machine…\n")
        calibrate(Workspace().paces)
        sys.stderr.write("trying its hardware encoders, and a stand-in for one…\n")
        plug(place())
        devices_tried(Workspace())

        def strips_in_sight(shown: Window) -> bool:
            rows = [row for row in shown.plan.rows[:9] if row.frames] if shown.plan else []
            strips = shown.plan_place.grid.painter.strips
            return bool(rows) and all(row.fingerprint in strips for row in rows)

        session = Session(copy_demo(self.place))
        themes.apply(self.app, themes.INK)
        window = Window(session, themes.INK)
        window.show()
        session.open()
        self.until("the first forecast", lambda: session.view is not None)
        self.until("the filmstrips", lambda: strips_in_sight(window), 60)
        sys.stderr.write("rendering the demo…\n")
        grid = window.plan_place.grid
        self.shoot(window, "plan-ink")
        assert window.plan is not None
        self.ask(window)
        walk = next(n for n, row in enumerate(window.plan.rows) if row.title == "Tide walk")
        grid.table.setCurrentIndex(grid.model.index(walk, 0))
        self.settle()
        self.shoot(window, "plan-source-ink")
        grid.table.setCurrentIndex(grid.model.index(0, 0))
        window.plan_place.open_range()
        self.show_range(window)
        self.shoot(window, "range-ink")
        window.range_place.framing.switch(True)
        window.range_place.player.go(420)
        self.settle(1.5)
        self.shoot(window, "range-framing-ink")
        window.range_place.framing.switch(False)
        window.recipe_place.open_recipe("web-720")
        window.go_to(RECIPE)
        self.settle(1.0)
        window.recipe_place.form.go_to("What picture?")
        self.settle(0.6)
        self.shoot(window, "recipe-ink")
        window.recipe_place.open_recipe("kiosk-quality")
        window.recipe_place.show_now()
        self.settle(0.6)
        window.recipe_place.form.go_to("How many bits?")
        self.settle(0.6)
        self.shoot(window, "recipe-card-ink")
        window.go_to(PLAN)
        window.run_actions.begin()

        def proved() -> int:
            return (
                sum(1 for output in session.run.outputs.values() if output.state == "proved")
                if session.run
                else 0
            )

        self.until("two outputs proved", lambda: proved() >= 2 and bool(session.run and session.run.tasks))
        self.settle(1.0)
        self.shoot(window, "run-ink")
        self.interrupt(window)
        session.requests.stop()
        self.until("the run to stop", lambda: bool(session.run and session.run.outcome))
        session.forecast()
        before = session.view
        self.until("the forecast after it", lambda: session.view is not before)
        window.go_to(CHECK)
        self.settle()
        self.shoot(window, "check-ink")
        window.go_to(HOUSE)
        self.until("what is known of this machine", lambda: window.house_place.model is not None)
        self.with_stations(window)
        window.go_to(PLAN)
        self.settle()
        window.other_theme()
        self.until("the other theme", lambda: bool(_windows) and _windows[-1] is not window)
        paper = _windows[-1]
        self.until("the filmstrips", lambda: strips_in_sight(paper), 60)
        self.settle()
        self.shoot(paper, "plan-paper")
        paper.go_to(RANGE)
        self.show_range(paper)
        self.shoot(paper, "range-paper")
        paper.go_to(RECIPE)
        self.settle(1.0)
        self.shoot(paper, "recipe-paper")
        paper.go_to(RUN)
        self.settle()
        self.shoot(paper, "run-paper")
        paper.go_to(CHECK)
        self.settle()
        self.shoot(paper, "check-paper")
        paper.other_theme()
        self.until("the first theme", lambda: _windows[-1] is not paper)
        ink = _windows[-1]
        self.fill_a_drive(ink)
        ink.close()
        wait_for_errands()
        return 0

    def condition(self, window: Window, name: str) -> None:
        """Wait until the run is known to be in a condition, and let *Run* show it."""
        from chronocast.ui.commands import RUN

        session = window.session
        self.until(
            f"the run to be {name}", lambda: session.run is not None and session.run.condition == name, 120
        )
        window.go_to(RUN)
        self.settle(1.2)

    def interrupt(self, window: Window) -> None:
        """*Run* with its runner killed; then it goes on."""
        session = window.session
        assert session.desk.journal is not None
        os.kill(int(session.desk.journal.with_suffix(".lock").read_text()), signal.SIGKILL)
        self.condition(window, "interrupted")
        self.shoot(window, "run-interrupted-ink")
        session.requests.take_up()
        self.condition(window, "going")

    def fill_a_drive(self, window: Window) -> None:
        """*Run* on a drive that is full, where one can be made that is small enough (by root)."""
        from chronocast.model.batch.edits import hold, set_folder
        from chronocast.ui.commands import PLAN

        session, drive = window.session, self.place / "Card A"
        drive.mkdir()
        mounted = ["mount", "-t", "tmpfs", "-o", "size=700k", "none", str(drive)]
        if os.geteuid() or subprocess.run(mounted, capture_output=True).returncode:
            sys.stderr.write("run-full-ink is left as it is: a small drive can only be made by root\n")
            return
        try:
            others = [output.id for output in session.batch.outputs[2:]]
            session.edit("choose a target folder", hold(set_folder(session.batch, str(drive)), others, True))
            before = session.view
            self.until("the forecast for it", lambda: session.view is not before)
            session.begin(any_room=True)
            self.condition(window, "full")
            self.until("what was said before to pass", lambda: not window.notice.isVisible(), 30)
            self.shoot(window, "run-full-ink")
            session.requests.stop()
            self.until("the run to stop", lambda: bool(session.run and session.run.outcome))
            session.undo()
            window.go_to(PLAN)
        finally:
            subprocess.run(["umount", "-l", str(drive)], capture_output=True)

    def show_range(self, window: Window) -> None:
        """*Range* with the teaser chosen, its stills there, its ends looked at."""
        place = window.range_place
        place.choose("teaser")
        self.until(
            "the pictures",
            lambda: all(box.image for box in (place.parts.here, place.parts.first, place.parts.last)),
        )
        self.until("the look at its ends", lambda: bool((row := place.standing.row()) and row.note), 30)
        self.until("the filmstrip", lambda: len(place.parts.film.stills) >= 10, 30)
        self.settle(1.0)

    def shoot(self, window: object, name: str) -> None:
        """One picture."""
        from PyQt6.QtWidgets import QWidget

        assert isinstance(window, QWidget)
        path = self.folder / f"{name}.png"
        window.grab().save(str(path))
        sys.stderr.write(f"{path}\n")
