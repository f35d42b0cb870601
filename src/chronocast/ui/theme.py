"""Two themes: *Ink* for dim rooms, *Paper* for bright ones.  Colours by what they mean."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

FAMILY, NARROW = "Sofia Sans", "Sofia Sans Condensed"
SMALLEST = 13.0
"""Logical pixels."""


@dataclass(frozen=True)
class Theme:
    """Colours of one theme.

    ``tide`` marks what is selected and what is proved; ``ember`` work to be
    done; ``dusk`` what is kept; ``lichen`` notices; ``rust`` what needs a person.
    ``edge`` borders what can be acted on, ``line`` only parts one thing from another.
    """

    name: str
    ground: str
    raised: str
    line: str
    text: str
    quiet: str
    tide: str
    ember: str
    dusk: str
    lichen: str
    rust: str
    bar: str
    edge: str
    choice: str
    on_ember: str

    def color(self, role: str, alpha: int = 255) -> QColor:
        """A colour by its role."""
        color = QColor(getattr(self, role))
        color.setAlpha(alpha)
        return color


INK = Theme(
    "Ink",
    ground="#10181E",
    raised="#18232B",
    line="#2B3A44",
    text="#ECE5D8",
    quiet="#93A3AB",
    tide="#4FA79B",
    ember="#DB7F48",
    dusk="#9D8ED1",
    lichen="#A9B050",
    rust="#E27868",
    bar="#687B87",
    edge="#537084",
    choice="#1B3236",
    on_ember="#10181E",
)
PAPER = Theme(
    "Paper",
    ground="#F6F1E7",
    raised="#FFFDF8",
    line="#D9CFBD",
    text="#1D2A33",
    quiet="#5B6971",
    tide="#1E7267",
    ember="#A3501C",
    dusk="#65529F",
    lichen="#656B17",
    rust="#A83A30",
    bar="#78858B",
    edge="#918A78",
    choice="#DCEBE6",
    on_ember="#FFFDF8",
)
THEMES = {"ink": INK, "paper": PAPER}


def load_fonts() -> None:
    """Register the fonts that come with the application."""
    for entry in (resources.files("chronocast.ui") / "fonts").iterdir():
        if entry.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


def font(pixels: float, weight: int = 400, narrow: bool = False) -> QFont:
    """A font of the family at a size in logical pixels, with figures of one width; none is smaller than can be read."""
    return QFont(_font(max(1, round(max(SMALLEST, pixels) * scale())), weight, narrow))


@cache
def _font(pixels: int, weight: int, narrow: bool) -> QFont:
    made = QFont(NARROW if narrow else FAMILY)
    made.setPixelSize(pixels)
    made.setWeight(QFont.Weight(weight))
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


_scale = 1.0


def scale() -> float:
    """How much larger than usual text is."""
    return _scale


def set_scale(value: float) -> None:
    """Make text larger (1.5 is half as large again)."""
    global _scale
    _scale = min(2.0, max(0.8, value))


def apply(app: QApplication, theme: Theme) -> None:
    """Give the application a theme: its style, font and colours; what a window adds is its ``sheet``."""
    if not app.property("styled"):  # to set it again takes a while, and changes nothing
        app.setStyle("Fusion")
        app.setProperty("styled", True)
    app.setFont(font(14))
    palette = QPalette()
    role = QPalette.ColorRole
    for name, colour in (
        (role.Window, theme.ground),
        (role.Base, theme.ground),
        (role.AlternateBase, theme.raised),
        (role.Button, theme.raised),
        (role.ToolTipBase, theme.raised),
        (role.WindowText, theme.text),
        (role.Text, theme.text),
        (role.ButtonText, theme.text),
        (role.ToolTipText, theme.text),
        (role.Highlight, theme.choice),
        (role.HighlightedText, theme.text),
        (role.PlaceholderText, theme.quiet),
        (role.Link, theme.tide),
        (role.Mid, theme.line),
        (role.Dark, theme.line),
        (role.Light, theme.raised),
    ):
        palette.setColor(name, QColor(colour))
    for name in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, name, QColor(theme.quiet))
    app.setPalette(palette)


def sheet(t: Theme) -> str:
    """The style sheet of a window.  Not the application's: that would be worked out anew for every part of every window."""
    return f"""
    QWidget {{ color: {t.text}; }}
    QMainWindow, QDialog {{ background: {t.ground}; }}
    QToolTip {{ background: {t.raised}; color: {t.text}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu {{ background: {t.raised}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 22px 5px 14px; }}
    QMenu::item:selected {{ background: {t.choice}; border-left: 3px solid {t.tide}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QTableView {{ background: {t.ground}; border: none; gridline-color: transparent; selection-background-color: {t.choice};
                  outline: 0; }}
    QHeaderView {{ background: {t.ground}; border: none; }}
    QHeaderView::section {{ background: {t.ground}; border: none; border-bottom: 1px solid {t.line}; }}
    QTableCornerButton::section {{ background: {t.ground}; border: none; }}
    QScrollBar:vertical {{ background: {t.ground}; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: {t.ground}; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {t.line}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; width: 0; height: 0; }}
    QPushButton {{ background: {t.raised}; border: 1px solid {t.edge}; border-radius: 3px; padding: 6px 14px; }}
    QPushButton:hover {{ border-color: {t.quiet}; }}
    QPushButton:focus, QToolButton:focus {{ border: 1px solid {t.tide}; }}
    QPushButton:disabled {{ color: {t.quiet}; }}
    QPushButton#act {{ background: {t.ember}; color: {t.on_ember}; border: 2px solid transparent; font-weight: 600; padding: 7px 17px; }}
    QPushButton#act:disabled {{ background: {t.line}; color: {t.quiet}; }}
    QPushButton#act:focus {{ border: 2px solid {t.text}; }}
    QPushButton#small {{ padding: 3px 9px; }}
    QPushButton#wish {{ padding: 2px 10px; background: transparent; }}
    QPushButton#wish:checked {{ background: {t.choice}; color: {t.text}; border: 1px solid {t.tide}; }}
    QPushButton#choice:checked, QToolButton#choice:checked {{ background: {t.choice}; color: {t.text}; border: 1px solid {t.tide}; }}
    QToolButton#choice {{ border: 1px solid {t.edge}; padding: 3px 11px; }}
    QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 3px; padding: 3px 8px; color: {t.quiet}; }}
    QToolButton:hover {{ color: {t.text}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QTabBar#places {{ background: {t.raised}; border: 1px solid transparent; }}
    QTabBar#places::tab {{ background: transparent; color: {t.quiet}; padding: 4px 2px 5px 2px; margin: 0 12px; border: none;
                           border-bottom: 2px solid transparent; }}
    QTabBar#places::tab:selected {{ color: {t.text}; border-bottom: 2px solid {t.tide}; }}
    QTabBar#places::tab:hover {{ color: {t.text}; }}
    QTabBar#places:focus {{ border: 1px solid {t.tide}; }}
    QToolButton#place {{ color: {t.quiet}; padding: 4px 2px 5px 2px; border: none; border-bottom: 2px solid transparent; border-radius: 0; }}
    QToolButton#place:checked {{ color: {t.text}; border-bottom: 2px solid {t.tide}; }}
    QToolButton#place:focus {{ color: {t.text}; border-bottom: 2px dotted {t.tide}; }}
    QLineEdit {{ background: {t.raised}; border: 1px solid {t.edge}; border-radius: 3px; padding: 5px 8px; }}
    QLineEdit:focus {{ border-color: {t.tide}; }}
    QComboBox {{ background: {t.raised}; border: 1px solid {t.edge}; border-radius: 3px; padding: 5px 8px; }}
    QComboBox::drop-down {{ border: none; width: 22px; }}
    QComboBox::down-arrow {{ image: none; width: 0; height: 0; margin-right: 8px; border-left: 4px solid {t.raised};
                             border-right: 4px solid {t.raised}; border-top: 5px solid {t.quiet}; }}
    QComboBox:focus {{ border-color: {t.tide}; }}
    QComboBox QAbstractItemView {{ background: {t.raised}; selection-background-color: {t.choice}; border: 1px solid {t.line}; }}
    QScrollArea {{ background: {t.ground}; border: none; }}
    QScrollArea > QWidget > QWidget {{ background: {t.ground}; }}
    QListView {{ background: {t.raised}; border: 1px solid {t.edge}; outline: 0; }}
    QListView::item {{ padding: 5px 8px; }}
    QListView::item:selected {{ background: {t.choice}; color: {t.text}; border-left: 3px solid {t.tide}; }}
    QLabel#quiet {{ color: {t.quiet}; }}
    QLabel#rust {{ color: {t.rust}; }}
    QLabel#lichen {{ color: {t.lichen}; }}
    QLabel#tide {{ color: {t.tide}; }}
    QFrame#rule {{ background: {t.line}; max-height: 1px; min-height: 1px; border: none; }}
    QFrame#upright {{ background: {t.line}; max-width: 1px; min-width: 1px; border: none; }}
    QSplitter::handle {{ background: {t.line}; }}
    """
