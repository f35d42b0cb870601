"""A row of choices, painted: each with what it does to size and time, or why it can't be had."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFontMetricsF,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from chronocast.ui.places.recipe.settings import Setting
from chronocast.ui.theme import Theme, font, scale

PAD, GAP = 10.0, 4.0
FLAGS = int((Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter).value) | int(
    Qt.TextFlag.TextSingleLine.value
)


class Choices(QWidget):
    """``Choices(theme)``; ``show_setting`` gives it what can be chosen.

    ``taken`` with the number of a choice; ``refused`` with the sentence why one can't be had.
    """

    taken = pyqtSignal(int)
    refused = pyqtSignal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.setting = Setting("", "", "")
        self.at = 0
        self.boxes: list[QRectF] = []
        self._words: tuple[tuple[str, str], ...] = ()
        self._widths: list[float] = []
        self.line = 25.0  # the height of a chip: more where any of them says what it does
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def show_setting(self, setting: Setting) -> None:
        """Show other choices, or other effects of the same."""
        words = tuple((choice.words, choice.effect) for choice in setting.choices)
        self.line = (37.0 if any(effect for _, effect in words) else 25.0) * scale()
        if words != self._words:
            self._words = words
            first, second = QFontMetricsF(font(13.5, 600)), QFontMetricsF(font(12, narrow=True))
            self._widths = [
                max(first.horizontalAdvance(a), second.horizontalAdvance(b) if b else 0.0) + 2 * PAD
                for a, b in words
            ]
        self.setting = setting
        if not self.hasFocus() and setting.chosen >= 0:
            self.at = setting.chosen
        self.at = min(self.at, max(0, len(setting.choices) - 1))
        self._lay(self.width())
        self.setAccessibleName(setting.label or setting.key)
        now = (
            setting.choices[setting.chosen].words
            if setting.chosen >= 0
            else "differs"
            if setting.mixed
            else "none"
        )
        self.setAccessibleDescription(f"{now}. {setting.told}")
        self.updateGeometry()
        self.update()

    def _lay(self, width: int) -> float:
        """Place the chips in lines; how high they are together."""
        x, y, line, self.boxes = 0.0, 0.0, self.line, []
        for wide in self._widths:
            if x and x + wide > width:
                x, y = 0.0, y + line + GAP
            self.boxes.append(QRectF(x, y, wide, line))
            x += wide + GAP
        return y + line if self.boxes else 0.0

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return round(self._lay(width)) + 1

    def sizeHint(self) -> QSize:
        return QSize(300, self.heightForWidth(max(300, self.width())))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._lay(self.width())
        super().resizeEvent(event)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter, t, unit = QPainter(self), self.theme, scale()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        usual, bold, small = font(13.5), font(13.5, 600), font(12, narrow=True)
        quiet, text = t.color("quiet"), t.color("text")
        for number, (choice, box) in enumerate(zip(self.setting.choices, self.boxes, strict=True)):
            chosen = number == self.setting.chosen
            inner = box.adjusted(0.5, 0.5, -0.5, -0.5)
            if chosen:
                painter.fillRect(inner, t.color("choice"))
                painter.fillRect(
                    QRectF(inner.left(), inner.bottom() - 2, inner.width(), 2.5), t.color("tide")
                )
            else:
                painter.setPen(
                    QPen(t.color("edge"), 1, Qt.PenStyle.DotLine if choice.why else Qt.PenStyle.SolidLine)
                )
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(inner, 2, 2)
            if self.hasFocus() and number == self.at:
                painter.setPen(QPen(t.color("tide"), 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(inner.adjusted(1.5, 1.5, -1.5, -1.5), 2, 2)
            words = box.adjusted(PAD, 0, -PAD + 2, 0)
            if choice.effect:
                words = QRectF(words.left(), words.top() + 3 * unit, words.width(), 18 * unit)
            painter.setFont(bold if chosen else usual)
            painter.setPen(quiet if choice.why else text)
            painter.drawText(words, FLAGS, choice.words)
            if choice.effect:
                painter.setFont(small)
                painter.setPen(quiet)
                painter.drawText(
                    QRectF(words.left(), words.bottom() - 1, words.width() + 4, 14 * unit),
                    FLAGS,
                    choice.effect,
                )

    def number_at(self, at: QPoint) -> int:
        """Which choice lies at a point; −1 for none."""
        return next((n for n, box in enumerate(self.boxes) if box.contains(at.toPointF())), -1)

    def take(self, number: int) -> None:
        """Choose one, or say why it can't be had."""
        if not 0 <= number < len(self.setting.choices):
            return
        self.at = number
        choice = self.setting.choices[number]
        if choice.why:
            self.refused.emit(f"{choice.words}: {choice.why}.")
        elif number != self.setting.chosen:
            self.taken.emit(number)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.take(self.number_at(event.position().toPoint()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if step and self.setting.choices:
            self.at = (self.at + step) % len(self.setting.choices)
            self.update()
        elif event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.take(self.at)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            number = self.number_at(event.pos())
            choice = self.setting.choices[number] if number >= 0 else None
            told = (
                f"{choice.words}: {choice.why or choice.effect or 'as it is'}"
                if choice
                else self.setting.told
            )
            QToolTip.showText(event.globalPos(), told, self)
            return True
        return super().event(event)
