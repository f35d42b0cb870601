"""*Plan*: the grid, the panel beside it, the lanes below."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSplitter,
    QStackedLayout,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from chronocast.forecast.inverse import rounded_down
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.columns import set_own
from chronocast.model.batch.edits import hold, remove_source, set_asked
from chronocast.model.errors import ModelError
from chronocast.model.lookup import Same
from chronocast.model.show import counted
from chronocast.preparation.asked.about_output import OutputAnswers
from chronocast.preparation.asked.candidates import Candidate, taken
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.several import Several, several_outputs
from chronocast.preparation.output.output_ready import Prospect
from chronocast.ui.commands import Actions
from chronocast.ui.desk.desk import Desk
from chronocast.ui.desk.session import Session
from chronocast.ui.desk.workers import errand
from chronocast.ui.lanes.lanes import Lanes
from chronocast.ui.places.place import Touched
from chronocast.ui.places.plan.asked_fields import AskedFields
from chronocast.ui.places.plan.columns import PlanColumns
from chronocast.ui.places.plan.find_bar import FindBar
from chronocast.ui.places.plan.grid import Grid
from chronocast.ui.places.plan.lanes.lane_desk import LaneDesk
from chronocast.ui.places.plan.lanes.lane_strip import LaneStrip
from chronocast.ui.places.plan.lanes.plan_bar import PlanBar
from chronocast.ui.places.plan.model import PlanModel, arranged, plan_model
from chronocast.ui.places.plan.panel.detail import Detail, detail
from chronocast.ui.places.plan.panel.panel import ForecastPanel
from chronocast.ui.places.plan.panel.plot_model import Kept, Plot, kept_of, moment_of
from chronocast.ui.places.plan.panel.several import AT_ONCE, adding_up, detail_of_several
from chronocast.ui.places.plan.panel.trial_box import TrialBox
from chronocast.ui.places.plan.source_panel import SourcePanel
from chronocast.ui.places.plan.source_sheet import source_sheet
from chronocast.ui.places.plan.strips import StripMaker
from chronocast.ui.theme import Theme, font
from chronocast.ui.widgets.table import stand_on

if TYPE_CHECKING:  # what they bring in takes long to import
    from chronocast.crew.local.trial import TrialTold


LANES_SHARE = 0.3
"""Of the window's height, lanes take no more by themselves."""
NOT_YET = "Not planned yet: its cell says what it takes."


class WaysOf(NamedTuple):
    """What other ways are shown of: an output in a forecast, or several that are chosen together."""

    view: Outlook | None
    output: str
    several: tuple[str, ...] = ()


class SumsOf(NamedTuple):
    """What is added up: some outputs of a forecast, against what a file is to have at most."""

    view: Same[Outlook]
    chosen: tuple[str, ...]
    limit: int | None


