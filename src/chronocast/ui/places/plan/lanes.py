"""Lanes: stations down, the clock across, a block for each output's share of the work."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.forecast.band import Band, exact
from chronocast.model.show import clock_text
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

LABEL, AXIS, LANE = 178, 24, 34


@dataclass(frozen=True)
class Block:
    """A stretch of a slot's time for one output, in seconds from the lanes' beginning.

    ``safe`` is the output's safe finish where the stretch is its last; ``finish`` its finish; ``slot`` the row.
    """

    output: str
    title: str
    begin: float
    end: float
    safe: float
    kept_share: float = 0.0
    slot: int = 0
    finish: Band = field(default_factory=lambda: exact(0.0))


@dataclass(frozen=True)
class LaneGroup:
    """Rows that belong together: a station's slots, or a device's sessions.

    ``more`` is said below the name where there is room; ``windows`` are when it is open, in seconds from the lanes'
    beginning, none for always; ``shut`` is why it takes no work now, "" where it does.
    """

    name: str
    more: str
    slots: int = 1
    windows: tuple[tuple[float, float], ...] = ()
    shut: str = ""


@dataclass(frozen=True)
class LaneData:
    """What the lanes show.  ``now`` is seconds from ``start``; blocks' rows count through all groups."""

    groups: tuple[LaneGroup, ...]
    start: datetime
    blocks: tuple[Block, ...]
    now: float = 0.0

    @property
    def slots(self) -> int:
        """How many rows there are."""
        return sum(group.slots for group in self.groups)


