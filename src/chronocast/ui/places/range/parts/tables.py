"""The tables of *Range*: a source's ranges, and the files that are made of one."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRectF, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QMouseEvent, QPainter

from chronocast.model.batch.batch import FULL
from chronocast.ui.places.range.model import MadeFile, RangeRow
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw
from chronocast.ui.widgets.table import Col, RowsTable, stand_on


def _paint_name(painter: QPainter, box: QRectF, row: RangeRow, t: Theme) -> None:
    words = font(14, 600 if row.part == FULL else 400)
    width = draw.text(painter, box, row.name, words, t.color("text"))
    if row.note:
        draw.mark(
            painter, QRectF(box.left() + width + 8, box.top(), 10, box.height()).center(), "needs you", t, 4
        )


def _paint_share(painter: QPainter, box: QRectF, row: RangeRow, t: Theme) -> None:
    words = row.extent.share_text
    room = QRectF(box.left(), box.center().y() - 4, max(8.0, box.width() - 52 * scale()), 8)
    painter.fillRect(room, t.color("line"))
    painter.fillRect(
        QRectF(room.left(), room.top(), max(2.0, room.width() * row.extent.share), room.height()),
        t.color("tide"),
    )
    draw.text(painter, box, words, font(13, narrow=True), t.color("text"), align=draw.RIGHT)


def _paint_file(painter: QPainter, box: QRectF, made: MadeFile, t: Theme) -> None:
    upper = QRectF(box.left(), box.top() + 3, box.width(), box.height() / 2)
    lower = QRectF(box.left(), box.center().y() - 2, box.width(), box.height() / 2)
    draw.text(painter, upper, made.name, font(13.5), t.color("quiet" if made.draft else "text"), middle=True)
    told = (
        ("if taken: " if made.draft else "")
        + made.extent
        + (" · framed" if made.framed else "")
        + (f" · {made.problem}" if made.problem else "")
    )
    draw.text(
        painter,
        lower,
        told,
        font(12.5, narrow=True),
        t.color("rust" if made.problem else "quiet" if made.full else "dusk"),
    )


def _paint_cost(painter: QPainter, box: QRectF, made: MadeFile, t: Theme) -> None:
    upper = QRectF(box.left(), box.top() + 3, box.width(), box.height() / 2)
    lower = QRectF(box.left(), box.center().y() - 2, box.width(), box.height() / 2)
    words, told = font(13.5, 600), f"{made.time} · {made.size}" if made.size else made.time
    together = QFontMetrics(words).horizontalAdvance(told) <= upper.width()
    draw.text(
        painter,
        upper,
        told if together else made.time,
        words,
        t.color("quiet" if made.draft else "text"),
        align=draw.RIGHT,
    )
    change = (made.change if together else made.size) or (
        f"{made.kept_share:.0%} kept".replace("%", " %") if made.kept_share else ""
    )
    draw.text(
        painter,
        lower,
        change,
        font(12.5, narrow=True),
        t.color("text" if made.change else "quiet"),
        align=draw.RIGHT,
    )


class FileTable(RowsTable):
    """The files that will be made of the source."""

    row_chosen = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__(
            theme,
            (
                Col(
                    "files this source makes",
                    lambda f: f"{'if taken: ' if f.draft else ''}{f.name}, {f.extent}",
                    0.66,
                    _paint_file,
                ),
                Col(
                    "time · size", lambda f: f"{f.time}, {f.size}, {f.change}", 0.34, _paint_cost, right=True
                ),
            ),
            "Files that will be made of this source",
            40,
        )
        self.clicked.connect(lambda index: self.row_chosen.emit(self.rows_model.rows[index.row()].output))
        self.activated.connect(lambda index: self.row_chosen.emit(self.rows_model.rows[index.row()].output))

    def show_files(self, files: tuple[MadeFile, ...], chosen: str) -> None:
        """Show the files with one chosen."""
        self.show_rows(files, lambda made: made.output)
        at = next((n for n, made in enumerate(files) if made.output == chosen), -1)
        if at >= 0 and self.currentIndex().row() != at:
            stand_on(self, self.rows_model.index(at, 0))


class RangeTable(RowsTable):
    """The ranges of the source; a cell for each recipe is filled by a click or Space."""

    row_chosen = pyqtSignal(str)
    toggled = pyqtSignal(str, str)

    def __init__(self, theme: Theme) -> None:
        self.recipes: tuple[tuple[str, str], ...] = ()
        super().__init__(
            theme,
            (
                Col("range", lambda r: r.name + (f": {r.note}" if r.note else ""), 0.17, _paint_name),
                Col("", lambda r: r.kind, 0.085, quiet=True),
                Col("first", lambda r: r.first_text, 0.15, right=True),
                Col("last in the file", lambda r: r.last_text, 0.15, right=True),
                Col("length", lambda r: f"{r.length_text} · {r.extent.frames} f", 0.205, right=True),
                Col("of the whole", lambda r: r.extent.share_text, 0.12, _paint_share, right=True),
                Col("makes", self._makes_words, 0.12, self._paint_makes),
            ),
            "Ranges of this source",
            28,
        )
        self._theme = theme
        selection = self.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(lambda now, _: self._chose(now.row()))
        self._showing = False

    def _chose(self, row: int) -> None:
        if not self._showing and 0 <= row < len(self.rows_model.rows):
            self.row_chosen.emit(self.rows_model.rows[row].part)

    def _makes_words(self, row: RangeRow) -> str:
        names = [name for name, asked in row.recipes if asked]
        return "makes " + ", ".join(names) if names else "makes nothing"

    def _boxes(self, box: QRectF, count: int) -> list[QRectF]:
        each = min(18.0 * scale(), (box.width() + 4) / max(1, count) - 4)
        return [
            QRectF(box.left() + n * (each + 4), box.center().y() - 7 * scale(), each, 14 * scale())
            for n in range(count)
        ]

    def _paint_makes(self, painter: QPainter, box: QRectF, row: RangeRow, t: Theme) -> None:
        for (_, asked), place in zip(row.recipes, self._boxes(box, len(row.recipes)), strict=True):
            if asked:
                draw.to_encode(painter, place, t)
            else:
                painter.fillRect(
                    QRectF(place.center().x() - 1.5, place.center().y() - 1, 3, 2), t.color("quiet")
                )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        if event is None:
            return
        index = self.indexAt(event.position().toPoint())
        if index.isValid() and index.column() == len(self.columns) - 1:
            row: RangeRow = self.rows_model.rows[index.row()]
            box = QRectF(self.visualRect(index)).adjusted(8, 0, -10, 0)
            for (recipe, _), place in zip(row.recipes, self._boxes(box, len(row.recipes)), strict=True):
                if place.adjusted(-2, -6, 2, 6).contains(event.position()):
                    self.toggled.emit(row.part, recipe)

    def show_ranges(self, rows: tuple[RangeRow, ...], chosen: str) -> None:
        """Show the ranges with one chosen."""
        self._showing = True
        self.show_rows(rows, lambda row: row.part)
        at = next((n for n, row in enumerate(rows) if row.part == chosen), -1)
        if at >= 0 and self.currentIndex().row() != at:
            stand_on(self, self.rows_model.index(at, 0))
        self._showing = False

    def recipe_place(self, row: int, number: int) -> QPoint:
        """Where the cell of a recipe lies."""
        box = QRectF(self.visualRect(self.rows_model.index(row, len(self.columns) - 1))).adjusted(
            8, 0, -10, 0
        )
        return self._boxes(box, len(self.rows_model.rows[row].recipes))[number].center().toPoint()
