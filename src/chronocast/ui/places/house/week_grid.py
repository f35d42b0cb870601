"""A week in half hours, painted by dragging: when this machine works for its house."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from chronocast.model.calendar import DAYS, Calendar, OpenHours
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

HALVES = 48
LABEL, HEAD = 44, 20


def halves_of(calendar: Calendar) -> tuple[frozenset[int], ...]:
    """The half hours of each day in which a calendar is open; all, where it names none."""
    if not calendar.hours:
        return tuple(frozenset(range(HALVES)) for _ in DAYS)
    found: list[set[int]] = [set() for _ in DAYS]
    for item in calendar.hours:
        begin, end = (int(text[:2]) * 2 + (int(text[3:]) >= 30) for text in (item.begin, item.end))
        for day in item.days:
            for half in range(begin, end if end > begin else end + HALVES):
                found[(day + half // HALVES) % 7].add(half % HALVES)
    return tuple(frozenset(day) for day in found)


def hours_of(days: tuple[frozenset[int], ...]) -> tuple[OpenHours, ...]:
    """Half hours as open hours; days that are alike together.  None where every half hour is open."""
    if all(len(day) == HALVES for day in days):
        return ()
    spans: dict[tuple[int, int], list[int]] = {}
    for number, day in enumerate(days):
        begin: int | None = None
        for half in range(HALVES + 1):
            if half in day and begin is None:
                begin = half
            elif half not in day and begin is not None:
                spans.setdefault((begin, half), []).append(number)
                begin = None
    return tuple(
        OpenHours(days=tuple(numbers), begin=_clock(begin), end=_clock(end))
        for (begin, end), numbers in sorted(spans.items())
    )


def _clock(half: int) -> str:
    return f"{half // 2:02d}:{30 * (half % 2):02d}"


class WeekGrid(QWidget):
    """``WeekGrid(theme, calendar)``: dragging opens or shuts half hours; ``days`` are those that are open."""

    changed = pyqtSignal()

    def __init__(self, theme: Theme, calendar: Calendar, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.days = halves_of(calendar)
        self._at = (0, 0)
        self._opening: bool | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Hours of the week")
        self._tell()

    def sizeHint(self) -> QSize:
        return QSize(round(620 * scale()), round((HEAD + 7 * 26) * scale()))

    def set_half(self, day: int, half: int, is_open: bool) -> None:
        """Open or shut a half hour."""
        if (half in self.days[day]) == is_open:
            return
        new = self.days[day] | {half} if is_open else self.days[day] - {half}
        self.days = (*self.days[:day], new, *self.days[day + 1 :])
        self._tell()
        self.update()
        self.changed.emit()

    def place(self, point: QPointF) -> tuple[int, int] | None:
        """The day and the half hour at a point, if there is one."""
        unit = scale()
        x, y = point.x() - LABEL * unit, point.y() - HEAD * unit
        wide, high = (self.width() - LABEL * unit) / HALVES, (self.height() - HEAD * unit) / 7
        day, half = int(y // high), int(x // wide)
        return (day, half) if 0 <= day < 7 and 0 <= half < HALVES else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (at := self.place(event.position())):
            self._opening = at[1] not in self.days[at[0]]
            self._at = at
            self.set_half(*at, self._opening)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._opening is None or (at := self.place(event.position())) is None:
            return
        days, halves = sorted((self._at[0], at[0])), sorted((self._at[1], at[1]))
        for day in range(days[0], days[1] + 1):
            for half in range(halves[0], halves[1] + 1):
                self.set_half(day, half, self._opening)

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        self._opening = None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        moves = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }
        if event is None:
            return
        if event.key() == Qt.Key.Key_Space:
            self.set_half(*self._at, self._at[1] not in self.days[self._at[0]])
        elif (move := moves.get(Qt.Key(event.key()))) is not None:
            self._at = ((self._at[0] + move[0]) % 7, (self._at[1] + move[1]) % HALVES)
            self._tell()
            self.update()
        else:
            super().keyPressEvent(event)

    def _tell(self) -> None:
        told = Calendar(hours=hours_of(self.days)).told
        day, half = self._at
        state = "open" if half in self.days[day] else "shut"
        self.setAccessibleDescription(f"Open {told}. {DAYS[day]} {_clock(half)} is {state}.")

    def paintEvent(self, _: QPaintEvent | None) -> None:
        t, unit = self.theme, scale()
        painter = QPainter(self)
        painter.fillRect(self.rect(), t.color("ground"))
        wide, high = (self.width() - LABEL * unit) / HALVES, (self.height() - HEAD * unit) / 7
        for hour in range(0, 25, 3):
            x = LABEL * unit + hour * 2 * wide
            box = QRectF(min(x - 20 * unit, self.width() - 40 * unit), 0, 40 * unit, HEAD * unit)
            draw.text(
                painter, box, f"{hour:02d}", font(12.5, narrow=True), t.color("quiet"), align=draw.CENTRE
            )
        for day, name in enumerate(DAYS):
            top = HEAD * unit + day * high
            draw.text(
                painter, QRectF(4, top, LABEL * unit, high), name, font(13, narrow=True), t.color("text")
            )
            for half in range(HALVES):
                left, right = (round(LABEL * unit + edge * wide) for edge in (half, half + 1))
                box = QRectF(left, round(top) + 1, right - left - half % 2, round(high) - 2)
                painter.fillRect(box, t.color("tide" if half in self.days[day] else "line"))
        if self.hasFocus():
            painter.setPen(QPen(t.color("text"), 1.4))
            day, half = self._at
            painter.drawRect(QRectF(LABEL * unit + half * wide, HEAD * unit + day * high, wide, high))
        painter.end()