class PlanPlace(QWidget):
    """``PlanPlace(session, theme)``: sources against recipes.

    ``range_asked`` (source, range, output) asks for *Range*; ``menu_asked``
    for the menu of a cell (a point on the screen); ``said`` and ``trouble``
    are sentences.  ``notes`` says what of ranges' ends is not as it should be.
    """

    forecasts = True
    range_asked = pyqtSignal(str, str, str)
    menu_asked = pyqtSignal(QPoint)
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.notes: Callable[[], Mapping[tuple[str, int, int], str]] = dict
        self.view: Outlook | None = None
        self.whole: PlanModel | None = None
        self._shown: tuple[object, ...] = ()
        self.plan: PlanModel | None = None
        self.turned: frozenset[str] = frozenset()
        self.grid = Grid(theme)
        self.panel = ForecastPanel(theme)
        self.sheet = SourcePanel(theme)
        self.finder = FindBar()
        self.batch = Batch()
        self.prospect: Prospect | None = None
        self.lanes = Lanes(theme)
        self.plan_bar = PlanBar()
        self.lane_desk = LaneDesk(session, self.lanes, self.plan_bar, self.selected_outputs)
        self.invitation = QLabel(
            "Drop timelines, media files or whole folders here.\n\n"
            "Each becomes a source; each recipe a column. A filled cell is a file to be made.\n"
            "Ctrl+I chooses files, Ctrl+Shift+I a folder."
        )
        self.invitation.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.invitation.setFont(font(15))
        self.invitation.setObjectName("quiet")
        holder = QWidget()
        self.stack = QStackedLayout(holder)
        self.stack.addWidget(self.grid)
        self.stack.addWidget(self.invitation)
        upright = QFrame()
        upright.setObjectName("upright")
        above = QWidget()
        row = QHBoxLayout(above)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.finder)
        self.add_column = QPushButton("No recipe is a column yet: add one…   Ctrl+Shift+A")
        self.add_column.setVisible(False)
        column.addWidget(self.add_column)
        column.addWidget(holder, 1)
        self.asked = AskedFields()
        self.about = OutputAnswers()
        self._ways_of = WaysOf(None, "")
        self._sums: tuple[SumsOf | None, Several | None] = (None, None)
        self._adding: SumsOf | None = None
        beside = QWidget()
        stacked = QVBoxLayout(beside)
        stacked.setContentsMargins(0, 0, 0, 0)
        stacked.setSpacing(0)
        scrolled = QScrollArea()  # where text is large, its lines are more than there is room for
        scrolled.setWidget(self.panel)
        scrolled.setWidgetResizable(True)
        scrolled.setFrameShape(QFrame.Shape.NoFrame)
        scrolled.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scrolled.setMinimumWidth(self.panel.sizeHint().width())
        stacked.addWidget(scrolled, 1)
        stacked.addWidget(self.asked)
        self.forecast_side = beside
        self.side = QStackedWidget()
        self.side.addWidget(beside)
        self.side.addWidget(self.sheet)
        self.side.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        row.addWidget(left, 1)
        row.addWidget(upright)
        row.addWidget(self.side)
        splitter = QSplitter(Qt.Orientation.Vertical)
        splitter.addWidget(above)
        self.strip_of_lanes = LaneStrip(self.plan_bar, self.lanes)
        splitter.addWidget(self.strip_of_lanes)
        splitter.setStretchFactor(0, 1)
        splitter.setStretchFactor(1, 0)
        splitter.setCollapsible(0, False)
        splitter.setCollapsible(1, False)
        splitter.setHandleWidth(1)
        self.splitter = splitter
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(splitter)
        self.columns = PlanColumns(session, self.grid)
        self.add_column.clicked.connect(lambda _=False: self.columns.add())
        self.strips = StripMaker(self)
        self.strips.made.connect(self._strip)
        self.grid.painter.want = self._want_strip
        self.grid.current_changed.connect(self._chosen)
        self.grid.selection_changed.connect(lambda: self._chosen(self.grid.current_output()))
        self.grid.fill_asked.connect(session.fill)
        self.grid.menu_asked.connect(self.menu_asked)
        self.grid.range_asked.connect(self.open_range)
        self.finder.changed.connect(self._arrange)
        self.finder.left.connect(self.grid.table.setFocus)
        self.lanes.chosen.connect(self._go_to)
        self.lane_desk.said.connect(self.said)
        self.lane_desk.trouble.connect(self.trouble)
        self.asked.edited.connect(session.edit)
        self.asked.trouble.connect(self.trouble)
        self.panel.plot.trouble.connect(self.trouble)
        self.panel.plot.kept_set.connect(self._keep)
        self.panel.plot.way_taken.connect(self._take_way)
        session.ways.connect(self._show_ways)

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        return {
            "plan.try": self.try_output,
            "plan.ahead": self.render_ahead,
            "plan.hold": self.hold,
            "plan.fold": self.fold,
            **self.lane_desk.commands(),
            **self.columns.commands(),
        }

    def enter(self) -> None:
        """Take the keyboard."""
        self.grid.table.setFocus()

    def leave(self) -> None:
        """Make no more strips."""
        self.strips.leave()

    def take_over(self, other: PlanPlace) -> None:
        """Nothing but the batch and its forecast is shown here."""

    # What is shown

    def show_desk(self, desk: Desk, touched: Touched) -> None:
        """Show another state of the batch or its forecast."""
        if not touched & {"batch", "forecast"}:
            return
        self.batch, self.prospect, self.view = desk.batch, desk.prospect, desk.view
        self.asked.show_asked(desk.batch, desk.asked)
        notes = self.notes()
        shown = (*map(Same, (desk.batch, desk.prospect, desk.view, desk.before, desk.figures)), notes)
        if shown == self._shown:
            return
        self._shown = shown
        self.whole = plan_model(
            desk.batch, desk.prospect, desk.view, desk.before, notes, figures=desk.figures
        )
        self._arrange()

    def _arrange(self) -> None:
        """Show the plan as found and ordered in the line above it."""
        if self.whole is None:
            return
        find, batch, view = self.finder, self.batch, self.view
        self.plan = plan = arranged(self.whole, find.words.text(), find.order.currentText(), self.turned)
        sources = sum(not row.indented for row in plan.rows)
        find.show_count(sources, len(batch.sources))
        find.setVisible(len(batch.sources) > 5)
        self.stack.setCurrentWidget(self.grid if batch.sources else self.invitation)
        self.add_column.setVisible(bool(batch.sources) and not batch.recipes)
        self.grid.show_plan(plan)
        if view is not None and self.lane_desk.show_plan(batch, view, self.grid.current_output()):
            high = sum(self.splitter.sizes())  # stations came or went: their rows want room
            wanted = self.lanes.sizeHint().height() + self.plan_bar.sizeHint().height()
            wanted = min(wanted, round(high * LANES_SHARE))
            if high:  # else it isn't shown yet, and takes the sizes that its parts ask for
                self.splitter.setSizes([high - wanted, wanted])
        data = self.lanes.data  # where everything is made there is nothing to plan
        self.strip_of_lanes.setVisible(data is None or bool(data.blocks or data.held))
        self._chosen(self.grid.current_output())

    def _want_strip(self, key: str, source: str, frames: tuple[int, ...]) -> None:
        """A strip that the grid would show, unless the batch is opened with care."""
        ready = self.prospect.sources.get(source) if self.prospect else None
        if ready is not None and not self.session.desk.careful:
            self.strips.want(key, ready.cut, frames)

    def _strip(self, key: str, image: QImage) -> None:
        self.grid.painter.strips[key] = image
        viewport = self.grid.table.viewport()
        if viewport:
            viewport.update()

    # What is done

    def find_sources(self) -> None:
        """Into the line above the grid."""
        self.finder.setVisible(True)
        self.finder.words.setFocus()
        self.finder.words.selectAll()

    def open_range(self) -> None:
        """Ask for the source, range or output that is current in the grid, in *Range*."""
        self.range_asked.emit(*self.grid.current_range())

    def fold(self) -> None:
        """Fold the ranges of the selected sources, or unfold them."""
        self.turned = self.turned ^ frozenset(self.grid.selected_sources())
        self._arrange()

    def fill(self) -> None:
        """Ask for the selected cells, or no longer."""
        self.grid.table.fill_asked.emit()

    def remove(self) -> None:
        """Take the selected sources out of the batch (their files are not touched)."""
        batch, names = self.batch, self.grid.selected_sources()
        for name in names:
            batch = remove_source(batch, name)
        self.session.edit(f"remove {len(names)} source{'s' if len(names) != 1 else ''}", batch)

    def render_ahead(self) -> None:
        """Encode the selected outputs ahead, all of them where none is selected; or stop that."""
        self.session.render_ahead(self.selected_outputs())

    def selected_outputs(self) -> list[str]:
        """The outputs of the selected cells that are asked for."""
        return [output.id for output in self.plan.outputs(self.grid.selected())] if self.plan else []

    def hold(self) -> None:
        """Hold back the selected outputs, or release them."""
        if self.plan is None:
            return
        chosen = self.plan.outputs(self.grid.selected())
        if chosen:
            held = not all(output.held for output in chosen)
            names = [output.id for output in chosen]
            self.session.edit(f"{'hold' if held else 'release'} {len(names)}", hold(self.batch, names, held))
            self.session.requests.hold_all(names, held)

    def _chosen(self, output: str) -> None:
        chosen = tuple(self.selected_outputs())
        self.lanes.set_current(output, chosen)
        source = self.grid.current_source()
        self.side.setCurrentWidget(self.sheet if source else self.forecast_side)
        if source:
            self.sheet.show_sheet(source_sheet(self.batch, self.prospect, source))
            return
        empty = "Choose a cell to see its forecast."
        if self.plan and self.plan.rows and not output:
            empty = "Nothing is asked for here. Space asks for it."
        elif output and self.view is None:
            known = self.plan is not None and (at := self.plan.place(output)) and self.plan.cell(*at).size
            empty = NOT_YET if known else "The forecast is being made."
        held = self.plan.cell(*at).held if self.plan and output and (at := self.plan.place(output)) else False
        told, several = None, tuple[str, ...]()
        if self.view and output:
            if len(chosen) > 1 and output in chosen and self.view.output(output):
                told = self._several(chosen)
                several = chosen if told else ()
            told = told or detail(self.view, output)
        self.panel.show_detail(told, "Held back; release it to forecast it." if held else empty)
        if told is None or self.view is None:
            return
        if self._ways_of[1:] != (output, several):
            self._show_about(OutputAnswers())
        self._ways_of = WaysOf(self.view, output, several)
        self.session.want_ways(output, several)
        self._show_plot()

    def _several(self, chosen: tuple[str, ...]) -> Detail | None:
        """What several outputs come to: of very many, once it is added up."""
        view, limit = self.view, self.batch.size_limit
        if view is None:
            return None
        asked = SumsOf(Same(view), chosen, limit)
        if len(chosen) <= AT_ONCE:
            self._sums = asked, several_outputs(view, chosen, limit)
        elif self._sums[0] != asked:
            if self._adding != asked:
                self._adding = asked
                errand(lambda: (asked, several_outputs(view, chosen, limit)), self._added, self.trouble.emit)
            return adding_up(len(chosen))
        known = self._sums[1]
        return detail_of_several(self.batch, view, known) if known else None

    def _added(self, sums: tuple[SumsOf, Several | None]) -> None:
        """Very many chosen outputs are added up."""
        if sums[0] == self._adding:
            self._sums = sums
            self._chosen(self.grid.current_output())

    def _show_plot(self) -> None:
        view, output, several = self._ways_of
        told = self.panel.detail
        if view is not None and told is not None:
            kept = Kept() if several else kept_of(self.batch, view, output)
            plot = Plot(told.points, self.ways, kept, bool(several))
            self.panel.plot.show_plot(plot, view, output)

    @property
    def ways(self) -> tuple[Candidate, ...]:
        """Ways to make the chosen outputs, the present one first."""
        return self.about.ways

    def _show_ways(self, view: Outlook, output: str, about: OutputAnswers) -> None:
        if view is self._ways_of.view and (output, about.several) == self._ways_of[1:]:
            self._show_about(about)
            self._show_plot()

    def _show_about(self, about: OutputAnswers) -> None:
        self.about = about
        self.asked.show_about(about)

    def _keep(self, name: str, kept: Kept) -> None:
        """A line of the plot was dragged: ask for what it stands for."""
        view, output, _ = self._ways_of
        if view is None:
            return
        batch, words = self.batch, {"limit": "size limit", "wanted": "time wanted", "line": "line"}
        if name == "limit":
            batch = set_asked(batch, size_limit=round(rounded_down(kept.limit)) if kept.limit else None)
        elif name == "wanted":
            wanted = moment_of(view, output, kept.left) if kept.left is not None else None
            batch = set_asked(batch, wanted=wanted)
        else:
            batch = set_asked(batch, line=round(rounded_down(kept.line)) if kept.line else None)
        self.session.edit(f"set the {words[name]}", batch)

    def try_output(self) -> TrialBox | None:
        """Try a few seconds of the chosen output, and look at them beside the original: the box, if there is one."""
        ready = self.prospect.output(self._ways_of.output) if self.prospect else None
        if ready is None or not self.grid.current_output():
            self.said.emit("Choose a cell that is asked for: a trial is of a file.")
            return None
        workspace, title = self.session.workspace, f"{ready.title} · {ready.recipe.title}"

        from chronocast.crew.local.trial import at_floor, hold_trial

        def hold(folder: Path, progress: Callable[[int, int], None]) -> TrialTold:
            return hold_trial(ready, workspace, folder, progress=progress)

        def again(told: TrialTold, floor: float) -> TrialTold:
            return at_floor(ready, told.trial, floor, workspace)

        box = TrialBox(self.panel.theme, title, hold, again, self)
        box.taken.connect(lambda values: self._take_values(values, "the least that keeps it"))
        box.finished.connect(lambda _: self.session.forecast_anew())
        box.show()
        return box

    def _take_way(self, way: Candidate) -> None:
        """Make the chosen outputs that way, as exceptions from their recipes."""
        self._take_values(way.values, way.words)

    def _take_values(self, values: Mapping[str, Any], words: str) -> None:
        if self.plan is None or self.prospect is None:
            return
        like, chosen = self.prospect.output(self._ways_of.output), self.selected_outputs()
        readies = [self.prospect.output(name) for name in chosen]
        able = [r.output.id for r in readies if r and like and taken(r.recipe, values, like.recipe)]
        left = len(chosen) - len(able) if able else 0
        chosen = able or [self._ways_of.output]
        files = counted(len(chosen), "file")
        try:
            self.session.edit(f"{words}, for {files}", set_own(self.batch, chosen, dict(values)))
        except ModelError as error:
            self.trouble.emit(str(error))
            return
        stay = f"; {counted(left, 'other')} can't be made so and stay as they are" if left else ""
        self.said.emit(f"{words[0].upper()}{words[1:]}, for {files}{stay}. Ctrl+Z takes it back.")

    def go_to_source(self, source: str) -> None:
        """Stand on a source, whatever was looked for in the line above."""
        self.finder.words.clear()
        rows = self.plan.rows if self.plan else ()
        number = next((n for n, row in enumerate(rows) if row.source == source), None)
        if number is not None:
            stand_on(self.grid.table, self.grid.model.index(number, 0))
            self.grid.table.setFocus()

    def _go_to(self, output: str) -> None:
        if self.plan and (at := self.plan.place(output)):
            stand_on(self.grid.table, self.grid.model.index(at[0], at[1] + 1))
