"""The grid: sources down, recipes across, a cell for each possible output."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import (
    QAbstractTableModel,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QPoint,
    QRect,
    QRectF,
    QSize,
    Qt,
    QTimer,
    pyqtSignal,
)
from PyQt6.QtGui import (
    QFontMetricsF,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from chronocast.model.batch.batch import FULL
from chronocast.preparation.forecast.treatments import Run
from chronocast.ui.places.plan.cells import Cell
from chronocast.ui.places.plan.model import PlanModel
from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw
from chronocast.ui.widgets.table import stand_on

ROW, HEAD, FOOT = 50, 46, 30
SOURCE_WIDTH = 292
COLUMN_LEAST = 118
GAP = 8
"""Pixels between a source's name and what is to know of it."""
ROOT = QModelIndex()


def _parts_of(plan: PlanModel) -> list[tuple[str, str]]:
    return [(row.source, row.part) for row in plan.rows]


class GridModel(QAbstractTableModel):
    """Column 0 is the source, then a column a recipe."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.plan: PlanModel | None = None

    def take(self, plan: PlanModel) -> None:
        """Show another state of the plan; rows and columns that stay keep the selection."""
        before = self.plan
        same = before is not None and (
            (before.rows is plan.rows or _parts_of(before) == _parts_of(plan))
            and [c.recipe for c in before.columns] == [c.recipe for c in plan.columns]
        )
        if same and before is not None:
            self.plan = plan
            if (cells := plan.cells.changed_from(before.cells)) is not None and before.rows == plan.rows:
                for row, column in cells:
                    self.dataChanged.emit(self.index(row, column + 1), self.index(row, column + 1))
            elif plan.rows:
                self.dataChanged.emit(self.index(0, 0), self.index(len(plan.rows) - 1, len(plan.columns)))
            return
        self.beginResetModel()
        self.plan = plan
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = ROOT) -> int:
        return len(self.plan.rows) if self.plan and not parent.isValid() else 0

    def columnCount(self, parent: QModelIndex = ROOT) -> int:
        return len(self.plan.columns) + 1 if self.plan and not parent.isValid() else 0

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not self.plan or not index.isValid():
            return None
        row = self.plan.rows[index.row()]
        if index.column() == 0:
            if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
                return row.title if role == Qt.ItemDataRole.DisplayRole else f"{row.title}, {row.facts}"
            if role == Qt.ItemDataRole.ToolTipRole:
                return row.problem or f"{row.title}\n{row.facts}"
            return None
        cell = self.plan.cell(index.row(), index.column() - 1)
        column = self.plan.columns[index.column() - 1]
        if role in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.AccessibleTextRole,
            Qt.ItemDataRole.ToolTipRole,
        ):
            told = cell_sentence(cell)
            return (
                f"{cell.time} {cell.size}"
                if role == Qt.ItemDataRole.DisplayRole
                else f"{row.title}, {column.title}: {told}"
            )
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if self.plan and orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            if section == 0:
                return f"{len(self.plan.rows)} sources"
            if section <= len(self.plan.columns):
                return self.plan.columns[section - 1].title
        return None


def cell_sentence(cell: Cell) -> str:
    """A cell in words."""
    if not cell.filled:
        return "not asked for; Space asks for it"
    if cell.held:
        return "held back"
    if cell.problem:
        return cell.problem
    if cell.waiting:
        return "being forecast"
    shares = {
        kind: sum(run.share for run in cell.pieces if run.treatment == kind) for kind in ("kept", "copied")
    }
    kept = "".join(f", {share:.0%} {kind}" for kind, share in shares.items() if share)
    part = f", {cell.share} of the whole" if cell.share else ""
    own = f"; otherwise than its column: {cell.own}" if cell.own else ""
    card = f"; {cell.card_told}" if cell.card_told else ""
    return f"{cell.time}, {cell.size}{kept}{part}{own}{card}"


class CellPainter(QStyledItemDelegate):
    """Paints sources and cells."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme = theme
        self.strips: dict[str, QImage] = {}
        self.want: Callable[[str, str, tuple[int, ...]], None] | None = None

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        model = index.model()
        if painter is None or not isinstance(model, GridModel) or model.plan is None:
            return
        box = QRectF(option.rect)
        t = self.theme
        painter.save()
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen and index.column() == 0:
            painter.fillRect(box, t.color("choice"))
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        if index.column() == 0:
            self._source(painter, box, model.plan, index.row())
        else:
            self._cell(painter, box.adjusted(7, 0, -9, 0), model.plan.cell(index.row(), index.column() - 1))
            if chosen:
                focus = bool(option.state & QStyle.StateFlag.State_HasFocus)
                painter.setPen(QPen(t.color("tide"), 2 if focus else 1.2))
                painter.drawRoundedRect(box.adjusted(2.5, 2.5, -3.5, -3.5), 3, 3)
        painter.restore()

    def _source(self, painter: QPainter, box: QRectF, plan: PlanModel, number: int) -> None:
        row, t, unit = plan.rows[number], self.theme, scale()
        left = box.left() + 16 * unit
        if row.indented:
            painter.setPen(QPen(t.color("line"), 1))
            painter.drawLine(round(left + 8), round(box.top()), round(left + 8), round(box.center().y()))
            painter.drawLine(
                round(left + 8), round(box.center().y()), round(left + 18), round(box.center().y())
            )
            left += 24 * unit
        else:
            height = box.height() - 14 * unit
            width = height * 16 / 9
            frame = QRectF(left, box.top() + 7 * unit, width * 1.62, height)
            strip = self.strips.get(row.fingerprint)
            if strip is not None:
                # the first still whole, half of the second: enough to know it is the right thing
                each = strip.width() / max(1, len(row.frames))
                painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
                painter.drawImage(frame, strip, QRectF(0, 0, min(each * 1.62, strip.width()), strip.height()))
            else:
                painter.fillRect(frame, t.color("raised"))
                if row.frames and self.want is not None:
                    self.want(row.fingerprint, row.source, row.frames)
            left += frame.width() + 12 * unit
        right = box.right() - 8
        draw.text(
            painter,
            QRectF(left, box.top() + 8 * unit, right - left, 18 * unit),
            row.title,
            font(14.5),
            t.color("text"),
            middle=True,
            narrowed=True,
        )
        colour = t.color("rust") if row.problem else t.color("quiet")
        draw.text(
            painter,
            QRectF(left, box.top() + 26 * unit, right - left, 16 * unit),
            row.facts,
            font(13, narrow=True),
            colour,
        )
        if row.notes and not row.problem:
            words = f"{row.notes} to know"
            metrics = QFontMetricsF(font(12.5, narrow=True))
            width = metrics.horizontalAdvance(words)
            if left + draw.wide(row.title, font(14.5)) + GAP + width < right:
                place = QRectF(right - width - 2, box.top() + 9 * unit, width + 2, 16 * unit)
                draw.text(painter, place, words, font(12.5, narrow=True), t.color("dusk"), align=draw.RIGHT)

    def _cell(self, painter: QPainter, box: QRectF, cell: Cell) -> None:
        t, unit = self.theme, scale()
        if not cell.filled:
            painter.fillRect(QRectF(box.left() + 2, box.center().y() - 1, 3, 2), t.color("line"))
            return
        if cell.held or cell.problem or cell.waiting:
            told = "held" if cell.held else cell.problem or "…"
            draw.text(painter, box, told, font(13, narrow=True), t.color("rust" if cell.problem else "quiet"))
            return
        words = 62 * unit
        if cell.card == "breaks":  # a receiver's card isn't met
            draw.mark(painter, QRectF(box.right() - 6, box.top() + 2, 6, 8).center(), "needs you", t, 3.6)
        if cell.own:  # it says something otherwise than its column
            box = box.adjusted(14 * unit, 0, 0, 0)
            draw.text(
                painter,
                QRectF(box.left() - 16 * unit, box.center().y() - 6 * unit, 12, 12 * unit),
                "≠",
                font(13, 600),
                t.color("lichen"),
            )
        if cell.share:  # a part never passes for the whole
            wide = 36 * unit
            draw.text(
                painter,
                QRectF(box.left(), box.top(), wide, box.height()),
                cell.share,
                font(12.5, narrow=True),
                t.color("dusk"),
            )
            box = box.adjusted(wide, 0, 0, 0)
        room = box.width() - words - 6
        top, below = box.top() + 11 * unit, box.top() + 28 * unit
        bar = 10 * unit
        full = max(3.0, room * cell.time_share)
        if cell.made:
            draw.mark(painter, QRectF(box.left() + 4, top, bar, bar).center(), "proved", t)
        else:
            at = box.left()
            for run in cell.pieces or (Run("encode", 1.0),):
                draw.TREATMENTS[run.treatment](painter, QRectF(at, top, full * run.share, bar), t)
                at += full * run.share
        painter.fillRect(
            QRectF(box.left(), below + 1, max(3.0, room * cell.size_share), bar - 2), t.color("bar")
        )
        right = box.right() - words
        draw.text(
            painter,
            QRectF(right, top - 4, words, bar + 8),
            cell.time,
            font(14, 600),
            t.color("text"),
            align=draw.RIGHT,
            narrowed=True,
        )
        draw.text(
            painter,
            QRectF(right, below - 3, words, bar + 8),
            cell.size,
            font(13, narrow=True),
            t.color("quiet"),
            align=draw.RIGHT,
        )

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(COLUMN_LEAST, round(ROW * scale()))


