"""The window: its places, the headline above them, what the desk says.  It translates; it doesn't compute."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Generator
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSettings, QSignalBlocker, Qt, QTimer, QUrl
from PyQt6.QtGui import QCloseEvent, QDesktopServices, QDragEnterEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QTabBar,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from chronocast import __version__
from chronocast.journal.documents import BATCH_ENDING
from chronocast.journal.places import config_folder
from chronocast.model.batch.columns import add_card
from chronocast.model.batch.edits import History
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.errors import ChronocastError
from chronocast.run.view import RunView
from chronocast.ui import theme as themes
from chronocast.ui.actions.batch import BatchActions
from chronocast.ui.actions.run import RunActions
from chronocast.ui.commands import CHECK, HOUSE, PLACES, PLAN, RANGE, RECIPE, RUN, Actions
from chronocast.ui.desk.notify import tell_desktop
from chronocast.ui.desk.session import Session
from chronocast.ui.headline import HeadlineBand
from chronocast.ui.places.check.place import CheckPlace
from chronocast.ui.places.house.place import HousePlace
from chronocast.ui.places.place import ALL, Place, Touched
from chronocast.ui.places.plan.model import PlanModel
from chronocast.ui.places.plan.place import PlanPlace
from chronocast.ui.places.range.place import RangePlace
from chronocast.ui.places.recipe.place import RecipePlace
from chronocast.ui.places.recipe.spoken_of import Kind
from chronocast.ui.places.run.model import RunModel, run_model
from chronocast.ui.places.run.place import RunPlace
from chronocast.ui.theme import Theme, font
from chronocast.ui.widgets.command_set import CommandSet
from chronocast.ui.widgets.conflict_bar import ConflictBar
from chronocast.ui.widgets.finder import Findable, Finder
from chronocast.ui.widgets.left_out import LeftOut
from chronocast.ui.widgets.notice_bar import NoticeBar

FREED_MS = 5_000
"""So long after a window was closed it is freed."""
SIZES = (0.8, 0.9, 1.0, 1.1, 1.25, 1.5, 1.75, 2.0)
"""Sizes of text that there are."""
"""One step of the size of text."""


def settings() -> QSettings:
    """What the desktop remembers, as an INI file in the config folder."""
    return QSettings(str(config_folder() / "desktop.ini"), QSettings.Format.IniFormat)


class Window(QMainWindow):
    """``Window(session, theme)``; with ``later`` it is filled when ``show_all`` is called."""

    def __init__(self, session: Session, theme: Theme, *, later: bool = False) -> None:
        super().__init__()
        self.session, self.theme = session, theme
        self.setStyleSheet(themes.sheet(theme))
        self.resize(1280, 800)
        if kept := settings().value("window"):
            self.restoreGeometry(kept)
        self.setMinimumSize(960, 600)
        self.setAcceptDrops(True)
        self.headline = HeadlineBand(theme)
        self.begin = QPushButton("Begin")
        self.begin.setObjectName("act")
        self.plan_place = PlanPlace(session, theme)
        self.range_place = RangePlace(theme)
        self.recipe_place = RecipePlace(session.workspace.library, theme)
        self.run_place = RunPlace(theme)
        self.check_place = CheckPlace(theme)
        self.house_place = HousePlace(session, theme)
        self.places: dict[str, Place] = {
            PLAN: self.plan_place,
            RANGE: self.range_place,
            RECIPE: self.recipe_place,
            RUN: self.run_place,
            CHECK: self.check_place,
            HOUSE: self.house_place,
        }
        self.place = PLAN
        self.pages = QStackedWidget()
        self.notice = NoticeBar(theme)
        self.conflict = ConflictBar(theme)
        self.left_out = LeftOut(theme)
        self.batch_actions = BatchActions(session, theme, self)
        self.run_actions = RunActions(session, self)
        self._build()
        self.commands = CommandSet(self, self.command_actions())
        self.more.setMenu(self.commands.menu())
        of_title = ("open_target", "choose_target", "rename", "move", "save_copy")
        self.title.setMenu(self.commands.menu_of(f"batch.{name}" for name in of_title))
        self.headline.chosen.connect(self._headline_chosen)
        self.begin.clicked.connect(lambda: self.run_actions.begin())
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._tick)
        self._clock.start(1000)
        self._retired = False
        self._steps: Generator[bool, None, None] | None = None
        self._heard = (
            (session.changed, self._show_desk),
            (session.run_begun, self._run_begun),
            (session.run_ended, self._run_ended),
            (session.edited, self.notice.forget_trouble),
            (session.trouble, self.notice.tell_trouble),
            (session.notice, self.notice.tell),
            (session.previewed, self._previewed),
            (session.gathered, self._gathered),
            (session.conflict_seen, self._conflict),
            (session.left_out, self.left_out.add),
            (session.rate_wanted, self.batch_actions.ask_rate),
            (session.room_asked, self.run_actions.ask_about_room),
        )
        for signal, slot in self._heard:
            signal.connect(slot)
        self._connect_parts()
        if not later:
            self.show_all()

    def show_all(self) -> None:
        """Show everything that the session holds."""
        self._show_desk(ALL)
        self.go_to(PLAN)

    @property
    def plan(self) -> PlanModel | None:
        """What *Plan* shows."""
        return self.plan_place.plan

    @property
    def run_shown(self) -> RunModel | None:
        """What *Run* shows."""
        return self.run_place.run

    # Building

    def _build(self) -> None:
        for place in self.places.values():
            assert isinstance(place, QWidget)
            self.pages.addWidget(place)
        act = QVBoxLayout()
        act.setContentsMargins(0, 0, 16, 0)
        act.addWidget(self.begin, 0, Qt.AlignmentFlag.AlignVCenter)
        self.head = QWidget()
        self.head.setObjectName("head")
        self.head.setStyleSheet(f"#head {{ border-bottom: 1px solid {self.theme.line}; }}")
        row = QHBoxLayout(self.head)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.headline, 1)
        row.addLayout(act)
        body = QWidget()
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._line_of_places())
        for part in (self.head, self.conflict, self.left_out, self.notice):
            layout.addWidget(part)
        layout.addWidget(self.pages, 1)
        self.setCentralWidget(body)

    def _line_of_places(self) -> QWidget:
        """The places by their words, the batch and where its files go, the menu of commands."""
        self.words = QTabBar()
        self.words.setObjectName("places")
        self.words.setDrawBase(False)
        self.words.setExpanding(False)
        self.words.setUsesScrollButtons(False)
        self.words.setFont(font(14.5))
        self.words.setAccessibleName("Places")
        for name in PLACES:
            self.words.addTab(name)
        self.words.currentChanged.connect(lambda number: self.go_to(PLACES[number]))
        line = QHBoxLayout()
        line.setContentsMargins(4, 2, 12, 0)
        line.setSpacing(26)
        line.addWidget(self.words)
        line.addStretch(1)
        self.title = QToolButton()
        self.title.setFont(font(13.5, narrow=True))
        self.title.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.title.setAccessibleName("The batch and where its files go")
        self.more = QToolButton()
        self.more.setText("Commands")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setFont(font(13.5, narrow=True))
        line.addWidget(self.title)
        line.addWidget(self.more)
        strip = QWidget()
        strip.setLayout(line)
        strip.setAutoFillBackground(True)
        strip.setStyleSheet(f"background: {self.theme.raised};")
        return strip

    def command_actions(self) -> Actions:
        """What every command of the table does."""
        own: Actions = {
            "window.close": self.close,
            "window.other_theme": self.other_theme,
            "window.larger_text": lambda: self.text_step(1),
            "window.smaller_text": lambda: self.text_step(-1),
            "window.usual_text": lambda: self.text_step(0),
            "window.show_pictures": self.show_pictures,
            "window.find_command": self.find_command,
            "window.cards": self.show_cards,
            "window.about": self.about,
            "plan.find": self.find_sources,
            "plan.accept_damage": lambda: self.batch_actions.accept_damage(
                self.plan_place.grid.selected_sources()
            ),
            "place.fill": lambda: self._in_place(self.plan_place.fill, self.range_place.taking.fill),
            "place.remove": lambda: self._in_place(self.plan_place.remove, self.range_place.taking.remove),
            "range.write_picks": lambda: self.batch_actions.write_picks(self.range_place.standing.source),
            **{f"go.{name.lower()}": partial(self.go_to, name) for name in PLACES},
        }
        offered = [place.commands() for place in self.places.values()]
        return {
            name: do
            for source in (own, self.batch_actions.commands(), self.run_actions.commands(), *offered)
            for name, do in source.items()
        }

    def _in_place(self, in_plan: Callable[[], object], in_range: Callable[[], object]) -> None:
        (in_range if self.place == RANGE else in_plan)()

    def _connect_parts(self) -> None:
        session = self.session
        self.conflict.theirs_asked.connect(session.take_theirs)
        self.conflict.mine_asked.connect(session.keep_mine)
        self.conflict.compare_asked.connect(
            lambda: session.compare_with_disk(self.batch_actions.show_differences)
        )
        self.batch_actions.batch_asked.connect(self._take_session)
        self.batch_actions.batch_moved.connect(self._take_session)
        for part in (
            self.batch_actions,
            self.run_actions,
            self.plan_place,
            self.plan_place.columns,
            self.recipe_place,
            self.house_place,
        ):
            part.said.connect(self.notice.tell)
            part.trouble.connect(self.notice.tell_trouble)
        self.range_place.said.connect(self.range_place.parts.say)
        session.proxies.made.connect(self.range_place.pictures.look_again)
        self.range_place.trouble.connect(self.notice.tell_trouble)
        for editing in (self.range_place, self.recipe_place):
            editing.edited.connect(session.edit)
            editing.preview.connect(session.preview)
        self._connect_plan()
        self.range_place.watch.seen.connect(lambda: self.plan_place.show_desk(session.desk, ALL))
        self.recipe_place.names_asked.connect(self.batch_actions.name_files)
        self.recipe_place.cards_asked.connect(self.show_cards)
        self.run_place.pause_asked.connect(lambda: session.requests.ask("pause"))
        self.run_place.resume_asked.connect(lambda: session.requests.ask("resume"))
        self.run_place.stop_asked.connect(session.requests.stop)
        self.run_place.again_asked.connect(session.requests.take_up)
        self.run_place.begin_asked.connect(lambda: self.run_actions.begin())
        self.run_place.hold_asked.connect(session.requests.hold_one)
        self.run_place.leave_asked.connect(session.requests.leave_out)
        self.run_place.move_asked.connect(session.requests.move)
        self.run_place.dropped.connect(session.requests.put_before)
        self.check_place.recipe_asked.connect(self.plan_place.columns.open_recipe_of)
        self.check_place.copy_asked.connect(self._copy)
        for shown in (self.run_place, self.check_place):
            shown.open_asked.connect(_open)
            shown.folder_asked.connect(lambda path: _open(str(Path(path).parent)))

    def _connect_plan(self) -> None:
        plan, recipes = self.plan_place, self.recipe_place
        plan.notes = self.range_place.watch.notes
        plan.menu_asked.connect(lambda at: self.commands.menu_at("cell").exec(at))
        plan.columns.menu_asked.connect(lambda at: self.commands.menu_at("column").exec(at))
        plan.range_asked.connect(self._open_range)
        plan.sheet.search_asked.connect(lambda _: self.batch_actions.search_media())
        plan.sheet.take_asked.connect(lambda source: self.batch_actions.take_cut([source]))
        plan.sheet.accept_asked.connect(lambda source: self.batch_actions.accept_damage([source]))
        columns = plan.columns
        columns.recipe_asked.connect(lambda recipe: self._in_recipe(lambda: recipes.open_recipe(recipe)))
        columns.exceptions_asked.connect(lambda outputs: self._in_recipe(lambda: recipes.open_cells(outputs)))
        columns.like_asked.connect(lambda source: self._in_recipe(lambda: recipes.like_the_source(source)))
        columns.recipe_found.connect(
            lambda recipe, why: self._in_recipe(lambda: recipes.recipe_actions.take(recipe, why))
        )
        columns.recipe_dropped.connect(self._bring_in_recipe)

    def _in_recipe(self, do: Callable[[], object]) -> None:
        """Do something in *Recipe* and go there, unless it can't be done."""
        try:
            do()
        except ChronocastError as error:
            self.notice.tell_trouble(str(error))
            return
        self.go_to(RECIPE)

    def _bring_in_recipe(self, path: Path) -> None:
        try:
            self.recipe_place.recipe_actions.bring_in(path)
        except ChronocastError as error:
            self.notice.tell_trouble(str(error))

    # Showing

    def go_to(self, name: str) -> None:
        """Show a place."""
        self.place = name
        number, place = PLACES.index(name), self.places[name]
        self.pages.setCurrentIndex(number)
        with QSignalBlocker(self.words):
            self.words.setCurrentIndex(number)
        self.head.setVisible(place.forecasts)
        self.commands.enter(name)
        place.enter()

    def _show_desk(self, touched: Touched) -> None:
        """Show what a change has touched, wherever that is shown."""
        desk = self.session.desk
        for place in self.places.values():
            place.show_desk(desk, touched)
        if touched & {"batch", "forecast", "words"}:
            self._show_title()
        self._show_begin()
        self.commands.hold(desk.conditions)
        plan = self.plan_place.plan
        if plan is not None and touched & {"batch", "forecast"}:
            self.headline.show_headline(plan.headline)
            self.run_actions.refused = plan.headline.refused
            more = f"   And {len(plan.problems) - 1} more." if len(plan.problems) > 1 else ""
            if not desk.careful:
                self.notice.keep(plan.problems[0] + more if plan.problems else "")

    def _show_title(self) -> None:
        desk = self.session.desk
        self.title.setText(desk.busy or f"{desk.title} → {desk.batch.folder}")
        self.title.setToolTip(
            f"{desk.path}\nClick to open or choose the target folder, to rename or move the batch"
        )
        self.setWindowTitle(f"{desk.title} · Chronocast")

    def _headline_chosen(self, figure: str) -> None:
        """Go to what stands behind a figure of the headline."""
        if figure == "finished":
            self.go_to(RUN if self.session.going else PLAN)
            if not self.session.going:
                self.plan_place.lanes.setFocus()
        elif figure == "kept already":
            self.go_to(HOUSE)
        elif figure == "room":
            self.title.showMenu()
        else:
            self.go_to(PLAN)
            self.plan_place.enter()

    def _show_begin(self) -> None:
        """What the one button would do now: begin, or let what is new join the run."""
        desk, plan = self.session.desk, self.plan_place.plan
        if desk.going:
            new = len(desk.not_in_run())
            words = f"Add {new} to the run" if new else "Rendering"
            on, tip = bool(new), "A run of this batch goes on: see Run"
            if new:
                tip = "Let what was asked for since join the run that goes on"
        else:
            count = plan.headline.begin if plan else 0
            words = f"Begin {count}" if count else "Begin"
            on, tip = bool(count) and desk.view is not None, "Render what is asked for and prove it"
            if not count:
                tip = "Ask for something first: choose a cell and press Space"
        self.begin.setText(words)
        self.begin.setEnabled(on)
        self.begin.setToolTip(tip)

    def _tick(self) -> None:
        if self.place == RUN and self.run_place.run and self.run_place.run.going:
            self.run_place.show_desk(self.session.desk, frozenset({"run"}))

    def _previewed(self, *told: object) -> None:
        """A forecast of what is only tried: for the place that is shown."""
        place = self.recipe_place if self.place == RECIPE else self.range_place
        place.show_trial(*told)  # type: ignore[arg-type]

    def _run_ended(self, view: RunView) -> None:
        """Tell the desktop, unless somebody is looking."""
        if not self.isActiveWindow():
            told = run_model(view, view.ended)
            tell_desktop(f"{told.title or 'The run'}: {told.finished_more}", told.ending)

    def _run_begun(self) -> None:
        self.go_to(RUN)

    def _gathered(self, sources: list[str]) -> None:
        """What is dropped while a source is looked at is looked at next."""
        if sources and self.place == RANGE:
            self.range_place.show_source(sources[0])

    def _open_range(self, source: str, part: str, output: str) -> None:
        """The source, range or output that is current in the grid, in *Range*."""
        if source:
            self.range_place.show_source(source, part, output)
        self.go_to(RANGE)

    def _conflict(self, conflict: bool) -> None:
        self.conflict.show_conflict(self.session.path.name, conflict)

    def tell(self, sentence: str) -> None:
        """Say something that passes."""
        self.notice.tell(sentence)

    def tell_trouble(self, sentence: str) -> None:
        """Say something that needs a person."""
        self.notice.tell_trouble(sentence)

    # Doing

    def show_cards(self, card: str = "") -> None:
        """The receiver cards, one of them chosen: brought in, looked at, changed."""
        from chronocast.ui.places.recipe.cards_box import CardsBox

        box = CardsBox(self.session.workspace.library, self.theme, self, self.session.batch.cards)
        box.saved.connect(self._card_saved)
        if card:
            box.go_to(card)
        box.exec()
        self.recipe_place.show_now()

    def _card_saved(self, card: ReceiverCard) -> None:
        """A card that the batch has was changed: its files are judged by the new one."""
        batch = self.session.batch
        if any(item.id == card.id and item != card for item in batch.cards):
            self.session.edit(f"change the card {card.name}", add_card(batch, card))

    def find_sources(self) -> None:
        """Into the line above the grid."""
        self.go_to(PLAN)
        self.plan_place.find_sources()

    def find_command(self) -> None:
        """Every command, source, recipe and receiver by a few letters."""
        Finder(self.findable(), self).open_above(self)

    def findable(self) -> list[Findable]:
        """What the finder finds."""
        batch, library = self.session.batch, self.session.workspace.library
        found = self.commands.findable()
        found += [
            Findable(source.name, "source", partial(self._go_to_source, source.id), also=source.path)
            for source in batch.sources
        ]
        columns = {recipe.id for recipe in batch.recipes}
        found += [
            Findable(recipe.name, "recipe", partial(self._go_to_recipe, recipe.id), also="column")
            for recipe in batch.recipes
        ]
        found += [
            Findable(recipe.name, "recipe, saved", partial(self._go_to_recipe, recipe.id, "saved"))
            for recipe in library.recipes()
            if recipe.id not in columns
        ]
        cards = {card.id: card.name for card in (*library.cards(), *batch.cards)}
        found += [
            Findable(name, "receiver card", partial(self.show_cards, card)) for card, name in cards.items()
        ]
        return found

    def _go_to_source(self, source: str) -> None:
        self.go_to(PLAN)
        self.plan_place.go_to_source(source)

    def _go_to_recipe(self, recipe: str, kind: Kind = "recipe") -> None:
        self.go_to(RECIPE)
        self.recipe_place.open_recipe(recipe, kind)

    def _take_session(self, path: Path | None, history: History | None = None) -> None:
        """Another window on another batch, or on this one elsewhere; this window closes once that one is there."""
        try:
            session = Session(path, workspace=self.session.workspace)
            if history is not None:
                session.desk.remember(history)
        except (ChronocastError, OSError) as error:
            self.notice.tell_trouble(str(error))
            return
        window = Window(session, self.theme)
        window.setGeometry(self.geometry())
        window.show()
        session.open()
        _windows.append(window)
        QTimer.singleShot(0, self.close)  # not from within the drop or the dialog that brought it

    def other_theme(self) -> None:
        """Ink to Paper, and back."""
        self._remake(themes.PAPER if self.theme.name == "Ink" else themes.INK)

    def text_step(self, step: int) -> None:
        """Larger or smaller text everywhere, 0 for the usual size."""
        near = min(range(len(SIZES)), key=lambda number: abs(SIZES[number] - themes.scale()))
        size = SIZES[max(0, min(len(SIZES) - 1, near + step))] if step else 1.0
        if size != themes.scale():
            themes.set_scale(size)
            self._remake(self.theme)

    def _remake(self, theme: Theme) -> None:
        """The same session in a window made anew: theme and text size are in every part."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        themes.apply(app, theme)
        kept = settings()
        kept.setValue("theme", theme.name.lower())
        kept.setValue("text", themes.scale())
        self._steps = steps = self._made_anew(theme)

        def go_on() -> None:
            if self._steps is not steps or not self.isVisible():  # made anew twice, or closed meanwhile
                steps.close()
            elif next(steps, False):
                QTimer.singleShot(0, go_on)

        QTimer.singleShot(0, go_on)

    def _made_anew(self, theme: Theme) -> Generator[bool, None, None]:
        """Another window takes the place of this one: step by step, so that nothing stands still meanwhile."""
        window, handed_over = Window(self.session, theme, later=True), False
        try:
            yield True
            window.show_all()
            yield True
            window.setGeometry(self.geometry())
            for name, place in window.places.items():
                place.take_over(self.places[name])
            window.left_out.add(self.left_out.lines)
            window.go_to(self.place)
            window.show()
            _windows.append(window)
            handed_over = True
            yield True
        finally:
            if not handed_over:
                window.deleteLater()
        for signal, slot in self._heard:
            signal.disconnect(slot)
        self._retired = True
        self.close()
        self.deleteLater()

    def open_with_care(self) -> None:
        """The last window on this batch died while it was being opened: leave out what shows its media."""
        self.session.desk.careful = True
        self.notice.keep(
            "The window ended unexpectedly the last time this batch was opened, so no pictures of its sources are "
            "shown this time. “Show pictures again” in Commands, View, brings them back."
        )

    def show_pictures(self) -> None:
        """Show pictures of sources again after a batch was opened with care."""
        self.session.desk.careful = False
        self.notice.hide()
        self._show_desk(ALL)

    def about(self) -> None:
        """What this is, and its licence."""
        QMessageBox.information(
            self,
            "About Chronocast",
            f"Chronocast {__version__}\n\nForecasts batch renders before they are made, renders and proves them.\n"
            "Free software under the GNU General Public License, version 3 or later.",
        )

    def _copy(self, path: str) -> None:
        clipboard = QApplication.clipboard()
        if clipboard:
            clipboard.setText(path)
            self.notice.tell("The path is on the clipboard.")

    # Dropping, typing and closing

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and (data := event.mimeData()) and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is not None and (data := event.mimeData()):
            paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
            batches = [path for path in paths if path.name.endswith(BATCH_ENDING)]
            event.acceptProposedAction()
            paths = self.plan_place.columns.take_documents(paths)
            media = [path for path in paths if path not in batches]
            if batches:
                QTimer.singleShot(0, lambda: self._open_dropped(batches, media))
            elif media:
                self.session.gather(media)

    def _open_dropped(self, batches: list[Path], media: list[Path]) -> None:
        """A batch was dropped, perhaps with media: that one is opened, and they come into it."""
        before = len(_windows)
        self._take_session(batches[0])
        if len(_windows) > before:
            window = _windows[-1]
            if media:
                window.session.gather(media)
            window.left_out.add(f"{path.name}: one batch is opened at a time." for path in batches[1:])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Figures typed anywhere in *Range* begin a time to go to."""
        typed = event.text() if event is not None else ""
        if self.place == RANGE and typed and typed in "0123456789+-":
            self.range_place.begin_typing(typed)
            return
        super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        settings().setValue("window", self.saveGeometry())
        self._clock.stop()
        for place in self.places.values():
            place.leave()
        if not self._retired:
            self.session.close()
            for signal, slot in self._heard:
                with contextlib.suppress(TypeError):  # a window that is closed twice
                    signal.disconnect(slot)
            QTimer.singleShot(FREED_MS, self.deleteLater)  # once its threads have left
        if self in _windows:
            _windows.remove(self)
        super().closeEvent(event)


def _open(path: str) -> None:
    QDesktopServices.openUrl(QUrl.fromLocalFile(path))


_windows: list[Window] = []
