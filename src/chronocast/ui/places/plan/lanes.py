"""Lanes: stations down, the clock across, a block for each output's share of the work."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.forecast.band import Band, exact
from chronocast.model.show import clock_text
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

LABEL, AXIS, LANE = 178, 24, 34


@dataclass(frozen=True)
class Block:
    """A stretch of a slot's time for one output, in seconds from the lanes' beginning.

    ``safe`` is the output's safe finish where the stretch is its last; ``finish`` its finish.
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
class LaneData:
    """What the lanes show.  ``now`` is seconds from ``start``; ``devices`` are those whose rows come last, in words."""

    station: str
    more: str
    start: datetime
    blocks: tuple[Block, ...]
    slots: int = 1
    now: float = 0.0
    devices: tuple[str, ...] = ()


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
        return QSize(600, round((AXIS + 2 * LANE + 12) * scale()))

    def minimumSizeHint(self) -> QSize:
        return QSize(200, 56)

    def show_lanes(self, data: LaneData, current: str = "") -> None:
        """Show other blocks."""
        self.data, self.current = data, current
        told = "; ".join(
            f"{block.title} until {clock_text(data.start + timedelta(seconds=block.finish.likely))}"
            for block in list({block.output: block for block in data.blocks}.values())[:20]
        )
        self.setAccessibleDescription(f"{data.station}, {data.more}: {told}")
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
        middle = (self.height() + AXIS * unit) / 2
        draw.text(
            painter,
            QRectF(16 * unit, middle - 20 * unit, left - 20, 18 * unit),
            data.station,
            font(14),
            t.color("text"),
        )
        draw.text(
            painter,
            QRectF(16 * unit, middle - 2 * unit, left - 20, 16 * unit),
            data.more,
            font(13, narrow=True),
            t.color("quiet"),
        )
        if data.devices:
            below = QRectF(16 * unit, middle + 14 * unit, left - 20, 16 * unit)
            draw.text(
                painter, below, f"below: {'; '.join(data.devices)}", font(13, narrow=True), t.color("quiet")
            )
        end = max([block.safe for block in data.blocks] + [data.now + 30, 60.0]) * 1.04
        width = self.width() - left - 16
        scale_x = width / end
        self._axis(painter, data, left, width, end)
        rows = self.rows(data)
        gap = 3 if len(rows) <= 6 else 1
        high = max(1.0, min(30 * unit, (self.height() - AXIS * unit - 10) / max(1, len(rows)) - gap))
        for number, row in enumerate(rows):
            top = AXIS * unit + 5 + number * (high + gap)
            for place, block in enumerate(row):
                self._block(
                    painter,
                    block,
                    QRectF(
                        left + block.begin * scale_x,
                        top,
                        max(1.0, (block.end - block.begin) * scale_x),
                        high,
                    ),
                    (block.safe - block.end) * scale_x if place == len(row) - 1 else 0.0,
                )
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
