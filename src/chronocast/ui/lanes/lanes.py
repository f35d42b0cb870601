"""Lanes: stations down, the clock across, a block for each output's share of the work."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from chronocast.model.show import clock_text, counted
from chronocast.ui.lanes.data import (
    HOLDING,
    Block,
    Drop,
    Flag,
    LaneData,
    LaneGroup,
    LaneRow,
    Mishap,
    TimeView,
    dropped,
)
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

LABEL, AXIS, LANE, SHELF = 178, 24, 34, 24
NARROW = 2.5
"""Narrower than this, in pixels, a block is a line."""
FLAGS = 6
"""Of more pennants than that, those of single files show when their file is marked."""
DRAGGED = 6
"""A block that was moved by fewer pixels wasn't dragged."""


def _where(
    chosen: NDArray[np.bool_], x: NDArray[np.float64], wide: NDArray[np.float64]
) -> list[tuple[int, float, float]]:
    """Which blocks are chosen, each with where it begins and how wide it is."""
    places = np.flatnonzero(chosen)
    return list(zip(places.tolist(), x[places].tolist(), wide[places].tolist(), strict=True))


class Lanes(QWidget):
    """``Lanes(theme)``; ``show_lanes`` gives them their blocks.

    ``chosen`` reports a click on one; ``moved`` (an output, a ``Drop``) that one was dropped elsewhere;
    ``menu_asked`` (an output, a point on the screen) that its menu is wanted.  The wheel brings time closer,
    dragging the ground moves it, a double click shows all of it.  Below the rows lies what is held back: a block
    dropped there is held, one dragged from there is released.
    """

    chosen = pyqtSignal(str)
    moved = pyqtSignal(str, object)
    menu_asked = pyqtSignal(str, QPoint)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.data: LaneData | None = None
        self.current, self.marked = "", frozenset[str]()
        self.view = TimeView.all_of(60.0)
        self.movable = True
        self._boxes: list[tuple[QRectF, Block]] = []
        self._kept: tuple[object, QPixmap] | None = None
        self._pressed: tuple[QPointF, Block | None] | None = None
        self._drop: Drop | None = None
        self._at_pointer = QPointF()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("Stations over time")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        rows = self.data.slots if self.data else 2
        shelf = SHELF if self.data and self.data.held else 0
        return QSize(600, round((AXIS + LANE * min(max(2, rows), 6) + 12 + shelf) * scale()))

    def minimumSizeHint(self) -> QSize:
        return QSize(200, 56)

    def show_lanes(self, data: LaneData, current: str = "") -> None:
        """Show other blocks."""
        if data is self.data:
            self.set_current(current, self.marked)
            return
        self.data, self.current = data, current
        self.view = self.view.of(data.end)
        told = "; ".join(
            f"{block.title} until {clock_text(data.start + timedelta(seconds=block.finish.likely))}"
            for block in list({block.output: block for block in data.blocks}.values())[:20]
        )
        held = f"; held back: {', '.join(block.title for block in data.held[:10])}" if data.held else ""
        named = "; ".join(", ".join(filter(None, (g.name, g.more, g.shut))) for g in data.groups)
        flags = "".join(f"; {flag.words}" for flag in data.flags[:4])
        self.setAccessibleDescription(f"{named}: {told}{flags}{held}")
        self.updateGeometry()
        self.update()

    def set_current(self, output: str, chosen: Iterable[str] = ()) -> None:
        """Mark another output, and more faintly those that are chosen with it."""
        marks = output, frozenset(chosen)
        if marks != (self.current, self.marked):
            self.current, self.marked = marks
            self.update()

    # Time

    @property
    def _left(self) -> float:
        return LABEL * scale()

    @property
    def _width(self) -> float:
        return max(1.0, self.width() - self._left - 16)

    @property
    def _scale(self) -> float:
        """Pixels a second."""
        return self._width / max(1e-9, self.view.end - self.view.begin)

    def x_of(self, seconds: float) -> float:
        """Where a moment is, in pixels; seconds from the lanes' beginning."""
        return self._left + (seconds - self.view.begin) * self._scale

    def seconds_at(self, x: float) -> float:
        """The moment at a place in pixels."""
        return self.view.begin + (x - self._left) / self._scale

    def look(self, view: TimeView) -> None:
        """Show another stretch of time."""
        if view != self.view:
            self.view = view
            self.update()

    def closer(self, times: float = 1.6, at: float | None = None) -> None:
        """Bring time closer; below 1 wider.

        Parameters
        ----------
        times
            How many times.
        at
            The moment that stays where it is; the middle, if not said.
        """
        middle = (self.view.begin + self.view.end) / 2
        self.look(self.view.closer(middle if at is None else at, times))

    def show_all(self) -> None:
        """Show all of the time."""
        self.look(TimeView.all_of(self.view.whole))

    # Painting

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """The picture is made anew only when its data or its size are others; what moves is drawn over it."""
        still = replace(self.data, now=0.0) if self.data is not None and self.data.night else self.data
        key = (still, self.size(), self.devicePixelRatioF(), scale(), self.view)
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
            elif block.output in self.marked:
                painter.fillRect(
                    QRectF(box.left(), box.bottom() - 3, box.width(), 3), self.theme.color("tide")
                )
        self._now(painter)
        if self._drop is not None:
            self._paint_drop(painter, self._drop)
        if self.hasFocus():
            painter.setPen(QPen(self.theme.color("tide"), 1))
            painter.drawRect(0, 0, self.width() - 1, self.height() - 1)

    def _paint(self, painter: QPainter) -> None:
        t = self.theme
        self._boxes = []
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(0, 0, self.width(), 0)
        if self.data is None:
            return
        data = self.data
        self._axis(painter, data)
        top, high, gap = self._rows()
        first = 0
        for group in data.groups:
            area = QRectF(
                self._left, top + first * (high + gap), self._width, group.slots * (high + gap) - gap
            )
            self._group(painter, group, area)
            first += group.slots
        painter.save()
        painter.setClipRect(QRectF(self._left - 1, 0, self._width + 17, self.height()))
        for number, row in enumerate(data.rows):
            self._paint_row(painter, row, top + number * (high + gap), high)
        for mishap in data.mishaps:
            self._mishap(painter, mishap, top, high, gap)
        shown = [flag for flag in sorted(data.flags, key=lambda one: one.at) if self._has_room(flag, data)]
        for flag, following in itertools.zip_longest(shown, shown[1:]):
            self._flag(painter, flag, self.x_of(following.at) if following else float(self.width()))
        painter.restore()
        if data.held:
            self._paint_shelf(painter, data.held)

    def _paint_row(self, painter: QPainter, row: LaneRow, y: float, high: float) -> None:
        """What a slot does in turn; of very many narrow ones no more than one a pixel."""
        if not row.blocks:
            return
        final = row.blocks[-1]
        x = self._left + (row.begins - self.view.begin) * self._scale
        wide = np.maximum(1.0, (row.ends - row.begins) * self._scale)
        tail = np.zeros(len(x))
        tail[-1] = (final.safe - final.end) * self._scale
        pixel = np.floor(x + wide)
        shown = (wide >= NARROW) | (tail > 0) | (np.diff(pixel, prepend=-1.0) != 0)
        shown &= (x <= self.width()) & (x + wide + tail >= self._left)
        narrow = shown & (wide < NARROW) & (tail <= 0)
        self._paint_narrow(
            painter,
            [
                (QRectF(left, y, long, high), row.blocks[place])
                for place, left, long in _where(narrow, x, wide)
            ],
        )
        for place, left, long in _where(shown & ~narrow, x, wide):
            self._block(painter, row.blocks[place], QRectF(left, y, long, high), float(tail[place]))

    def _paint_narrow(self, painter: QPainter, boxes: list[tuple[QRectF, Block]]) -> None:
        """Some of very many: a line is all that can be seen of each, and a thousand of them are drawn at once."""
        if boxes:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color("ember"))
            painter.drawRects(*(box for box, _ in boxes))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            self._boxes += boxes

    def _rows(self) -> tuple[float, float, float]:
        """Where rows begin, how high each is, and what is between them, in pixels."""
        unit = scale()
        count = max(1, self.data.slots if self.data else 1)
        gap = 3.0 if count <= 8 else 1.0
        shelf = SHELF * unit if self.data and self.data.held else 0.0
        high = max(1.0, min(30 * unit, (self.height() - AXIS * unit - 10 - shelf) / count - gap))
        return AXIS * unit + 5, high, gap

    @property
    def shelf(self) -> QRectF:
        """Where what is held back lies, or a block is dropped to be held."""
        high = SHELF * scale()
        return QRectF(0, self.height() - high, self.width(), high)

    def _paint_shelf(self, painter: QPainter, held: Sequence[Block]) -> None:
        """What is held back, one beside the other, as many as there is room for."""
        t, unit, area = self.theme, scale(), self.shelf
        painter.fillRect(area, t.color("raised"))
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(area.topLeft(), area.topRight())
        words = f"held back: {counted(len(held), 'file')}" if held else ""
        label = QRectF(16 * unit, area.top(), self._left - 24 * unit, area.height())
        draw.text(painter, label, words, font(13, narrow=True), t.color("quiet"))
        x, face = self._left, font(13, narrow=True)
        for number, block in enumerate(held):
            wide = min(260 * unit, draw.wide(block.title, face) + 16 * unit)
            left_over = len(held) - number
            if x + wide > self.width() - (16 if left_over == 1 else 70) * unit:
                more = QRectF(x + 4 * unit, area.top(), self.width() - x, area.height())
                draw.text(painter, more, f"and {left_over} more", face, t.color("quiet"))
                return
            box = QRectF(x, area.top() + 3, wide, area.height() - 6)
            painter.setPen(QPen(t.color("quiet"), 1))
            painter.drawRect(box)
            inside = box.adjusted(8 * unit, 0, -4 * unit, 0)
            draw.text(painter, inside, block.title, face, t.color("text"))
            self._boxes.append((box, block))
            x += wide + 8 * unit

    def box_of(self, output: str) -> QRectF | None:
        """Where an output's first block that is seen is drawn; None for nowhere."""
        boxes = [box for box, block in self._boxes if block.output == output]
        return min(boxes, key=lambda box: box.left(), default=None)

    def middle_of(self, row: int) -> float:
        """The middle of a row, in pixels from the top."""
        top, high, gap = self._rows()
        return top + row * (high + gap) + high / 2

    def _row_at(self, y: float) -> int:
        top, high, gap = self._rows()
        last = (self.data.slots if self.data else 1) - 1
        return max(0, min(last, int((y - top) // (high + gap))))

    def _now(self, painter: QPainter) -> None:
        data, t, unit = self.data, self.theme, scale()
        if data is None or not self.view.begin <= data.now <= self.view.end:
            return
        x = self.x_of(data.now)
        if data.night:  # what is still to come is paler
            rest = QRectF(x, AXIS * unit, self.width() - x, self.height() - AXIS * unit)
            painter.fillRect(rest, t.color("ground", 170))
        painter.setPen(QPen(t.color("text"), 1.4))
        painter.drawLine(QPointF(x, AXIS * unit - 4), QPointF(x, self.height() - 2))
        words = data.now_words if not data.night else clock_text(data.start + timedelta(seconds=data.now))
        box = QRectF(x - 45 * unit, 2, 90 * unit, 16 * unit)
        painter.fillRect(box.adjusted(14 * unit, 0, -14 * unit, 0), t.color("ground"))
        draw.text(painter, box, words, font(12.5, 600, narrow=True), t.color("text"), align=draw.CENTRE)

    def _has_room(self, flag: Flag, data: LaneData) -> bool:
        """Whether a pennant is shown: of many single files', only the marked one's."""
        if not self.view.begin <= flag.at <= self.view.end:
            return False
        return not flag.outputs or len(data.flags) <= FLAGS or self.current in flag.outputs

    def _flag(self, painter: QPainter, flag: Flag, until: float) -> None:
        """A pennant at the moment something is wanted by; its words end where the next begins, in pixels."""
        t, unit = self.theme, scale()
        role = "tide" if flag.chance >= 0.9 else "lichen" if flag.chance >= 0.5 else "rust"
        x, top = self.x_of(flag.at), AXIS * unit - 4
        painter.setPen(
            QPen(t.color(role), 1.4, Qt.PenStyle.DashLine if flag.outputs else Qt.PenStyle.SolidLine)
        )
        painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 2))
        cloth = QPolygonF([QPointF(x, 2), QPointF(x + 11 * unit, 2 + 5 * unit), QPointF(x, 2 + 10 * unit)])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.color(role))
        painter.drawPolygon(cloth)
        face = font(13, 600, narrow=True)
        wide = min(until - x - 20 * unit, draw.wide(flag.words, face) + 4)
        left = x + 14 * unit
        if until >= self.width() and wide < draw.wide(
            flag.words, face
        ):  # at the right edge: before the pennant
            wide = draw.wide(flag.words, face) + 4
            left = x - wide - 2
        if wide > 30 * unit:
            box = QRectF(left, 0, wide, 17 * unit)
            painter.fillRect(QRectF(left - 2, 1, wide + 4, top - 2), t.color("ground"))
            draw.text(painter, box, flag.words, face, t.color(role))

    def _mishap(self, painter: QPainter, mishap: Mishap, top: float, high: float, gap: float) -> None:
        """A station that is lost, or has somebody at it, in a rehearsed night."""
        t, x = self.theme, self.x_of(mishap.begin)
        area = QRectF(
            x,
            top + mishap.first * (high + gap),
            min(self.width() - x, (mishap.end - mishap.begin) * self._scale),
            mishap.rows * (high + gap) - gap,
        )
        painter.fillRect(area, QBrush(t.color("line"), Qt.BrushStyle.BDiagPattern))
        painter.fillRect(QRectF(x, area.top(), 2, area.height()), t.color("rust"))
        if area.width() > 40 and area.height() > 11 * scale():
            draw.text(
                painter, area.adjusted(8, 0, -4, 0), mishap.words, font(13, narrow=True), t.color("text")
            )

    def _paint_drop(self, painter: QPainter, drop: Drop) -> None:
        """What would come of dropping the block that is being dragged."""
        t, unit = self.theme, scale()
        words = drop.words or "nothing changes"
        face = font(13.5, 600)
        long = draw.wide(words, face) + 20 * unit
        left = min(self._at_pointer.x() + 14, self.width() - long - 4)
        top = max(2.0, min(self._at_pointer.y() - 30 * unit, self.height() - 26 * unit))
        box = QRectF(left, top, long, 24 * unit)
        if self.data is not None and not self.data.held:
            painter.fillRect(self.shelf, t.color("raised"))
            label = self.shelf.adjusted(16 * unit, 0, 0, 0)
            draw.text(painter, label, "drop it here to hold it back", font(13, narrow=True), t.color("quiet"))
        if drop.before is not None:
            painter.setPen(QPen(t.color("tide"), 2))
            x = self._at_pointer.x()
            painter.drawLine(QPointF(x, AXIS * unit), QPointF(x, self.height()))
        painter.fillRect(box, t.color("raised"))
        painter.setPen(QPen(t.color("tide" if drop.words else "line"), 1))
        painter.drawRect(box)
        draw.text(painter, box.adjusted(10 * unit, 0, 0, 0), words, face, t.color("text"))

    def _group(self, painter: QPainter, group: LaneGroup, area: QRectF) -> None:
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
        for begin, end in self.closed(group, self.view.end):
            if box := self._stretch(begin, end, area):
                painter.fillRect(box, QBrush(t.color("line"), Qt.BrushStyle.BDiagPattern))
                if box.width() > 60 * unit and area.height() > 11 * unit:
                    words = group.shut if begin <= 0 and group.shut else "not open"
                    draw.text(
                        painter, box.adjusted(8, 0, -4, 0), words, font(13, narrow=True), t.color("quiet")
                    )
        if group.booked > 0 and (box := self._stretch(0.0, group.booked, area)):
            painter.fillRect(box, t.color("line"))
            if box.width() > 60 * unit and area.height() > 11 * unit:
                draw.text(
                    painter,
                    box.adjusted(8, 0, -4, 0),
                    "others' work",
                    font(13, narrow=True),
                    t.color("quiet"),
                )

    def _stretch(self, begin: float, end: float, area: QRectF) -> QRectF | None:
        """What is seen of a stretch of time in some rows; None for nothing."""
        first, last = max(begin, self.view.begin), min(end, self.view.end)
        if last <= first:
            return None
        return QRectF(self.x_of(first), area.top(), (last - first) * self._scale, area.height())

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

    def _axis(self, painter: QPainter, data: LaneData) -> None:
        t, unit = self.theme, scale()
        shown = self.view.end - self.view.begin
        step = draw.nice_steps(shown, self._width / unit)
        at = (data.start.timestamp() + self.view.begin) // step * step + step
        while (seconds := at - data.start.timestamp()) < self.view.end:
            x = self.x_of(seconds)
            painter.setPen(QPen(t.color("line"), 1))
            painter.drawLine(QPointF(x, AXIS * unit - 5), QPointF(x, self.height()))
            moment = datetime.fromtimestamp(at).astimezone()
            pattern = "%H:%M:%S" if step < 60 else "%H:%M" if shown < 86400 else "%a %H:%M"
            if abs(seconds - data.now) * self._scale > 48 * unit or data.night:
                draw.text(
                    painter,
                    QRectF(x - 40 * unit, 2, 80 * unit, 16 * unit),
                    moment.strftime(pattern),
                    font(12.5, narrow=True),
                    t.color("quiet"),
                    align=draw.CENTRE,
                )
            at += step

    def _block(self, painter: QPainter, block: Block, box: QRectF, tail: float) -> None:
        t = self.theme
        self._boxes.append((box, block))
        fade = QRectF(box.right(), box.top(), tail, box.height())
        if box.width() < NARROW:  # one of very many: a line is all that can be seen of it
            painter.fillRect(box, t.color("ember"))
            if tail > 0 and block.state == "planned":
                draw.fading(painter, fade, t.color("ember", 150))
            return
        if block.state != "planned":
            self._paint_past(painter, block, box)
            return
        closed = box.width() * block.kept_share
        draw.kept(painter, QRectF(box.left(), box.top(), closed, box.height()), t)
        draw.to_encode(painter, QRectF(box.left() + closed, box.top(), box.width() - closed, box.height()), t)
        draw.fading(painter, fade, t.color("dusk" if block.kept_share > 0.5 else "ember", 150))
        if box.width() > 34 and box.height() > 11 * scale():
            draw.text(painter, box.adjusted(6, 0, -4, 0), block.title, font(13, narrow=True), t.color("text"))

    def _paint_past(self, painter: QPainter, block: Block, box: QRectF) -> None:
        """What a slot has done, or does: filled; what was lost is struck out."""
        t = self.theme
        if block.state == "lost":
            painter.setPen(QPen(t.color("rust"), 1.4))
            painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
            painter.drawLine(box.bottomLeft(), box.topRight())
        else:
            painter.fillRect(box, t.color("ember", 210 if block.state == "doing" else 110))
            painter.fillRect(QRectF(box.left(), box.top(), 1, box.height()), t.color("ground"))
        if box.width() > 34 and box.height() > 11 * scale():
            draw.text(painter, box.adjusted(6, 0, -4, 0), block.title, font(13, narrow=True), t.color("text"))

    # What is done with them

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        block = self._at(event.position())
        self._pressed = (event.position(), block)
        if block is not None:
            self.chosen.emit(block.output)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.data is None:
            return
        at = event.position()
        if self._pressed is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._drag(at)
            return
        block = self._at(at)
        start = self.data.start
        self.setToolTip(
            f"{block.title}\nheld back: drag it into the lanes to release it"
            if block and block.state == "held"
            else f"{block.title}\nlikely {clock_text(start + timedelta(seconds=block.finish.likely))}, safe {clock_text(start + timedelta(seconds=block.finish.safe))}"
            if block
            else ""
        )

    def _drag(self, at: QPointF) -> None:
        assert self._pressed is not None and self.data is not None
        begun, block = self._pressed
        if (at - begun).manhattanLength() < DRAGGED:
            return
        if block is None or self.data.night or not self.movable:
            self.look(self.view.moved((begun.x() - at.x()) / self._scale))
            self._pressed = (at, None)
            return
        self._at_pointer = at
        along = abs(at.x() - begun.x()) > DRAGGED
        if not self.shelf.contains(at):
            self._drop = dropped(self.data, block, self.seconds_at(at.x()), self._row_at(at.y()), along)
        else:
            self._drop = HOLDING if block.state != "held" else Drop(None, None, "")
        self.setCursor(Qt.CursorShape.ClosedHandCursor)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        pressed, drop = self._pressed, self._drop
        self._let_go()
        if pressed is not None and pressed[1] is not None and drop is not None and drop.words:
            self.moved.emit(pressed[1].output, drop)

    def _let_go(self) -> None:
        self._pressed = self._drop = None
        self.unsetCursor()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._at(event.position()) is None:
            self.show_all()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or abs(turn.x()) > abs(turn.y()):
            steps = (turn.x() or turn.y()) / 120
            self.look(self.view.moved(-steps * (self.view.end - self.view.begin) / 8))
        elif turn.y():
            self.closer(1.25 ** (turn.y() / 120), self.seconds_at(event.position().x()))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        eighth = (self.view.end - self.view.begin) / 8
        match event.key():
            case Qt.Key.Key_Left:
                self.look(self.view.moved(-eighth))
            case Qt.Key.Key_Right:
                self.look(self.view.moved(eighth))
            case Qt.Key.Key_Plus | Qt.Key.Key_Equal:
                self.closer()
            case Qt.Key.Key_Minus:
                self.closer(1 / 1.6)
            case Qt.Key.Key_Home:
                self.show_all()
            case Qt.Key.Key_Escape if self._drop is not None:
                self._let_go()
            case _:
                super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None and (block := self._at(QPointF(event.pos()))):
            self.chosen.emit(block.output)
            self.menu_asked.emit(block.output, event.globalPos())

    def _at(self, point: QPointF) -> Block | None:
        return next((block for box, block in reversed(self._boxes) if box.contains(point)), None)