class Lanes(QWidget):
    """``Lanes(theme)``; ``show_lanes`` gives them their blocks.  ``chosen`` reports a click on one."""

    chosen = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.data: LaneData | None = None
        self.current = ""
        self._boxes: list[tuple[QRectF, Block]] = []
        self._kept: tuple[object, QPixmap] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("Stations over time")
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        rows = self.data.slots if self.data else 2
        return QSize(600, round((AXIS + LANE * min(max(2, rows), 6) + 12) * scale()))

    def minimumSizeHint(self) -> QSize:
        return QSize(200, 56)

    def show_lanes(self, data: LaneData, current: str = "") -> None:
        """Show other blocks."""
        self.data, self.current = data, current
        told = "; ".join(
            f"{block.title} until {clock_text(data.start + timedelta(seconds=block.finish.likely))}"
            for block in list({block.output: block for block in data.blocks}.values())[:20]
        )
        named = "; ".join(", ".join(filter(None, (g.name, g.more, g.shut))) for g in data.groups)
        self.setAccessibleDescription(f"{named}: {told}")
        self.updateGeometry()
        self.update()

    def set_current(self, output: str) -> None:
        """Mark another output."""
        if output != self.current:
            self.current = output
            self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """The picture is made anew only when its data or its size are others; what is current is drawn over it."""
        key = (self.data, self.size(), self.devicePixelRatioF(), scale())
        if self._kept is None or self._kept[0] != key:
            picture = QPixmap(self.size() * self.devicePixelRatioF())
            picture.setDevicePixelRatio(self.devicePixelRatioF())
            picture.fill(self.theme.color("ground"))
            painter = QPainter(picture)
            self._paint(painter)
            painter.end()
            self._kept = (key, picture)
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._kept[1])
        painter.setPen(QPen(self.theme.color("tide"), 2))
        for box, block in self._boxes:
            if block.output == self.current:
                painter.drawRect(box.adjusted(-1, -1, 1, 1))

    def _paint(self, painter: QPainter) -> None:
        t, unit = self.theme, scale()
        self._boxes = []
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(0, 0, self.width(), 0)
        if self.data is None:
            return
        data, left = self.data, LABEL * unit
        end = max([block.safe for block in data.blocks] + [data.now + 30, 60.0]) * 1.04
        width = self.width() - left - 16
        scale_x = width / end
        self._axis(painter, data, left, width, end)
        rows = self.rows(data)
        gap = 3 if len(rows) <= 8 else 1
        high = max(1.0, min(30 * unit, (self.height() - AXIS * unit - 10) / max(1, len(rows)) - gap))
        first = 0
        for group in data.groups:
            top = AXIS * unit + 5 + first * (high + gap)
            area = QRectF(left, top, width, group.slots * (high + gap) - gap)
            self._group(painter, group, area, scale_x)
            first += group.slots
        for number, row in enumerate(rows):
            top = AXIS * unit + 5 + number * (high + gap)
            for place, block in enumerate(row):
                begin, long = left + block.begin * scale_x, max(1.0, (block.end - block.begin) * scale_x)
                tail = (block.safe - block.end) * scale_x if place == len(row) - 1 else 0.0
                self._block(painter, block, QRectF(begin, top, long, high), tail)
        x = left + data.now * scale_x
        painter.setPen(QPen(t.color("text"), 1.4))
        painter.drawLine(QPointF(x, AXIS * unit - 4), QPointF(x, self.height() - 2))
        draw.text(
            painter,
            QRectF(x - 30, 2, 60, 16 * unit),
            "now",
            font(12.5, 600, narrow=True),
            t.color("text"),
            align=draw.CENTRE,
        )

    def _group(self, painter: QPainter, group: LaneGroup, area: QRectF, scale_x: float) -> None:
        """A station's name beside its rows, and its closed hours in them."""
        t, unit = self.theme, scale()
        line = 17 * unit
        two = area.height() >= 2 * line
        top = area.center().y() - (line if two else line / 2)
        space = area.left() - 24 * unit
        draw.text(
            painter,
            QRectF(16 * unit, top, space, line),
            group.name,
            font(13.5, narrow=not two),
            t.color("text"),
        )
        if two and group.more:
            below = QRectF(16 * unit, top + line, space, line)
            draw.text(painter, below, group.more, font(13, narrow=True), t.color("quiet"))
        for begin, end in self.closed(group, area.width() / scale_x):
            box = QRectF(area.left() + begin * scale_x, area.top(), (end - begin) * scale_x, area.height())
            painter.fillRect(box, QBrush(t.color("line"), Qt.BrushStyle.BDiagPattern))
            if box.width() > 60 * unit and area.height() > 11 * unit:
                draw.text(
                    painter,
                    box.adjusted(8, 0, -4, 0),
                    group.shut if begin <= 0 and group.shut else "not open",
                    font(13, narrow=True),
                    t.color("quiet"),
                )

    @staticmethod
    def closed(group: LaneGroup, seconds: float) -> tuple[tuple[float, float], ...]:
        """When a station takes no work, of the seconds that are shown."""
        if not group.windows:
            return ((0.0, seconds),) if group.shut else ()
        found, at = [], 0.0
        for begin, end in group.windows:
            if begin > at:
                found.append((at, min(begin, seconds)))
            at = max(at, end)
            if at >= seconds:
                break
        return tuple(found) if at >= seconds else (*found, (at, seconds))

    def _axis(self, painter: QPainter, data: LaneData, left: float, width: float, end: float) -> None:
        t, unit = self.theme, scale()
        step = draw.nice_steps(end, width)
        start = data.start.timestamp()
        at = (start // step + 1) * step
        while at - start < end:
            x = left + (at - start) * width / end
            painter.setPen(QPen(t.color("line"), 1))
            painter.drawLine(QPointF(x, AXIS * unit - 5), QPointF(x, self.height()))
            moment = datetime.fromtimestamp(at).astimezone()
            words = moment.strftime("%H:%M:%S") if step < 60 else moment.strftime("%H:%M")
            if abs(at - start - data.now) * width / end > 48:
                draw.text(
                    painter,
                    QRectF(x - 40, 2, 80, 16 * unit),
                    words,
                    font(12.5, narrow=True),
                    t.color("quiet"),
                    align=draw.CENTRE,
                )
            at += step

    @staticmethod
    def rows(data: LaneData) -> list[list[Block]]:
        """A row for each slot, with what it does in turn."""
        rows: list[list[Block]] = [[] for _ in range(max(1, data.slots))]
        for block in sorted(data.blocks, key=lambda b: b.begin):
            rows[block.slot].append(block)
        return rows

    def _block(self, painter: QPainter, block: Block, box: QRectF, tail: float) -> None:
        t = self.theme
        self._boxes.append((box, block))
        fade = QRectF(box.right(), box.top(), tail, box.height())
        if box.width() < 2.5:  # one of very many: a line is all that can be seen of it
            painter.fillRect(box, t.color("ember"))
            return
        closed = box.width() * block.kept_share
        draw.kept(painter, QRectF(box.left(), box.top(), closed, box.height()), t)
        draw.to_encode(painter, QRectF(box.left() + closed, box.top(), box.width() - closed, box.height()), t)
        draw.fading(painter, fade, t.color("dusk" if block.kept_share > 0.5 else "ember", 150))
        if box.width() > 34 and box.height() > 11 * scale():
            draw.text(painter, box.adjusted(6, 0, -4, 0), block.title, font(13, narrow=True), t.color("text"))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (block := self._at(event.position())):
            self.chosen.emit(block.output)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.data is None:
            return
        block = self._at(event.position())
        start = self.data.start
        self.setToolTip(
            f"{block.title}\nlikely {clock_text(start + timedelta(seconds=block.finish.likely))}, safe {clock_text(start + timedelta(seconds=block.finish.safe))}"
            if block
            else ""
        )

    def _at(self, point: QPointF) -> Block | None:
        return next((block for box, block in reversed(self._boxes) if box.contains(point)), None)
