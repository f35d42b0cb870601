"""*Run*: what is being made, how far it is, when it will be finished, what needs a person."""

from __future__ import annotations

import time
from datetime import datetime
from functools import partial

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from chronocast.run.view import WAITS
from chronocast.ui.commands import Actions
from chronocast.ui.desk.desk import Desk
from chronocast.ui.lanes.data import Drop, LaneData
from chronocast.ui.lanes.lanes import Lanes
from chronocast.ui.lanes.run_lanes import run_lanes
from chronocast.ui.places.place import Touched
from chronocast.ui.places.run.fan import FanChart
from chronocast.ui.places.run.model import RunModel, RunRow, places_told, run_model
from chronocast.ui.places.run.seen import SeenPair
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw
from chronocast.ui.widgets.table import Col, RowsTable, stand_on

MOST_CHECKS = 6
"""So many checks are named beside the pictures."""
LANES_SHARE = 0.3
"""Of the place's height, lanes take no more."""


def paint_title(painter: QPainter, box: QRectF, row: RunRow, t: Theme) -> None:
    """The output's source over its recipe."""
    unit = scale()
    draw.text(
        painter,
        QRectF(box.left(), box.top() + 4 * unit, box.width(), 18 * unit),
        row.title,
        font(14),
        t.color("text"),
    )
    draw.text(
        painter,
        QRectF(box.left(), box.top() + 21 * unit, box.width(), 16 * unit),
        row.recipe + (f" · {row.extent}" if row.extent else ""),
        font(12.5, narrow=True),
        t.color("quiet"),
    )


def paint_state(painter: QPainter, box: QRectF, row: RunRow, t: Theme) -> None:
    """A sign and a word."""
    sign = QRectF(box.left(), box.top(), 14, box.height())
    draw.mark(painter, sign.center(), row.state, t)
    colour = t.color(
        "rust"
        if row.state in ("needs you", "interrupted")
        else "lichen"
        if row.state == "paused" or row.state in WAITS.values()
        else "text"
        if row.state not in ("waiting", "stopped", "held")
        else "quiet"
    )
    draw.text(painter, box.adjusted(22, 0, 0, 0), row.state, font(13.5, narrow=True), colour)


def paint_progress(painter: QPainter, box: QRectF, row: RunRow, t: Theme) -> None:
    """What was kept, what is encoded, what is still to be."""
    unit = scale()
    bar = QRectF(box.left(), box.center().y() - 5 * unit, box.width() - 48 * unit, 10 * unit)
    if row.state == "needs you" or row.state in WAITS.values():
        role = "rust" if row.state == "needs you" else "lichen"
        draw.text(painter, box, row.reason, font(13, narrow=True), t.color(role))
        return
    if row.note:  # a common quality is being looked for
        bar.translate(0, -6 * unit)
        below = QRectF(bar.left(), bar.bottom() + 2, box.width(), 14 * unit)
        draw.text(painter, below, row.note, font(12, narrow=True), t.color("quiet"))
    kept = bar.width() * row.kept_share
    done = bar.width() * row.share
    if row.state == "proved":
        painter.fillRect(bar, t.color("tide", 70))
        painter.fillRect(QRectF(bar.left(), bar.bottom() - 2, bar.width(), 2), t.color("tide"))
    elif row.pieces:
        _paint_pieces(painter, bar, row, t)
    else:
        draw.kept(painter, QRectF(bar.left(), bar.top(), kept, bar.height()), t)
        encoded = QRectF(bar.left() + kept, bar.top(), done - kept, bar.height())
        if row.state in ("paused", "interrupted"):  # it does not look as if it worked
            painter.fillRect(encoded, t.color("lichen" if row.state == "paused" else "rust", 150))
        else:
            draw.encoded(painter, encoded, t)
        painter.setPen(QPen(t.color("edge"), 1))
        painter.drawRect(QRectF(bar.left() + done, bar.top() + 0.5, bar.width() - done, bar.height() - 1))
    draw.text(
        painter,
        QRectF(bar.right() + 4, box.top(), 44 * unit, box.height()),
        f"{row.share:.0%}",
        font(13, narrow=True),
        t.color("quiet"),
        align=draw.RIGHT,
    )


