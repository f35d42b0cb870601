"""*Plan*: the grid, the panel beside it, the lanes below."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QSplitter,
    QStackedLayout,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from chronocast.model.batch.batch import Batch
from chronocast.preparation.outlook import Outlook, OutputOutlook
from chronocast.preparation.output.output_ready import Prospect
from chronocast.ui.places.plan.find_bar import FindBar
from chronocast.ui.places.plan.grid import Grid
from chronocast.ui.places.plan.lanes import Block, LaneData, Lanes
from chronocast.ui.places.plan.model import PlanModel, detail, source_sheet
from chronocast.ui.places.plan.panel import ForecastPanel
from chronocast.ui.places.plan.source_panel import SourcePanel
from chronocast.ui.theme import Theme, font
from chronocast.ui.widgets.table import stand_on


class PlanPlace(QWidget):
    """``PlanPlace(theme)``; ``show_plan`` gives it what to say."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.view: Outlook | None = None
        self._in_lanes: Outlook | None = None
        self.plan: PlanModel | None = None
        self.grid = Grid(theme)
        self.panel = ForecastPanel(theme)
        self.sheet = SourcePanel(theme)
        self.finder = FindBar()
        self.batch = Batch()
        self.prospect: Prospect | None = None
        self.lanes = Lanes(theme)
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
        column.addWidget(holder, 1)
        self.side = QStackedWidget()
        self.side.addWidget(self.panel)
        self.side.addWidget(self.sheet)
        self.side.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        row.addWidget(left, 1)
        row.addWidget(upright)
        row.addWidget(self.side)
        splitter = QSplitter(Qt.Orientation.Vertical)
        splitter.addWidget(above)
        splitter.addWidget(self.lanes)
        splitter.setStretchFactor(0, 1)
        splitter.setStretchFactor(1, 0)
        splitter.setCollapsible(0, False)
        splitter.setHandleWidth(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(splitter)
        self.grid.current_changed.connect(self._chosen)
        self.lanes.chosen.connect(self._go_to)

    def show_plan(
        self, plan: PlanModel, view: Outlook | None, batch: Batch, prospect: Prospect | None
    ) -> None:
        """Show another state of the plan, as found and ordered in the line above it."""
        self.plan, self.view = plan, view
        self.batch, self.prospect = batch, prospect
        sources = sum(not row.indented for row in plan.rows)
        self.finder.show_count(sources, len(batch.sources))
        self.finder.setVisible(len(batch.sources) > 5)
        self.stack.setCurrentWidget(self.grid if batch.sources else self.invitation)
        self.grid.show_plan(plan)
        if view is not None and view is not self._in_lanes:
            self._in_lanes = view
            self.lanes.show_lanes(lane_data(view), self.grid.current_output())
        self._chosen(self.grid.current_output())

    def _chosen(self, output: str) -> None:
        self.lanes.set_current(output)
        source = self.grid.current_source()
        self.side.setCurrentWidget(self.sheet if source else self.panel)
        if source:
            self.sheet.show_sheet(source_sheet(self.batch, self.prospect, source))
            return
        empty = "Choose a cell to see its forecast."
        if self.plan and self.plan.rows and not output:
            empty = "Nothing is asked for here. Space asks for it."
        held = self.plan.cell(*at).held if self.plan and output and (at := self.plan.place(output)) else False
        self.panel.show_detail(
            detail(self.view, output) if self.view and output else None,
            "Held back; release it to forecast it." if held else empty,
        )

    def _go_to(self, output: str) -> None:
        if self.plan and (at := self.plan.place(output)):
            stand_on(self.grid.table, self.grid.model.index(at[0], at[1] + 1))


def lane_data(view: Outlook) -> LaneData:
    """What this machine's slots do and when, by the forecast: a row for each, with one thing at a time."""
    last = {span.output: span.end for span in sorted(view.spans, key=lambda item: item.end)}
    outputs = {item.ready.output.id: item for item in view.outputs if not item.made}
    blocks = tuple(
        Block(
            span.output, _title(outputs[span.output]), span.begin, span.end,
            max(span.end, outputs[span.output].finish.safe) if span.end == last[span.output] else span.end,
            outputs[span.output].kept_share, slot=span.slot, finish=outputs[span.output].finish,
        )
        for span in view.spans
        if span.output in outputs
    )  # fmt: skip
    pieces = f"{view.slots} pieces at once" if view.slots > 1 else "one piece at a time"
    more = pieces if view.calibrated else f"{pieces}, not measured yet"
    return LaneData("This machine", more, view.at, blocks, view.slots)


def _title(item: OutputOutlook) -> str:
    ready = item.ready
    part = f"{ready.range_name}, {ready.extent.share_text} · " if ready.range_name else ""
    changed = " (changed)" if ready.recipe.changed else ""
    return f"{ready.source.title} · {part}{ready.recipe.name.split(',')[0]}{changed}"