class RecipeHeader(QHeaderView):
    """Recipe names over what they are, in two lines."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.theme = theme
        self.setSectionsClickable(True)
        self.setHighlightSections(False)

    def sizeHint(self) -> QSize:
        return QSize(100, round(HEAD * scale()))

    def paintSection(self, painter: QPainter | None, rect: QRect, section: int) -> None:
        model = self.model()
        if painter is None or not isinstance(model, GridModel) or model.plan is None:
            return
        box, t, unit = QRectF(rect), self.theme, scale()
        painter.save()
        painter.fillRect(box, t.color("ground"))
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        if section == 0:
            count = len({row.source for row in model.plan.rows})
            words = f"{count} source{'s' if count != 1 else ''}"
            draw.text(
                painter, box.adjusted(16 * unit, 0, -4, 0), words, font(13, narrow=True), t.color("quiet")
            )
        elif section <= len(model.plan.columns):
            column = model.plan.columns[section - 1]
            left = box.adjusted(7, 0, -6, 0)
            draw.text(
                painter,
                QRectF(left.left(), box.top() + 6 * unit, left.width(), 18 * unit),
                column.title,
                font(14, 600),
                t.color("lichen" if column.changed else "text"),
                middle=True,
                narrowed=True,
            )
            draw.text(
                painter,
                QRectF(left.left(), box.top() + 23 * unit, left.width(), 16 * unit),
                column.facts,
                font(12.5, narrow=True),
                t.color("quiet"),
            )
        painter.restore()


class GridTable(QTableView):
    """The table itself: Space fills or clears what is selected."""

    fill_asked = pyqtSignal()
    range_asked = pyqtSignal()
    resized = pyqtSignal()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.resized.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Space and not event.modifiers():
            self.fill_asked.emit()
            return
        if (
            event is not None
            and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and not event.modifiers()
        ):
            self.range_asked.emit()
            return
        super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            column = self.indexAt(event.position().toPoint()).column()
            if column > 0:
                self.fill_asked.emit()
            elif column == 0:
                self.range_asked.emit()


class Totals(QWidget):
    """The row under the grid: what each recipe comes to.  A click selects the files that a figure sums up."""

    def __init__(self, theme: Theme, table: QTableView) -> None:
        super().__init__()
        self.theme, self.table = theme, table
        self.setFixedHeight(round(FOOT * scale()))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("Click a sum to select the files it is of; “all” selects every file.")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        model, selection = self.table.model(), self.table.selectionModel()
        if event is None or selection is None or not isinstance(model, GridModel) or model.plan is None:
            return
        column = self.table.columnAt(round(event.position().x()))
        cells = [model.index(row, at + 1) for row, at in sorted(model.plan.cells) if column in (0, at + 1)]
        if cells:
            stand_on(self.table, cells[0])
            chosen = QItemSelection()
            for cell in cells:
                chosen.select(cell, cell)
            selection.select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            self.table.setFocus()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        model = self.table.model()
        if not isinstance(model, GridModel) or model.plan is None:
            return
        painter, t, unit = QPainter(self), self.theme, scale()
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(0, 0, self.width(), 0)
        box = QRectF(16 * unit, 0, 120, self.height())
        draw.text(painter, box, "all", font(13, narrow=True), t.color("quiet"))
        for number, words in enumerate(model.plan.totals):
            left = self.table.columnViewportPosition(number + 1)
            width = self.table.columnWidth(number + 1)
            draw.text(
                painter,
                QRectF(left + 7, 0, width - 16, self.height()),
                words,
                font(13.5, narrow=True),
                t.color("text"),
                align=draw.RIGHT,
            )


class Grid(QWidget):
    """``Grid(theme)``: header, table, totals.  Reports gestures; decides nothing.

    ``current_changed`` (output id or ""), ``selection_changed`` (once after
    all that a gesture changed), ``fill_asked`` (cells, whether to fill),
    ``menu_asked`` (where).
    """

    current_changed = pyqtSignal(str)
    selection_changed = pyqtSignal()
    fill_asked = pyqtSignal(list, bool)
    menu_asked = pyqtSignal(QPoint)
    range_asked = pyqtSignal()
    column_moved = pyqtSignal(str, int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model = GridModel(self)
        self.table = table = GridTable(self)
        self.painter = CellPainter(theme, table)
        table.setModel(self.model)
        table.setItemDelegate(self.painter)
        self.header = RecipeHeader(theme, table)
        table.setHorizontalHeader(self.header)
        self.header.setSectionsMovable(True)
        self.header.setFirstSectionMovable(False)
        self.header.sectionMoved.connect(self._moved)
        table.setAccessibleName("Sources and recipes")
        table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        table.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        table.setShowGrid(False)
        table.setTabKeyNavigation(False)
        table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        table.customContextMenuRequested.connect(lambda at: self.menu_asked.emit(table.mapToGlobal(at)))
        rows = table.verticalHeader()
        assert rows is not None
        rows.hide()
        rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        rows.setDefaultSectionSize(round(ROW * scale()))
        self._putting_back = False
        self.totals = Totals(theme, table)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(table, 1)
        layout.addWidget(self.totals)
        table.fill_asked.connect(self._fill)
        table.range_asked.connect(self.range_asked)
        table.resized.connect(self._fit)
        selection = table.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda *_: self.current_changed.emit(self.current_output()))
        self._selected_since = QTimer(self)
        self._selected_since.setSingleShot(True)
        self._selected_since.timeout.connect(self.selection_changed)
        selection.selectionChanged.connect(lambda *_: self._selected_since.start(0))
        bar = table.horizontalScrollBar()
        assert bar is not None
        bar.valueChanged.connect(lambda _: self.totals.update())

    def show_plan(self, plan: PlanModel) -> None:
        """Show another state of the plan."""
        had = self.current_output()
        columns = self.model.columnCount()
        self.model.take(plan)
        if columns != self.model.columnCount():
            self._fit()
            QTimer.singleShot(0, self._fit)  # once more when the scroll bar has taken its room
        self.totals.update()
        current = self.table.currentIndex()
        if not current.isValid() and plan.rows:
            at = plan.place(had) or next(iter(sorted(plan.cells)), (0, 0))
            stand_on(self.table, self.model.index(at[0], at[1] + 1))

    def current_output(self) -> str:
        """The output of the current cell, or nothing."""
        index = self.table.currentIndex()
        if not index.isValid() or self.model.plan is None or index.column() < 1:
            return ""
        return self.model.plan.cell(index.row(), index.column() - 1).output

    def current_source(self) -> str:
        """The source whose own cell is current, or nothing."""
        index = self.table.currentIndex()
        if not index.isValid() or self.model.plan is None or index.column() != 0:
            return ""
        return self.model.plan.rows[index.row()].source

    def current_range(self) -> tuple[str, str, str]:
        """Source, range and output of the current cell; nothing where there is none."""
        index = self.table.currentIndex()
        if not index.isValid() or self.model.plan is None:
            return "", FULL, ""
        row = self.model.plan.rows[index.row()]
        return row.source, row.part, self.current_output()

    def selected(self) -> list[tuple[int, int]]:
        """Selected cells as (row, column); a selected source stands for its whole row."""
        found: dict[tuple[int, int], None] = {}
        whole = range(self.model.columnCount() - 1)
        for rows, columns in self._selected():
            chosen = range(columns.start - 1, columns.stop - 1) if columns.start > 0 else whole
            found.update(dict.fromkeys((row, column) for row in rows for column in chosen))
        return list(found)

    def selected_sources(self) -> list[str]:
        """Sources that have a selected cell."""
        if self.model.plan is None:
            return []
        rows = self.model.plan.rows
        return list(dict.fromkeys(rows[number].source for chosen, _ in self._selected() for number in chosen))

    def _selected(self) -> list[tuple[range, range]]:
        """Rows and columns of the table that are selected, as rectangles; thousands of cells are one."""
        model = self.table.selectionModel()
        if model is None:
            return []
        chosen = model.selection()
        return [
            (range(one.top(), one.bottom() + 1), range(one.left(), one.right() + 1))
            for one in (chosen[number] for number in range(len(chosen)))
        ]

    def _fill(self) -> None:
        plan, cells = self.model.plan, self.selected()
        if plan is None or not cells:
            return
        filled = not all(plan.cell(*cell).filled for cell in cells)
        names = [(plan.rows[r].source, plan.rows[r].part, plan.columns[c].recipe) for r, c in cells]
        self.fill_asked.emit(names, filled)

    def _moved(self, section: int, old: int, new: int) -> None:
        """A column was dragged by its head: the batch's order changes, and the grid follows it."""
        if self._putting_back or self.model.plan is None or section < 1:
            return
        self._putting_back = True
        self.header.moveSection(new, old)
        self._putting_back = False
        self.column_moved.emit(self.model.plan.columns[section - 1].recipe, max(0, new - 1))

    def _fit(self) -> None:
        count = self.model.columnCount()
        if not count:
            return
        viewport = self.table.viewport()
        assert viewport is not None
        source = min(round(SOURCE_WIDTH * scale()), round(viewport.width() * 0.45))
        self.table.setColumnWidth(0, source)
        if count > 1:
            each = (viewport.width() - source - 1) // (count - 1)
            for column in range(1, count):
                self.table.setColumnWidth(column, int(max(COLUMN_LEAST * scale(), min(each, 230 * scale()))))
