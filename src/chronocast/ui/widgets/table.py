"""A plain table of painted rows: what *Run* and *Check* share."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QItemSelectionModel, QModelIndex, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from chronocast.ui.theme import Theme, font, scale
from chronocast.ui.widgets import draw

ROOT = QModelIndex()


def stand_on(view: QAbstractItemView, index: QModelIndex) -> None:
    """Make an index the current one and the only one that is chosen, whatever keys are held down meanwhile."""
    selection = view.selectionModel()
    if selection is not None:
        chosen = QItemSelectionModel.SelectionFlag.ClearAndSelect
        if view.selectionBehavior() == QAbstractItemView.SelectionBehavior.SelectRows:
            chosen |= QItemSelectionModel.SelectionFlag.Rows
        selection.setCurrentIndex(index, chosen)


@dataclass(frozen=True)
class Col:
    """A column: its heading, its words for a row, how it is painted (words, unless said), its share of the width."""

    title: str
    words: Callable[[Any], str]
    share: float
    paint: Callable[[QPainter, QRectF, Any, Theme], None] | None = None
    right: bool = False
    quiet: bool = False
    strong: bool = False


class RowsModel(QAbstractTableModel):
    """Rows of values, columns as ``Col`` says."""

    def __init__(self, columns: Sequence[Col], parent: QWidget) -> None:
        super().__init__(parent)
        self.columns, self.rows = list(columns), []

    rows: list[Any]

    def take(self, rows: Sequence[Any], key: Callable[[Any], Any]) -> None:
        """Show other rows; the same ones in the same order keep the selection."""
        if [key(row) for row in rows] == [key(row) for row in self.rows]:
            if list(rows) != self.rows:
                self.rows = list(rows)
                self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(self.columns) - 1))
            return
        self.beginResetModel()
        self.rows = list(rows)
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = ROOT) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = ROOT) -> int:
        return 0 if parent.isValid() else len(self.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if index.isValid() and role in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.ToolTipRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            return self.columns[index.column()].words(self.rows[index.row()])
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.columns[section].title
        return None


class _Header(QHeaderView):
    def __init__(self, theme: Theme, columns: Sequence[Col], parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.theme, self.columns = theme, columns

    def sizeHint(self) -> QSize:
        return QSize(100, round(28 * scale()))

    def paintSection(self, painter: QPainter | None, rect: Any, section: int) -> None:
        if painter is None or section >= len(self.columns):
            return
        box, column = QRectF(rect), self.columns[section]
        painter.save()
        painter.fillRect(box, self.theme.color("ground"))
        painter.setPen(QPen(self.theme.color("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        inner = box.adjusted(16 if section == 0 else 8, 0, -10, 0)
        draw.text(
            painter,
            inner,
            column.title,
            font(13, narrow=True),
            self.theme.color("quiet"),
            align=draw.RIGHT if column.right else draw.LEFT,
        )
        painter.restore()


class _Painter(QStyledItemDelegate):
    def __init__(self, theme: Theme, parent: QWidget, height: int) -> None:
        super().__init__(parent)
        self.theme, self.height = theme, height

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        model = index.model()
        if painter is None or not isinstance(model, RowsModel):
            return
        box, t, column = QRectF(option.rect), self.theme, model.columns[index.column()]
        row = model.rows[index.row()]
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, t.color("choice"))
            if index.column() == 0:
                painter.fillRect(QRectF(box.left(), box.top(), 3, box.height()), t.color("tide"))
        painter.setPen(QPen(t.color("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        inner = box.adjusted(16 if index.column() == 0 else 8, 0, -10, 0)
        if column.paint:
            column.paint(painter, inner, row, t)
        else:
            made = font(13.5, 600 if column.strong else 400, narrow=not column.strong)
            colour = t.color("quiet" if column.quiet else "text")
            draw.text(
                painter,
                inner,
                column.words(row),
                made,
                colour,
                align=draw.RIGHT if column.right else draw.LEFT,
                narrowed=True,
            )
        painter.restore()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(60, round(self.height * scale()))


class RowsTable(QTableView):
    """``RowsTable(theme, columns, name)``: whole rows are chosen; columns share the width."""

    def __init__(self, theme: Theme, columns: Sequence[Col], name: str, height: int = 34) -> None:
        super().__init__()
        self.rows_model = RowsModel(columns, self)
        self.setModel(self.rows_model)
        self.setItemDelegate(_Painter(theme, self, height))
        self.setHorizontalHeader(_Header(theme, columns, self))
        self.setAccessibleName(name)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        rows = self.verticalHeader()
        assert rows is not None
        rows.hide()
        rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        rows.setDefaultSectionSize(round(height * scale()))
        self.columns = list(columns)

    def show_rows(self, rows: Sequence[Any], key: Callable[[Any], Any] = lambda row: row) -> None:
        """Show rows; the first is chosen if none was."""
        chosen = self.chosen()
        wanted = key(chosen) if chosen is not None else None
        self.rows_model.take(rows, key)
        if not self.currentIndex().isValid() and rows:
            at = next((n for n, row in enumerate(rows) if key(row) == wanted), 0)
            stand_on(self, self.rows_model.index(at, 0))

    def chosen(self) -> Any:
        """The current row, or None."""
        index = self.currentIndex()
        return (
            self.rows_model.rows[index.row()]
            if index.isValid() and index.row() < len(self.rows_model.rows)
            else None
        )

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        viewport = self.viewport()
        width = viewport.width() if viewport else self.width()
        for number, column in enumerate(self.columns):
            self.setColumnWidth(number, round(width * column.share))
