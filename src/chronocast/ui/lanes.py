"""Lanes: stations down, the clock across, a block for each output's share of the work."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.model.show import clock_text
from chronocast.ui import draw
from chronocast.ui.theme import Theme, font, scale

LABEL, AXIS, LANE = 178, 24, 34


@dataclass(frozen=True)
class Block:
    """One output on a lane: seconds from the lanes' beginning."""

    output: str
    title: str
    begin: float
    likely: float
    safe: float
    kept_share: float = 0.0
    state: str = "waiting"


@dataclass(frozen=True)
class LaneData:
    """What the lanes show.  ``now`` is seconds from ``start``."""

    station: str
    more: str
    start: datetime
    blocks: tuple[Block, ...]
    now: float = 0.0


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
            f"{block.title} until {clock_text(data.start + timedelta(seconds=block.likely))}"
            for block in data.blocks[:20]
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
        box = next((box for box, block in self._boxes if block.output == self.current), None)
        if box is not None:
            painter.setPen(QPen(self.theme.color("tide"), 2))
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
        end = max([block.safe for block in data.blocks] + [data.now + 30, 60.0]) * 1.04
        width = self.width() - left - 16
        scale_x = width / end
        self._axis(painter, data, left, width, end)
        rows = self._rows(data.blocks)
        high = min(30 * unit, (self.height() - AXIS * unit - 10) / max(1, len(rows)) - 3)
        for number, row in enumerate(rows):
            top = AXIS * unit + 5 + number * (high + 3)
            for block in row:
                self._block(
                    painter,
                    block,
                    QRectF(
                        left + block.begin * scale_x,
                        top,
                        max(2.0, (block.likely - block.begin) * scale_x),
                        high,
                    ),
                    (block.safe - block.likely) * scale_x,
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
            draw.CENTRE,
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
                    draw.CENTRE,
                )
            at += step

    @staticmethod
    def _rows(blocks: tuple[Block, ...]) -> list[list[Block]]:
        """Blocks on as few lines as let none cover another; a block's fading end may be covered."""
        rows: list[list[Block]] = []
        for block in sorted(blocks, key=lambda b: b.begin):
            row = next((r for r in rows if r[-1].likely <= block.begin + 0.01), None)
            if row is None and len(rows) < 4:
                rows.append([block])
            else:
                (row or min(rows, key=lambda r: r[-1].likely)).append(block)
        return rows or [[]]

    def _block(self, painter: QPainter, block: Block, box: QRectF, tail: float) -> None:
        t = self.theme
        self._boxes.append((box, block))
        fade = QRectF(box.right(), box.top(), tail, box.height())
        if box.width() < 2.5:  # one of very many: a line is all that can be seen of it
            painter.fillRect(box, t.color("ember"))
            return
        if block.state == "proved":
            painter.fillRect(box, t.color("tide", 60))
            painter.fillRect(QRectF(box.left(), box.bottom() - 2, box.width(), 2), t.color("tide"))
        elif block.state in ("rendering", "joining", "checking", "placing"):
            draw.encoded(painter, box, t)
            draw.fading(painter, fade, t.color("ember"))
        else:
            closed = box.width() * block.kept_share
            draw.kept(painter, QRectF(box.left(), box.top(), closed, box.height()), t)
            draw.to_encode(
                painter, QRectF(box.left() + closed, box.top(), box.width() - closed, box.height()), t
            )
            draw.fading(painter, fade, t.color("dusk" if block.kept_share > 0.5 else "ember", 150))
        solid = block.state in ("rendering", "joining", "checking", "placing")
        colour = t.color("ground") if solid else t.color("text")
        if box.width() > 34:
            draw.text(
                painter,
                box.adjusted(6, 0, -4, 0),
                block.title,
                font(13, 600 if solid else 400, narrow=True),
                colour,
            )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (block := self._at(event.position())):
            self.chosen.emit(block.output)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.data is None:
            return
        block = self._at(event.position())
        start = self.data.start
        self.setToolTip(
            f"{block.title}\nlikely {clock_text(start + timedelta(seconds=block.likely))}, safe {clock_text(start + timedelta(seconds=block.safe))}"
            if block else ""
        )  # fmt: skip

    def _at(self, point: QPointF) -> Block | None:
        return next((block for box, block in reversed(self._boxes) if box.contains(point)), None)
