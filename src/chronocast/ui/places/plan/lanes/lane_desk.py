"""What is done with the lanes of *Plan*: dragging, wishes, times, stations, and the night rehearsed."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime
from functools import partial

from PyQt6.QtCore import QObject, QPoint, QTimer, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QMenu

from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import (
    change_outputs,
    hold,
    in_order,
    keep_to_stations,
    move_outputs,
    set_asked,
    want_outputs,
)
from chronocast.model.batch.wishes import WISHES, Wish
from chronocast.model.errors import ModelError
from chronocast.model.show import clock_text, counted
from chronocast.model.time.moments import parse_moment
from chronocast.preparation.asked.plans import PlanAnswers, rehearsal_told
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.schedule.rehearsal import Night, Rehearsal
from chronocast.ui.commands import Actions
from chronocast.ui.desk.session import Session
from chronocast.ui.lanes.data import Drop
from chronocast.ui.lanes.forecast_lanes import lane_data, night_lanes
from chronocast.ui.lanes.lanes import Lanes
from chronocast.ui.places.plan.lanes.plan_bar import PlanBar
from chronocast.ui.places.plan.lanes.plan_words import PlanTold, plan_told

NIGHT_MS, STEP_MS = 9000, 40
"""A night goes by in so long."""


class LaneDesk(QObject):
    """``LaneDesk(session, lanes, bar, selected)``; ``selected`` gives the outputs that are chosen.

    ``said`` and ``trouble`` are sentences.
    """

    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(
        self, session: Session, lanes: Lanes, bar: PlanBar, selected: Callable[[], list[str]]
    ) -> None:
        super().__init__(lanes)  # with them it goes, and hears nothing any more
        self.session, self.lanes, self.bar, self.selected = session, lanes, bar, selected
        self.batch = Batch()
        self.view: Outlook | None = None
        self._answers: tuple[Outlook, PlanAnswers] | None = None
        self._told: tuple[Batch, PlanTold] | None = None
        self._night: Night | None = None
        self._nights: Rehearsal | None = None
        self._now = 0.0
        self._clock = QTimer(self)
        self._clock.setInterval(STEP_MS)
        self._clock.timeout.connect(self._go_on)
        lanes.moved.connect(self._dropped)
        lanes.menu_asked.connect(self._menu)
        bar.wish_taken.connect(self.take_wish)
        bar.rehearsal_asked.connect(self.rehearse)
        session.planned.connect(self._planned)
        session.rehearsed.connect(self._rehearsed)

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        return {
            "plan.rehearse": self.rehearse,
            "plan.next_wish": self.next_wish,
            "plan.make_first": lambda: self.move("first"),
            "plan.make_last": lambda: self.move("last"),
            "plan.wanted": self.ask_wanted,
            "plan.begin_at": self.ask_begin,
            "plan.any_station": lambda: self.keep_to(()),
            "plan.lanes_closer": lambda: self.lanes.closer(),
            "plan.lanes_wider": lambda: self.lanes.closer(1 / 1.6),
            "plan.lanes_all": self.lanes.show_all,
        }

    def show_plan(self, batch: Batch, view: Outlook, current: str) -> bool:
        """Show a forecast's plan; whether the lanes have other rows than before.

        Parameters
        ----------
        batch
            The batch.
        view
            Its forecast.
        current
            The output that is marked.
        """
        if view is self.view and batch is self.batch:
            return False
        rows = self.lanes.data.slots if self.lanes.data else 0
        if view is not self.view:
            self._end_night()
        self.batch, self.view = batch, view
        self._show(current)
        return self.lanes.data is not None and self.lanes.data.slots != rows

    def _show(self, current: str) -> None:
        if self.view is None:
            return
        self.lanes.show_lanes(lane_data(self.view, self.batch), current)
        told = self._told  # of the same batch a moment ago, while the newest is worked out
        if self._answers is not None and self._answers[0] is self.view:
            told = (self.batch, plan_told(self.view, self._answers[1]))
        self._told = told if told is not None and told[0] == self.batch else None
        self.bar.show_plan(self.batch, self.view, self._told[1] if self._told else None)

    def _planned(self, view: Outlook, answers: PlanAnswers) -> None:
        self._answers = (view, answers)
        if view is self.view and self._night is None:
            self._told = (self.batch, plan_told(view, answers))
            self.bar.show_plan(self.batch, view, self._told[1])

    # Edits

    def _edit(self, what: str, batch: Batch) -> None:
        self.session.edit(what, batch)

    def take_wish(self, wish: Wish) -> None:
        """Have files made in an order that is good for something else.

        Parameters
        ----------
        wish
            What for.
        """
        self._edit(f"files in {WISHES[wish].name}", set_asked(self.batch, wish=wish))
        if self.session.going:
            self.session.requests.ask("wish", {"wish": wish})

    def next_wish(self) -> None:
        """Take the next of the wishes."""
        names = list(WISHES)
        self.take_wish(names[(names.index(self.batch.wish) + 1) % len(names)])

    def _as_planned(self, batch: Batch) -> Batch:
        """A batch in the order that the plan has, as the operator's own from now on."""
        order = self.view.placement.order if self.view is not None else ()
        batch = in_order(batch, order) if batch.wish != "order" else batch
        return set_asked(batch, wish="order")

    def _dropped(self, output: str, drop: Drop) -> None:
        """A block was dropped: another order, another station, held back or released."""
        try:
            batch = self.batch if drop.held is None else hold(self.batch, [output], drop.held)
            if drop.before is not None:
                batch = move_outputs(self._as_planned(batch), [output], drop.before or None)
            if drop.station is not None:
                batch = keep_to_stations(batch, [output], [drop.station])
        except ModelError as error:
            self.trouble.emit(str(error))
            return
        self._edit(f"{self._title(output)}: {drop.words}", batch)
        if drop.held is not None:
            self.session.requests.hold_all([output], drop.held)
        if drop.before is not None:
            self._order_in_run(batch)
        self.said.emit(f"{self._title(output)}: {drop.words}. Ctrl+Z takes it back.")

    def _order_in_run(self, batch: Batch) -> None:
        run = self.session.run
        if run is not None and self.session.going:
            known = [output.id for output in batch.outputs if output.id in run.outputs]
            self.session.requests.ask("order", {"outputs": known})

    def move(self, where: str, outputs: Iterable[str] | None = None) -> None:
        """Make the chosen outputs first, or last.

        Parameters
        ----------
        where
            *first* or *last*.
        outputs
            Which; the chosen ones, if not said.
        """
        names = self._chosen(outputs)
        if not names:
            return
        batch = self._as_planned(self.batch)
        first = next((output.id for output in batch.outputs if output.id not in names), None)
        moved = move_outputs(batch, names, first if where == "first" else None)
        self._edit(f"make {counted(len(names), 'file')} {where}", moved)
        self._order_in_run(moved)

    def keep_to(self, stations: Iterable[str], outputs: Iterable[str] | None = None) -> None:
        """Keep the chosen outputs to stations; none for any.

        Parameters
        ----------
        stations
            Their names in the house.
        outputs
            Which; the chosen ones, if not said.
        """
        names, kept = self._chosen(outputs), tuple(stations)
        if names:
            where = f"only on {' and '.join(kept)}" if kept else "on any station"
            self._edit(f"{counted(len(names), 'file')} {where}", keep_to_stations(self.batch, names, kept))

    def ask_wanted(self, outputs: Iterable[str] | None = None) -> None:
        """Ask when the chosen outputs are wanted."""
        names = self._chosen(outputs)
        first = self.batch.output(names[0]) if names else None
        if first is not None and (found := self._moment("Wanted by", first.wanted)) is not None:
            self._edit("set when files are wanted", want_outputs(self.batch, names, found[0]))

    def ask_begin(self, outputs: Iterable[str] | None = None) -> None:
        """Ask before when nothing of the chosen outputs is begun."""
        names = self._chosen(outputs)
        first = self.batch.output(names[0]) if names else None
        if first is not None and (found := self._moment("Not begun before", first.not_before)) is not None:
            batch = change_outputs(self.batch, names, {"not_before": found[0]})
            self._edit("set when files are begun", batch)

    def _moment(self, words: str, present: datetime | None) -> tuple[datetime | None] | None:
        """A moment that somebody types: None where they leave it, (None,) where there is to be none."""
        now = datetime.now().astimezone()
        text, ok = QInputDialog.getText(
            self.bar,
            words,
            f"{words}: 18:30, fri 17:00, in 2 h; empty for none",
            text=clock_text(present.astimezone(), now) if present else "",
        )
        if not ok:
            return None
        if not text.strip():
            return (None,)
        try:
            return (parse_moment(text, now),)
        except ModelError as error:
            self.trouble.emit(str(error))
            return None

    def _chosen(self, outputs: Iterable[str] | None) -> list[str]:
        names = self.selected() if outputs is None else list(outputs)
        if not names:
            self.said.emit("Choose files first: cells of the grid, or blocks of the lanes.")
        return names

    def _title(self, output: str) -> str:
        blocks = self.lanes.data.blocks if self.lanes.data else ()
        held = self.lanes.data.held if self.lanes.data else ()
        return next((block.title for block in (*blocks, *held) if block.output == output), output)

    def _menu(self, output: str, at: QPoint) -> None:
        menu = self.menu_of(output)
        menu.exec(at)

    def menu_of(self, output: str) -> QMenu:
        """The menu of one output in the lanes.

        Parameters
        ----------
        output
            Its id.
        """
        menu = QMenu(self.bar)
        one = [output]

        def add(words: str, do: Callable[[], None]) -> None:
            action = menu.addAction(words)
            if action is not None:
                action.triggered.connect(lambda _=False: do())

        add("Make it first", partial(self.move, "first", one))
        add("Make it last", partial(self.move, "last", one))
        held = {block.output for block in self.lanes.data.held} if self.lanes.data else set()
        back = output in held
        add("Release it" if back else "Hold it back", partial(self._hold, output, not back))
        menu.addSeparator()
        add("Wanted by…", partial(self.ask_wanted, one))
        add("Not begun before…", partial(self.ask_begin, one))
        groups = self.lanes.data.groups if self.lanes.data else ()
        stations = dict.fromkeys(group.station for group in groups if group.station)
        if len(stations) > 1:
            menu.addSeparator()
            for station in stations:
                add(f"Only on {station}", partial(self.keep_to, [station], one))
            add("On any station", partial(self.keep_to, [], one))
        return menu

    def _hold(self, output: str, held: bool) -> None:
        self._edit("hold 1" if held else "release 1", hold(self.batch, [output], held))
        self.session.requests.hold_all([output], held)

    # The night rehearsed

    def rehearse(self) -> None:
        """Rehearse the night, or go back to the plan."""
        if self._nights is not None:
            current = self.lanes.current
            self._end_night()
            self._show(current)
            return
        if self.view is None or not self.view.outputs:
            self.said.emit("There is nothing to rehearse yet.")
            return
        self.bar.rehearse.setText("Rehearsing…")
        self.session.want_rehearsal()

    def _rehearsed(self, view: Outlook, found: Rehearsal) -> None:
        if view is not self.view:
            self.session.want_rehearsal()  # of the newest
            return
        told = rehearsal_told(found, view)
        self._nights, self._night, self._now = found, found.bad, 0.0
        shown = "Shown is a bad one: nine in ten are better."
        self.bar.show_night(" ".join([*told[:2], shown]), "\n".join([*told, shown]))
        self._clock.start()

    def _go_on(self) -> None:
        """Let the night go on a little."""
        view, night = self.view, self._night
        if view is None or night is None:
            self._clock.stop()
            return
        self._now = min(night.end, self._now + night.end * STEP_MS / NIGHT_MS)
        self.lanes.show_lanes(night_lanes(view, night, self._now, self.batch), self.lanes.current)
        if self._now >= night.end:
            self._clock.stop()

    def _end_night(self) -> None:
        self._clock.stop()
        self._night = self._nights = None
        self.bar.show_night("", "")