def _paint_pieces(painter: QPainter, bar: QRectF, row: RunRow, t: Theme) -> None:
    """The piece map, filling in: kept, copied and encoded pieces where they lie in the film."""
    still = {"paused": "lichen", "interrupted": "rust"}.get(row.state)  # it does not look as if it worked
    at = bar.left()
    for run in row.pieces:
        box = QRectF(at, bar.top(), bar.width() * run.share, bar.height())
        done = QRectF(at, bar.top(), box.width() * run.done, bar.height())
        at = box.right()
        painter.setPen(QPen(t.color("edge"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box.adjusted(0, 0.5, 0, -0.5))
        if run.treatment == "kept":
            draw.kept(painter, done, t)
        elif run.treatment == "copy":
            draw.copied(painter, done, t)
        elif still:
            painter.fillRect(done, t.color(still, 150))
        else:
            draw.encoded(painter, done, t)
        if run.elsewhere:  # made at another station: a line over it
            painter.fillRect(QRectF(box.left(), box.top() - 4, box.width() - 1, 2), t.color("text"))


def progress_words(row: RunRow) -> str:
    """How far it is, and where its pieces are made."""
    return row.reason or ", ".join(filter(None, (f"{row.share:.0%}", places_told(row.pieces))))


def paint_promised(what: int, painter: QPainter, box: QRectF, row: RunRow, t: Theme) -> None:
    """What it came to, or is forecast to, over what was promised."""
    unit = scale()
    now = (row.time, row.size, row.finish)[what]
    upper = QRectF(box.left(), box.top() + 4 * unit, box.width(), 18 * unit)
    lower = QRectF(box.left(), box.top() + 22 * unit, box.width(), 16 * unit)
    draw.text(painter, upper, now, font(13.5, 600 if what == 2 else 400), t.color("text"), align=draw.RIGHT)
    draw.text(painter, lower, row.promised[what], font(13, narrow=True), t.color("quiet"), align=draw.RIGHT)


def promised_words(what: int, row: RunRow) -> str:
    """The same, to be read aloud."""
    return ", ".join(filter(None, ((row.time, row.size, row.finish)[what], row.promised[what])))


COLUMNS = (
    Col("output", lambda r: f"{r.title}, {r.recipe}", 0.28, paint_title),
    Col("state", lambda r: r.state, 0.12, paint_state),
    Col("done", progress_words, 0.24, paint_progress),
    Col("processor time", partial(promised_words, 0), 0.13, partial(paint_promised, 0), right=True),
    Col("size", partial(promised_words, 1), 0.12, partial(paint_promised, 1), right=True),
    Col("finish", partial(promised_words, 2), 0.11, partial(paint_promised, 2), right=True),
)


class RunHead(QWidget):
    """The run's own headline: finish, outputs, speed, and one bar for all of it."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.run: RunModel | None = None
        self.setFixedHeight(round(84 * scale()))
        self.setAccessibleName("The run")

    def show_run(self, run: RunModel) -> None:
        """Show another state."""
        self.run = run
        self.setAccessibleDescription(run.sentence)
        self.setToolTip(run.finished_more)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t, unit = QPainter(self), self.theme, scale()
        if self.run is None:
            draw.text(
                painter,
                QRectF(16, 0, 600, self.height()),
                "Nothing has been rendered yet. Choose what is wanted in Plan, then begin.",
                font(14.5),
                t.color("quiet"),
            )
            return
        run = self.run
        still = "text" if run.moves or run.ended else run.role
        columns = (
            (run.finished_name, run.finished, run.finished_more, still, run.role, 0.0, 0.40),
            ("size", run.size, run.size_more, "text", "quiet", 0.40, 0.20),
            (
                "room",
                run.room,
                run.room_more,
                "text" if run.room_ok else "rust",
                "quiet" if run.room_ok else "rust",
                0.60,
                0.19,
            ),
            ("outputs", run.done, run.done_more, "text", "quiet", 0.79, 0.21),
        )
        for title, value, more, role, more_role, start, share in columns:
            left, width = 16 * unit + self.width() * start, self.width() * share - 20 * unit
            draw.text(
                painter, QRectF(left, 6, width, 16 * unit), title, font(12.5, narrow=True), t.color("quiet")
            )
            draw.text(painter, QRectF(left, 20 * unit, width, 34 * unit), value, font(29, 600), t.color(role))
            draw.text(
                painter,
                QRectF(left, 54 * unit, width, 17 * unit),
                more,
                font(13.5, narrow=True),
                t.color(more_role),
            )
        bar = QRectF(0, self.height() - 4, self.width(), 4)
        painter.fillRect(bar, t.color("raised"))
        done = QRectF(bar.left(), bar.top(), bar.width() * run.share, bar.height())
        if run.moves:
            painter.fillRect(done, t.color("ember"))
        elif run.ended:
            painter.fillRect(done, t.color(run.role))
        else:  # nothing moves: a broken line, in the colour of why
            pen = QPen(t.color(run.role), 4)
            pen.setDashPattern([3, 3])
            painter.setPen(pen)
            painter.drawLine(
                QPointF(done.left(), done.center().y()), QPointF(done.right(), done.center().y())
            )


class RunPlace(QWidget):
    """``RunPlace(theme)``.

    Reports: ``pause_asked``, ``resume_asked``, ``stop_asked``, ``again_asked``, ``open_asked``,
    ``begin_asked`` (a run that was stopped goes on), ``hold_asked`` (an output, whether it is held), ``leave_asked`` (an
    output is left out), ``folder_asked`` (a path), ``move_asked`` (an output, how many places further), ``dropped`` (an output, the one
    that is to come after it; "" for last).
    """

    forecasts = False
    pause_asked = pyqtSignal()
    resume_asked = pyqtSignal()
    stop_asked = pyqtSignal()
    again_asked = pyqtSignal()
    begin_asked = pyqtSignal()
    hold_asked = pyqtSignal(str, bool)
    leave_asked = pyqtSignal(str)
    open_asked = pyqtSignal(str)
    folder_asked = pyqtSignal(str)
    move_asked = pyqtSignal(str, int)
    dropped = pyqtSignal(str, str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.run: RunModel | None = None
        self._opened: datetime | None = None
        self.head = RunHead(theme)
        self.pause = QPushButton("Pause")
        self.stop = QPushButton("Stop")
        self.pause.setAccessibleName("Pause or resume the run")
        self.stop.setAccessibleName("Stop the run")
        self.pause.clicked.connect(self._pause_or_go_on)
        self.stop.clicked.connect(self.stop_asked)
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 16, 0)
        top.setSpacing(8)
        top.addWidget(self.head, 1)
        top.addWidget(self.pause)
        top.addWidget(self.stop)
        self.table = RowsTable(theme, COLUMNS, "Outputs of the run", 44)
        self.table.doubleClicked.connect(lambda _: self._open())
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._show_menu)
        self.fan = FanChart(theme)
        self.needs = QLabel()
        self.needs.setWordWrap(True)
        self.needs.setObjectName("quiet")
        self.needs.setFont(font(13.5, narrow=True))
        self.needs.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.needs.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.needs.setContentsMargins(16, 8, 16, 8)
        self.open_file, self.open_folder = QPushButton("Open file"), QPushButton("Open folder")
        self.open_file.clicked.connect(self._open)
        self.open_folder.clicked.connect(self._folder)
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        buttons.setContentsMargins(16, 0, 16, 10)
        buttons.addWidget(self.open_file)
        buttons.addWidget(self.open_folder)
        buttons.addStretch(1)
        side = QVBoxLayout()
        side.setContentsMargins(0, 0, 0, 0)
        side.addWidget(self.needs, 1)
        side.addLayout(buttons)
        below = QWidget()
        below.setFixedHeight(round(158 * scale()))
        row = QHBoxLayout(below)
        row.setContentsMargins(0, 0, 0, 0)
        self.seen = SeenPair(theme)
        row.addWidget(self.fan, 4)
        row.addWidget(self.seen, 4)
        row.addLayout(side, 4)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(top)
        self.ending = QLabel()
        self.ending.setWordWrap(True)
        self.ending.setFont(font(14))
        self.ending.setContentsMargins(16, 6, 16, 6)
        self.ending.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.ending.setAccessibleName("What the run came to")
        self.ending.setVisible(False)
        layout.addWidget(self.ending)
        self.lanes = Lanes(theme)
        self.lanes.setVisible(False)
        self.lanes.chosen.connect(self._stand_on)
        self.lanes.moved.connect(self._dropped)
        layout.addWidget(self.lanes)
        layout.addWidget(self.table, 1)
        self.house = QLabel()
        self.house.setWordWrap(True)
        self.house.setFont(font(13.5, narrow=True))
        self.house.setContentsMargins(16, 4, 16, 4)
        self.house.setAccessibleName("What is wrong with the house")
        layout.addWidget(self.house)
        layout.addWidget(below)
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda *_: self._describe())
        self._describe()

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        return {
            "run.move_up": lambda: self._move(-1),
            "run.move_down": lambda: self._move(1),
            "run.make_first": lambda: self._put(first=True),
            "run.make_last": lambda: self._put(first=False),
            "run.hold": self._hold,
            "run.leave_out": self._leave_out,
        }

    def enter(self) -> None:
        """Take the keyboard."""
        self.table.setFocus()

    def leave(self) -> None:
        """Nothing goes on in it."""

    def take_over(self, other: RunPlace) -> None:
        """Nothing but the run is shown here."""

    def show_desk(self, desk: Desk, touched: Touched) -> None:
        """Show another state of the run."""
        if "run" in touched and desk.run is not None:
            now = time.time()
            self.show_run(run_model(desk.run, now), run_lanes(desk.run, now))

    def show_run(self, run: RunModel, lanes: LaneData | None = None) -> None:
        """Show a run as it is told.

        Parameters
        ----------
        run
            The run.
        lanes
            What its slots have done, do and will do.
        """
        self.lanes.setVisible(lanes is not None)
        if lanes is not None:
            row: RunRow | None = self.table.chosen()
            self.lanes.movable = run.going
            self.lanes.show_lanes(lanes, row.id if row else "")
            self.lanes.setFixedHeight(min(self.lanes.sizeHint().height(), round(self.height() * LANES_SHARE)))
        self.run = run
        self.head.show_run(run)
        self.table.show_rows(run.rows, lambda row: row.id)
        self._open_at_work(run)
        self.fan.show_run(run)
        self.ending.setText(run.ending)
        self.ending.setVisible(bool(run.ending))
        self.house.setText(run.house)
        self.house.setVisible(bool(run.house))
        self._describe()

    def _stand_on(self, output: str) -> None:
        """Choose an output that was clicked in the lanes."""
        rows = [row.id for row in self.run.rows] if self.run else []
        if output in rows:
            stand_on(self.table, self.table.model().index(rows.index(output), 0))  # type: ignore[union-attr]

    def _dropped(self, output: str, drop: Drop) -> None:
        if drop.before is not None:
            self.dropped.emit(output, drop.before)

    def _put(self, first: bool) -> None:
        """Have the chosen output made first, or last."""
        row: RunRow | None = self.table.chosen()
        if row is None or self.run is None or not self.run.going:
            return
        others = [other.id for other in self.run.rows if other.id != row.id]
        self.dropped.emit(row.id, others[0] if first and others else "")

    def _hold(self) -> None:
        """Hold the chosen output back, or release it."""
        row: RunRow | None = self.table.chosen()
        if row is not None and self.run is not None and self.run.going and row.state != "proved":
            self.hold_asked.emit(row.id, row.state != "held")

    def _leave_out(self) -> None:
        """Have the chosen output not made in this run."""
        row: RunRow | None = self.table.chosen()
        if row is not None and self.run is not None and self.run.going and row.state != "proved":
            self.leave_asked.emit(row.id)

    def menu_of(self, row: RunRow) -> QMenu:
        """What can be done with an output.

        Parameters
        ----------
        row
            Its row.
        """
        menu = QMenu(self)
        going = self.run is not None and self.run.going and row.state != "proved"
        for words, do, on in (
            ("Make it first", lambda: self._put(first=True), going),
            ("Make it last", lambda: self._put(first=False), going),
            ("Release it" if row.state == "held" else "Hold it back", self._hold, going),
            ("Leave it out of this run", self._leave_out, going),
            ("Open file", self._open, row.state == "proved"),
            ("Open folder", self._folder, bool(row.path)),
        ):
            action = menu.addAction(words)
            assert action is not None
            action.setEnabled(on)
            action.triggered.connect(lambda _=False, do=do: do())
        return menu

    def _show_menu(self, at: QPoint) -> None:
        row: RunRow | None = self.table.chosen()
        viewport = self.table.viewport()
        if row is not None and viewport is not None:
            self.menu_of(row).exec(viewport.mapToGlobal(at))

    def _open_at_work(self, run: RunModel) -> None:
        """A run opens at what is being made."""
        if self._opened == run.fan_start:
            return
        for number, row in enumerate(run.rows):
            if row.state in ("rendering", "joining", "checking"):
                self._opened = run.fan_start
                stand_on(self.table, self.table.model().index(number, 0))  # type: ignore[union-attr]
                return

    def _move(self, step: int) -> None:
        row: RunRow | None = self.table.chosen()
        if row is not None and self.run is not None and self.run.going:
            self.move_asked.emit(row.id, step)

    def _describe(self) -> None:
        run = self.run
        down = run is not None and not run.lives and not run.ended
        again = down or bool(run and run.can_go_on)
        self.pause.setText("Go on" if again else "Resume" if run and run.paused else "Pause")
        self.pause.setEnabled(bool(run and (run.going or again)))
        self.stop.setEnabled(bool(run and run.going))
        row: RunRow | None = self.table.chosen()
        there = bool(row and row.state == "proved")
        self.seen.show_picture(row.picture if row else None)
        self.open_file.setEnabled(there)
        self.open_folder.setEnabled(bool(row and row.path))
        if row is None:
            self.needs.setText("")
            return
        if row.state == "needs you":
            why = "\n".join([row.reason, *row.failures[:2]])
            self.needs.setText(f"{row.title} · {row.recipe} needs you.\n{why}")
        elif row.state in WAITS.values():
            self.needs.setText(
                f"{row.title} · {row.recipe} {row.state}, and goes on by itself then.\n{row.reason}"
            )
        elif row.checks:
            good = sum(1 for check in row.checks if check.ok)
            wrong = [check for check in row.checks if not check.ok]
            told = [f"{check.name}: {check.found}" for check in (wrong or row.checks)]
            more = f" · and {len(told) - MOST_CHECKS} more, in Check" if len(told) > MOST_CHECKS else ""
            self.needs.setText(
                f"{good} of {len(row.checks)} checks proved, all of it decoded afresh\n"
                f"{' · '.join(told[:MOST_CHECKS])}{more}"
            )
        else:
            made = places_told(row.pieces)
            marked = [f"Made so far: {made} (the line over a piece: at another station)."] if made else []
            others = "\n".join([*marked, *row.failures[:2], *(run.needs[:3] if run else ())])
            self.needs.setText(f"{row.title} · {row.recipe}: {row.state}\n{others}".strip())

    def _pause_or_go_on(self) -> None:
        if self.run is None:
            return
        if not self.run.lives and not self.run.ended:
            self.again_asked.emit()
        elif self.run.can_go_on:
            self.begin_asked.emit()
        elif self.run.paused:
            self.resume_asked.emit()
        else:
            self.pause_asked.emit()

    def _open(self) -> None:
        if (row := self.table.chosen()) and row.state == "proved":
            self.open_asked.emit(row.path)

    def _folder(self) -> None:
        if (row := self.table.chosen()) and row.path:
            self.folder_asked.emit(row.path)
