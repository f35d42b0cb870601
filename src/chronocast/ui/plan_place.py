"""*Plan*: the grid, the panel beside it, the lanes below."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSplitter, QStackedLayout, QVBoxLayout, QWidget

from chronocast.run.outlook import Outlook
from chronocast.ui.grid import Grid
from chronocast.ui.lanes import Block, LaneData, Lanes
from chronocast.ui.panel import ForecastPanel
from chronocast.ui.plan_model import PlanModel, detail
from chronocast.ui.theme import Theme, font


class PlanPlace(QWidget):
    """``PlanPlace(theme)``; ``show_plan`` gives it what to say."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.view: Outlook | None = None
        self.plan: PlanModel | None = None
        self.grid = Grid(theme)
        self.panel = ForecastPanel(theme)
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
        row.addWidget(holder, 1)
        row.addWidget(upright)
        row.addWidget(self.panel)
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

    def show_plan(self, plan: PlanModel, view: Outlook | None) -> None:
        """Show another state of the plan."""
        self.plan, self.view = plan, view
        self.stack.setCurrentWidget(self.grid if plan.rows else self.invitation)
        self.grid.show_plan(plan)
        if view is not None:
            self.lanes.show_lanes(lane_data(view), self.grid.current_output())
        self._chosen(self.grid.current_output())

    def _chosen(self, output: str) -> None:
        self.lanes.set_current(output)
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
            self.grid.table.setCurrentIndex(self.grid.model.index(at[0], at[1] + 1))


def lane_data(view: Outlook) -> LaneData:
    """The forecast's blocks on this machine's lane."""
    blocks = tuple(
        Block(o.ready.output.id, f"{o.ready.source.title} · {o.ready.recipe.name.split(',')[0]}", o.begin.likely,
              max(o.finish.likely, o.begin.likely), max(o.finish.safe, o.finish.likely), o.kept_share)
        for o in view.outputs
        if not o.made
    )  # fmt: skip
    pieces = f"{view.slots} pieces at once" if view.slots > 1 else "one piece at a time"
    more = pieces if view.calibrated else f"{pieces}, not measured yet"
    return LaneData("This machine", more, view.at, blocks)
