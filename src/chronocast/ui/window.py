"""The window: places, headline, what is shown in them.  It translates; it doesn't compute."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, QSettings, Qt, QTimer, QUrl
from PyQt6.QtGui import (
    QAction,
    QCloseEvent,
    QDesktopServices,
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QKeySequence,
)
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from chronocast import __version__
from chronocast.journal.documents import BATCH_ENDING, save_batch
from chronocast.journal.places import config_folder
from chronocast.model.batch.batch import portable
from chronocast.model.batch.edits import accept_media, hold, remove_source, set_folder
from chronocast.model.errors import ChronocastError
from chronocast.preparation.recut import Recut
from chronocast.ui import theme as themes
from chronocast.ui.desk.session import Session
from chronocast.ui.headline import HeadlineBand
from chronocast.ui.places.check.place import CheckPlace
from chronocast.ui.places.plan.columns import PlanColumns
from chronocast.ui.places.plan.model import PlanModel, arranged, plan_model, recut_lines
from chronocast.ui.places.plan.place import PlanPlace
from chronocast.ui.places.plan.strips import StripMaker
from chronocast.ui.places.range.keys import range_keys
from chronocast.ui.places.range.place import RangePlace
from chronocast.ui.places.recipe.place import RecipePlace
from chronocast.ui.places.run.model import RunModel, run_model
from chronocast.ui.places.run.place import RunPlace
from chronocast.ui.theme import Theme, font
from chronocast.ui.widgets.conflict_bar import ConflictBar
from chronocast.ui.widgets.finder import Finder

log = logging.getLogger(__name__)
PLACES = ("Plan", "Range", "Recipe", "Run", "Check")
PLAN, RANGE, RECIPE, RUN, CHECK = range(5)


def settings() -> QSettings:
    """What the desktop remembers, as an INI file in the config folder."""
    return QSettings(str(config_folder() / "desktop.ini"), QSettings.Format.IniFormat)


class Window(QMainWindow):
    """``Window(session, theme)``."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.session, self.theme = session, theme
        self.plan: PlanModel | None = None
        self.run_shown: RunModel | None = None
        self.turned: frozenset[str] = frozenset()
        self.careful = False
        self.resize(1280, 800)
        self.setMinimumSize(960, 600)
        self.setAcceptDrops(True)
        self.headline = HeadlineBand(theme)
        self.begin = QPushButton("Begin")
        self.begin.setObjectName("act")
        self.begin.clicked.connect(self.begin_run)
        self.plan_place, self.range_place, self.recipe_place, self.run_place, self.check_place = (
            PlanPlace(theme),
            RangePlace(theme),
            RecipePlace(theme),
            RunPlace(theme),
            CheckPlace(theme),
        )
        self.pages = QStackedWidget()
        self.notice = QLabel()
        self.notice.setWordWrap(True)
        self.notice.setContentsMargins(16, 7, 16, 7)
        self.notice.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.notice.hide()
        self.conflict = ConflictBar(theme)
        self.conflict.theirs_asked.connect(session.take_theirs)
        self.conflict.mine_asked.connect(session.keep_mine)
        self.conflict.compare_asked.connect(lambda: session.compare_with_disk(self._show_differences))
        self._build()
        self.columns = self._plan_columns()
        self._actions()
        self.strips = StripMaker(self)
        self.strips.made.connect(self._strip)
        self.plan_place.grid.painter.want = self._want_strip
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.timeout.connect(self.notice.hide)
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._tick)
        self._clock.start(1000)
        self._retired = False
        self._heard = (
            (session.changed, self._show_plan), (session.run_seen, self._show_run), (session.run_begun, self._run_begun),
            (session.edited, self._mended), (session.trouble, self.tell_trouble), (session.notice, self.tell), (session.rate_wanted, self._ask_rate),
            (session.previewed, self._previewed), (session.gathered, self._gathered), (session.conflict_seen, self._conflict),
            (session.room_asked, self._ask_about_room),
        )  # fmt: skip
        for signal, slot in self._heard:
            signal.connect(slot)
        self._connect_places()
        self._show_plan()
        self.plan_place.grid.table.setFocus()

    # Building

    def _build(self) -> None:
        self.places = QButtonGroup(self)
        words = QHBoxLayout()
        words.setContentsMargins(16, 2, 12, 0)
        words.setSpacing(26)
        for number, name in enumerate(PLACES):
            button = QToolButton()
            button.setObjectName("place")
            button.setText(name)
            button.setCheckable(True)
            button.setFont(font(14.5))
            button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            button.setAccessibleName(f"{name}, place")
            self.places.addButton(button, number)
            words.addWidget(button)
        self.places.idClicked.connect(self.go_to)
        words.addStretch(1)
        self.title = QLabel()
        self.title.setObjectName("quiet")
        self.title.setFont(font(13.5, narrow=True))
        self.more = QToolButton()
        self.more.setText("Commands")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setFont(font(13.5, narrow=True))
        words.addWidget(self.title)
        words.addWidget(self.more)
        strip = QWidget()
        strip.setLayout(words)
        strip.setAutoFillBackground(True)
        strip.setStyleSheet(f"background: {self.theme.raised};")
        act = QVBoxLayout()
        act.setContentsMargins(0, 0, 16, 0)
        act.addWidget(self.begin, 0, Qt.AlignmentFlag.AlignVCenter)
        head = QWidget()
        row = QHBoxLayout(head)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.headline, 1)
        row.addLayout(act)
        self.head = head
        head.setObjectName("head")
        head.setStyleSheet(f"#head {{ border-bottom: 1px solid {self.theme.line}; }}")
        for page in (self.plan_place, self.range_place, self.recipe_place, self.run_place, self.check_place):
            self.pages.addWidget(page)
        body = QWidget()
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(strip)
        layout.addWidget(head)
        layout.addWidget(self.conflict)
        layout.addWidget(self.notice)
        layout.addWidget(self.pages, 1)
        self.setCentralWidget(body)
        first = self.places.button(0)
        assert first is not None
        first.setChecked(True)

    def _action(self, menu: QMenu, words: str, key: str, do: object) -> QAction:
        action = QAction(words, self)
        if key:
            action.setShortcut(QKeySequence(key))
        action.triggered.connect(do)  # type: ignore[arg-type]
        menu.addAction(action)
        self.addAction(action)
        self.all_actions.append(action)
        return action

    def _actions(self) -> None:
        self.all_actions: list[QAction] = []
        menu = QMenu(self)
        batch = menu.addMenu("Batch")
        edit = menu.addMenu("Edit")
        run = menu.addMenu("Run")
        look = menu.addMenu("View")
        assert batch and edit and run and look
        self._action(batch, "New batch", "Ctrl+N", self.new_batch)
        self._action(batch, "Open batch…", "Ctrl+O", self.open_batch)
        self._action(batch, "Save a copy as…", "Ctrl+Shift+S", self.save_as)
        self._action(batch, "Bring in files…", "Ctrl+I", self.bring_in_files)
        self._action(batch, "Bring in a folder…", "Ctrl+Shift+I", self.bring_in_folder)
        self._action(batch, "Target folder…", "Ctrl+T", self.choose_folder)
        self._action(batch, "What is left free on every drive…", "", self.choose_reserve)
        self._action(batch, "How files are named…", "Ctrl+Shift+N", self.name_files)
        self._action(batch, "Search a folder for missing media…", "Ctrl+Shift+M", self.search_media)
        self._action(
            batch, "Take the new cut of changed sequences…", "Ctrl+Shift+K", lambda: self.take_cut([])
        )
        self._action(batch, "Write the cuts as OTIO and edit lists…", "", self.write_cuts)
        batch.addSeparator()
        self._action(batch, "Quit", "Ctrl+Q", self.close)
        self.undo_action = self._action(edit, "Undo", "Ctrl+Z", self.session.undo)
        self.redo_action = self._action(edit, "Redo", "Ctrl+Shift+Z", self.session.redo)
        edit.addSeparator()
        self._action(edit, "Find sources", "Ctrl+F", self.find_sources)
        self._action(
            edit,
            "Ask for the selected cells, or in Range for the range's files, or clear them",
            "Ctrl+Return",
            self.fill_here,
        )
        self._action(edit, "Accept the damage of the selected sources", "", self.accept_selected)
        self._action(edit, "Hold back the selected outputs, or release them", "Ctrl+H", self.hold_selected)
        self._action(
            edit, "Fold the ranges of the selected sources, or unfold them", "Ctrl+L", self.fold_selected
        )
        self._action(
            edit, "Remove the selected sources, or in Range the range", "Ctrl+Delete", self.remove_here
        )
        self._action(run, "Begin", "Ctrl+R", self.begin_run)
        self._action(run, "Begin, replacing files of the same name", "", lambda: self.begin_run(replace=True))
        self._action(run, "Pause or resume", "Ctrl+P", self.pause_or_resume)
        self._action(run, "Stop", "Ctrl+.", self.stop_run)
        self._action(run, "Move the chosen output up", "Alt+Up", lambda: self.move_output(-1))
        self._action(run, "Move the chosen output down", "Alt+Down", lambda: self.move_output(1))
        self._action(run, "Try again what needs you", "", lambda: self.session.ask("retry"))
        self._action(run, "Measure this machine again", "", self.measure)
        inner = menu.addMenu("Recipes")
        assert inner
        for act in self.columns.acts():
            action = self._action(inner, act.words, act.key, lambda _=False, d=act.do: d())
            if act.of_column:
                self.columns.column_actions.append(action)
        self._range_actions(menu)
        for number, name in enumerate(PLACES):
            self._action(look, name, f"Ctrl+{number + 1}", lambda _=False, n=number: self.go_to(n))
        look.addSeparator()
        self._action(look, "Other theme (Ink, Paper)", "Ctrl+Shift+T", self.other_theme)
        self._action(look, "Larger text", "Ctrl++", lambda: self.text_scale(1.1))
        self._action(look, "Smaller text", "Ctrl+-", lambda: self.text_scale(1 / 1.1))
        self._action(look, "Show pictures again", "", self.show_pictures)
        self._action(look, "Find a command…", "Ctrl+K", self.find_command)
        self._action(look, "About Chronocast", "", self.about)
        menu.addSeparator()
        find = menu.addAction("Find a command…  Ctrl+K")
        assert find is not None
        find.triggered.connect(self.find_command)
        self.more.setMenu(menu)

    def _range_actions(self, menu: QMenu) -> None:
        """Keys that work in *Range*, whichever part of it has the focus."""
        inner = menu.addMenu("Range")
        assert inner
        self.range_actions: list[QAction] = []
        for words, key, do in range_keys(self.range_place, self.write_picks):
            action = self._action(inner, words, key, lambda _=False, d=do: d())
            action.setEnabled(False)
            self.range_actions.append(action)

    def _plan_columns(self) -> PlanColumns:
        """What *Plan* does with columns and rows, and where it asks to go."""
        columns = PlanColumns(self.session, self.plan_place.grid)
        columns.said.connect(self.tell)
        columns.trouble.connect(self.tell_trouble)
        columns.recipe_asked.connect(self._open_recipe)
        columns.exceptions_asked.connect(
            lambda outputs: self._in_recipe(lambda: self.recipe_place.open_cells(outputs))
        )
        columns.like_asked.connect(
            lambda source: self._in_recipe(lambda: self.recipe_place.like_the_source(source))
        )
        columns.recipe_found.connect(
            lambda recipe, why: self._in_recipe(lambda: self.recipe_place.take(recipe, why))
        )
        columns.recipe_dropped.connect(self._bring_in_recipe)
        return columns

    def _open_recipe(self, name: str) -> None:
        if name:
            self.recipe_place.open_recipe(name)
        self.go_to(RECIPE)

    def _in_recipe(self, do: Callable[[], object]) -> None:
        """Do something in *Recipe* and go there, unless it can't be done."""
        try:
            do()
        except ChronocastError as error:
            self.tell_trouble(str(error))
            return
        self.go_to(RECIPE)

    def _bring_in_recipe(self, path: Path) -> None:
        try:
            self.recipe_place.bring_in(path)
        except ChronocastError as error:
            self.tell_trouble(str(error))

    def _connect_places(self) -> None:
        grid = self.plan_place.grid
        grid.fill_asked.connect(self.session.fill)
        grid.menu_asked.connect(self._grid_menu)
        find = self.plan_place.finder
        find.changed.connect(self._show_found)
        find.left.connect(grid.table.setFocus)
        self.plan_place.sheet.search_asked.connect(lambda _: self.search_media())
        self.plan_place.sheet.take_asked.connect(lambda source: self.take_cut([source]))
        self.plan_place.sheet.accept_asked.connect(lambda source: self.accept_damage([source]))
        grid.range_asked.connect(self.open_range)
        place = self.range_place
        place.watch.seen.connect(self._show_plan)
        place.edited.connect(self.session.edit)
        place.preview.connect(self.session.preview)
        place.said.connect(place.parts.say)
        place.trouble.connect(self.tell_trouble)
        recipes = self.recipe_place
        recipes.edited.connect(self.session.edit)
        recipes.said.connect(self.tell)
        recipes.trouble.connect(self.tell_trouble)
        recipes.names_asked.connect(self.name_files)
        recipes.cards_asked.connect(self.show_cards)
        recipes.ruler.dragged.connect(recipes.try_rate)
        recipes.preview.connect(self.session.preview)
        self.check_place.recipe_asked.connect(self.columns.open_recipe_of)
        run = self.run_place
        run.pause_asked.connect(lambda: self.session.ask("pause"))
        run.resume_asked.connect(lambda: self.session.ask("resume"))
        run.stop_asked.connect(self.stop_run)
        run.again_asked.connect(self.session.take_up)
        for shown in (self.run_place, self.check_place):
            shown.open_asked.connect(lambda path: QDesktopServices.openUrl(QUrl.fromLocalFile(path)))
            shown.folder_asked.connect(
                lambda path: QDesktopServices.openUrl(QUrl.fromLocalFile(str(Path(path).parent)))
            )
        self.check_place.copy_asked.connect(self._copy)

    # Showing

    def go_to(self, number: int) -> None:
        """Show a place."""
        self.pages.setCurrentIndex(number)
        button = self.places.button(number)
        assert button is not None
        button.setChecked(True)
        self.head.setVisible(number in (PLAN, RANGE, RECIPE))
        for action in self.range_actions:
            action.setEnabled(number == RANGE)
        for action in self.all_actions:
            if "selected" in action.text():  # of what is selected in the grid, which has to be seen for it
                action.setEnabled(number == PLAN or (number == RANGE and "in Range" in action.text()))
        focus = (
            self.plan_place.grid.table, self.range_place.parts.film, self.recipe_place.shelf.table, self.run_place.table,
            self.check_place.outputs,
        )[number]  # fmt: skip
        focus.setFocus()

    def _previewed(self, *told: object) -> None:
        """A forecast of what is only tried: for the place that is shown."""
        if self.pages.currentIndex() == RECIPE:
            self.recipe_place.show_trial(*told)
        else:
            self.range_place.show_trial(*told)  # type: ignore[arg-type]

    def show_cards(self) -> None:
        """The saved receiver cards: brought in, looked at, changed."""
        from chronocast.ui.places.recipe.cards_box import CardsBox

        CardsBox(self.theme, self).exec()
        self.recipe_place.show_now()

    def _run_begun(self) -> None:
        self.go_to(RUN)

    def _gathered(self, sources: list[str]) -> None:
        """What is dropped while a source is looked at is looked at next."""
        if sources and self.pages.currentIndex() == RANGE:
            self.range_place.show_source(sources[0])

    def open_range(self) -> None:
        """The source, range or output that is current in the grid, in *Range*."""
        source, part, output = self.plan_place.grid.current_range()
        if source:
            self.range_place.show_source(source, part, output)
        self.go_to(RANGE)

    def _show_plan(self) -> None:
        session = self.session
        watch = self.range_place.watch
        if not self.careful:
            watch.look(session.batch, session.prospect)
        self.whole = plan_model(session.batch, session.prospect, session.view, session.before, watch.notes())
        self.plan = plan = self._arranged()
        self.title.setText(session.busy or f"{plan.title} → {session.batch.folder}")
        self.title.setToolTip(str(session.path))
        self.setWindowTitle(f"{plan.title} · Chronocast")
        self.headline.show_headline(plan.headline)
        self._show_begin()
        self.plan_place.show_plan(plan, session.view, session.batch, session.prospect)
        self.range_place.show_batch(session.batch, session.prospect, session.view, session.before)
        self.recipe_place.show_batch(session.batch, session.prospect, session.view, session.before)
        self.undo_action.setEnabled(bool(session.history.before))
        self.redo_action.setEnabled(bool(session.history.after))
        if plan.problems:
            more = f"   And {len(plan.problems) - 1} more." if len(plan.problems) > 1 else ""
            self._say(plan.problems[0] + more, "rust", 0)
        elif self.notice.property("lasting"):
            self.notice.hide()

    def _arranged(self) -> PlanModel:
        find = self.plan_place.finder
        return arranged(self.whole, find.words.text(), find.order.currentText(), self.turned)

    def fold_selected(self) -> None:
        """Fold the ranges of the selected sources in the grid, or unfold them."""
        self.turned = self.turned ^ frozenset(self.plan_place.grid.selected_sources())
        self._show_found()

    def _show_found(self) -> None:
        """Other words or another order: the same plan, arranged anew."""
        self.plan = plan = self._arranged()
        session = self.session
        self.plan_place.show_plan(plan, session.view, session.batch, session.prospect)

    def _show_run(self) -> None:
        if self.session.run is None:
            return
        self.run_shown = run = run_model(self.session.run, time.time())
        self.run_place.show_run(run)
        self.check_place.show_run(run)
        self._show_begin()

    def _show_begin(self) -> None:
        """What the one button would do now: begin, or let what is new join the run."""
        session, plan = self.session, self.plan
        if plan is None:
            return
        if session.going:
            new = len(session.not_in_run())
            self.begin.setText(f"Add {new} to the run" if new else "Rendering")
            self.begin.setEnabled(bool(new))
            self.begin.setToolTip(
                "Let what was asked for since join the run that goes on"
                if new
                else "A run of this batch goes on: see Run"
            )
            return
        count = plan.headline.begin
        self.begin.setText(f"Begin {count}" if count else "Begin")
        self.begin.setEnabled(bool(count) and session.view is not None)
        self.begin.setToolTip(
            "Render what is asked for and prove it"
            if count
            else "Ask for something first: choose a cell and press Space"
        )

    def _tick(self) -> None:
        if self.pages.currentIndex() == RUN and self.run_shown and self.run_shown.going:
            self._show_run()

    def _want_strip(self, key: str, source: str, frames: tuple[int, ...]) -> None:
        """A strip that the grid would show, unless the batch is opened with care."""
        ready = self.session.prospect.sources.get(source) if self.session.prospect else None
        if ready is not None and not self.careful:
            self.strips.want(key, ready.cut, frames)

    def _conflict(self, conflict: bool) -> None:
        self.conflict.show_conflict(self.session.path.name, conflict)

    def _show_differences(self, lines: list[str]) -> None:
        """What is otherwise on disk than here."""
        box = QMessageBox(self)
        box.setWindowTitle("This window and the file on disk")
        box.setText("What is otherwise in this window than on disk:" if lines else "Both say the same.")
        box.setInformativeText("\n".join(lines))
        box.addButton("Close", QMessageBox.ButtonRole.RejectRole)
        box.open()

    def _strip(self, key: str, image: QImage) -> None:
        grid = self.plan_place.grid
        grid.painter.strips[key] = image
        viewport = grid.table.viewport()
        if viewport:
            viewport.update()

    def tell(self, sentence: str) -> None:
        """Say something that passes."""
        self._say(sentence, "lichen", 5000)

    def tell_trouble(self, sentence: str) -> None:
        """Say something that needs a person; it stays until the next thing is said."""
        log.warning("%s", sentence)
        self._say(sentence, "rust", 20_000)

    def _mended(self) -> None:
        """After an edit was taken: what was said of the one before is no longer so."""
        if self.notice.property("role") == "rust" and not self.notice.property("lasting"):
            self.notice.hide()

    def _say(self, sentence: str, role: str, milliseconds: int) -> None:
        self.notice.setText(sentence[:600])
        self.notice.setAccessibleName(sentence)
        self.notice.setProperty("lasting", not milliseconds)
        self.notice.setProperty("role", role)
        t = self.theme
        self.notice.setStyleSheet(
            f"background: {t.raised}; border-left: 4px solid {getattr(t, role)}; color: {t.text};"
        )
        self.notice.show()
        self._notice_timer.stop()
        if milliseconds:
            self._notice_timer.start(milliseconds)

    # Doing

    def begin_run(self, _checked: bool = False, replace: bool = False) -> None:
        """Begin, unless something in the way needs a decision first."""
        if self.session.going:
            self.session.add_to_run()
            return
        view = self.session.view
        if view is None or not any(not item.made for item in view.outputs):
            refused = self.plan.headline.refused if self.plan else 0
            if refused:
                count = f"{refused} file{'s' if refused != 1 else ''}"
                self.tell_trouble(f"{count} can't be made as asked: see what stands in the way in Plan.")
            else:
                self.tell("There is nothing to render: ask for something first, or everything is made.")
            return
        there = [item for item in view.outputs if not item.made and item.ready.path.exists()]
        if there and not replace:
            answer = QMessageBox(self)
            answer.setText(
                f"{len(there)} file{'s' if len(there) > 1 else ''} of the same name {'are' if len(there) > 1 else 'is'} in the target folder already."
            )
            answer.setInformativeText("\n".join(item.ready.path.name for item in there[:6]))
            yes = answer.addButton("Replace them", QMessageBox.ButtonRole.DestructiveRole)
            answer.addButton("Leave those and render the rest", QMessageBox.ButtonRole.AcceptRole)
            no = answer.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
            answer.setDefaultButton(no)  # what can't be undone is never one key away
            answer.setEscapeButton(no)
            answer.exec()
            if answer.clickedButton() is no:
                return
            replace = answer.clickedButton() is yes
        self.session.begin(replace)

    def _ask_about_room(self, sentence: str, replace: bool) -> None:
        """A drive is too small or can't be written, by a look at it a moment ago: begin all the same?"""
        box = QMessageBox(self)
        box.setText(sentence)
        box.setInformativeText(
            "Free some room, choose another target folder (Ctrl+T), or leave less free on purpose. "
            "If it is begun all the same, the run fills the drive and waits when it is full."
        )
        anyway = box.addButton("Begin all the same", QMessageBox.ButtonRole.DestructiveRole)
        no = box.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(no)
        box.setEscapeButton(no)
        box.exec()
        if box.clickedButton() is anyway:
            self.session.begin(replace, any_room=True)

    def choose_reserve(self) -> None:
        """How much is left free on every drive on purpose."""
        from chronocast.journal.settings import load_settings, save_settings
        from chronocast.model.recipe.typed import parse_bytes
        from chronocast.model.show import size_text

        text, said = QInputDialog.getText(
            self, "Left free on every drive", "Leave at least so much free (on small drives at most a twentieth):",
            text=size_text(load_settings().reserve_bytes),
        )  # fmt: skip
        if said:
            try:
                save_settings(load_settings().model_copy(update={"reserve_bytes": parse_bytes(text)}))
            except ChronocastError as error:
                self.tell_trouble(str(error))
                return
            self.session.forecast()

    def pause_or_resume(self) -> None:
        """Freeze the run, or let it go on."""
        if self.session.run:
            self.session.ask("resume" if self.session.run.paused else "pause")

    def stop_run(self) -> None:
        """Stop; what is finished is kept, so no question is asked."""
        self.session.stop()

    def move_output(self, step: int) -> None:
        """Earlier or later, in the run that goes on and in the batch: the order lasts."""
        row = self.run_place.table.chosen()
        if row is not None and self.session.going:
            self.session.move_in_run(row.id, step)

    def hold_selected(self) -> None:
        """Hold back the selected outputs, or release them."""
        if self.plan is None:
            return
        chosen = [cell for at in self.plan_place.grid.selected() if (cell := self.plan.cell(*at)).filled]
        if chosen:
            held = not all(cell.held for cell in chosen)
            names = [cell.output for cell in chosen]
            self.session.edit(
                f"{'hold' if held else 'release'} {len(names)}", hold(self.session.batch, names, held)
            )
            self.session.hold_in_run(names, held)

    def fill_here(self, _checked: bool = False) -> None:
        """Ask for what is chosen in the place that is shown, or no longer."""
        if self.pages.currentIndex() == RANGE:
            self.range_place.fill()
        else:
            self.plan_place.grid.table.fill_asked.emit()

    def remove_here(self, _checked: bool = False) -> None:
        """Remove what is chosen in the place that is shown."""
        if self.pages.currentIndex() == RANGE:
            self.range_place.remove()
        else:
            self.remove_selected()

    def remove_selected(self) -> None:
        """Take sources out of the batch (their files are not touched)."""
        batch = self.session.batch
        names = self.plan_place.grid.selected_sources()
        for name in names:
            batch = remove_source(batch, name)
        self.session.edit(f"remove {len(names)} source{'s' if len(names) != 1 else ''}", batch)

    def _grid_menu(self, at: QPoint) -> None:
        menu = QMenu(self)
        for action in self.all_actions:
            if "selected" in action.text():
                menu.addAction(action)
        menu.exec(at)

    def bring_in_files(self) -> None:
        """Choose files."""
        names, _ = QFileDialog.getOpenFileNames(
            self, "Bring in media and timelines", str(self.session.path.parent)
        )
        if names:
            self.session.gather([Path(name) for name in names])

    def bring_in_folder(self) -> None:
        """Choose a folder."""
        name = QFileDialog.getExistingDirectory(self, "Bring in a folder", str(self.session.path.parent))
        if name:
            self.session.gather([Path(name)])

    def choose_folder(self) -> None:
        """Choose where the files go."""
        name = QFileDialog.getExistingDirectory(self, "Where the files go", str(self.session.path.parent))
        if name:
            self.use_folder(Path(name))

    def use_folder(self, folder: Path) -> None:
        """Send the files somewhere else."""
        self.session.edit(
            "choose the target folder",
            set_folder(self.session.batch, portable(folder, self.session.path.parent)),
        )

    def name_files(self) -> None:
        """The pattern for names, and what every file would be called."""
        from chronocast.ui.places.plan.names_box import NamesBox

        box = NamesBox(self.theme, self.session.batch, self)
        if box.exec():
            self.session.edit("name the files", box.batch)

    def find_sources(self) -> None:
        """Into the line above the grid."""
        self.go_to(0)
        self.plan_place.finder.setVisible(True)
        self.plan_place.finder.words.setFocus()
        self.plan_place.finder.words.selectAll()

    def search_media(self) -> None:
        """Choose a folder to look for missing media in."""
        name = QFileDialog.getExistingDirectory(
            self, "Where the missing media may be", str(self.session.path.parent)
        )
        if name:
            self.session.search_media(Path(name))

    def take_cut(self, sources: list[str]) -> None:
        """Look at what the new cut would change; take it if a person says so."""

        def look(names: list[str], recuts: list[Recut]) -> None:
            if not names:
                self.tell("No sequence has changed.")
                return
            titles = ", ".join(s.name for s in self.session.batch.sources if s.id in names)
            answer = QMessageBox(self)
            answer.setText(f"Take {titles} as it is now?")
            answer.setInformativeText("\n".join(recut_lines(recuts)) or "No output is made of it.")
            yes = answer.addButton("Take it", QMessageBox.ButtonRole.AcceptRole)
            answer.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)
            answer.exec()
            if answer.clickedButton() is yes:
                self.session.take_cut(names)

        self.session.look_at_cut(sources, look)

    def accept_damage(self, sources: list[str]) -> None:
        """Accept what is damaged in some sources: their files show it, and their checks say so."""
        prospect = self.session.prospect
        if prospect is None:
            return
        marks = {
            source: tuple(facts.fingerprint for facts in ready.facts.values() if facts.damage)
            for source in sources
            if (ready := prospect.sources.get(source))
        }
        batch = accept_media(self.session.batch, marks)
        self.session.edit(
            f"accept the damage of {len(sources)} source{'s' if len(sources) != 1 else ''}", batch
        )

    def accept_selected(self) -> None:
        """Accept the damage of the sources selected in the grid."""
        self.accept_damage(self.plan_place.grid.selected_sources())

    def write_cuts(self) -> None:
        """Choose a folder for the cut of every source and range."""
        name = QFileDialog.getExistingDirectory(self, "Where the cuts go", str(self.session.path.parent))
        if name:
            self.session.write_cuts(Path(name))

    def write_picks(self) -> None:
        """Choose a file for the ranges of the source in *Range*, as sub-clips."""
        source = self.session.batch.source(self.range_place.standing.source)
        if source is None or not source.ranges:
            self.tell("This source has no ranges to write yet.")
            return
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Write sub-clips",
            str(self.session.path.parent / f"{source.name} sub-clips.otio"),
            "OTIO (*.otio)",
        )
        if name:
            self.session.write_picks(Path(name), [source.id])

    def _ask_rate(self, paths: list[Path]) -> None:
        """Edit lists don't say their rate: ask, then bring them in."""
        names = ", ".join(path.name for path in paths[:3]) + (" and more" if len(paths) > 3 else "")
        rate, said = QInputDialog.getItem(
            self, "Frames per second", f"{names}: an edit list doesn't say its frame rate. It is",
            ["23.976", "24", "25", "29.97", "30", "50", "59.94", "60"], 2,
        )  # fmt: skip
        if said:
            self.session.gather(paths, rate)

    def new_batch(self) -> None:
        """Begin a new batch."""
        self._take_session(None)

    def open_batch(self) -> None:
        """Choose a batch."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Open a batch", str(self.session.path.parent), f"Batches (*{BATCH_ENDING})"
        )
        if name:
            self._take_session(Path(name))

    def _take_session(self, path: Path | None) -> None:
        """Another window on another batch; this one closes once that one is there."""
        try:
            session = Session(path, workspace=self.session.workspace)
        except (ChronocastError, OSError) as error:
            self.tell_trouble(str(error))
            return
        window = Window(session, self.theme)
        window.setGeometry(self.geometry())
        window.show()
        session.open()
        _windows.append(window)
        QTimer.singleShot(0, self.close)  # not from within the drop or the dialog that brought it

    def save_as(self) -> None:
        """Write a copy of the batch somewhere else (the batch itself is saved at every edit)."""
        name, _ = QFileDialog.getSaveFileName(
            self, "Save a copy of the batch", str(self.session.path), f"Batches (*{BATCH_ENDING})"
        )
        if name:
            path = Path(name if name.endswith(BATCH_ENDING) else name + BATCH_ENDING)
            try:
                save_batch(self.session.batch, path)
                self.tell(f"A copy of the batch was written to {path}. No film was made.")
            except ChronocastError as error:
                self.tell_trouble(str(error))

    def find_command(self) -> None:
        """Every action by a few letters."""
        finder = Finder(self.all_actions, self)
        finder.move(self.mapToGlobal(QPoint((self.width() - finder.width()) // 2, 60)))
        finder.show()
        finder.line.setFocus()

    def other_theme(self) -> None:
        """Ink to Paper, and back."""
        self._remake(themes.PAPER if self.theme.name == "Ink" else themes.INK)

    def text_scale(self, factor: float) -> None:
        """Larger or smaller text everywhere."""
        themes.set_scale(themes.scale() * factor)
        self._remake(self.theme)

    def _remake(self, theme: Theme) -> None:
        """The same session in a window made anew: theme and text size are in every part."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        themes.apply(app, theme)
        kept = settings()
        kept.setValue("theme", theme.name.lower())
        kept.setValue("text", themes.scale())
        window = Window(self.session, theme)
        window.setGeometry(self.geometry())
        window.show()
        window.range_place.take_over(self.range_place)
        window.recipe_place.take_over(self.recipe_place)
        window.go_to(self.pages.currentIndex())
        window._show_run()
        _windows.append(window)
        for signal, slot in self._heard:
            signal.disconnect(slot)
        self._retired = True
        self.close()
        self.deleteLater()

    def open_with_care(self) -> None:
        """The last window on this batch died while it was being opened: leave out what shows its media."""
        self.careful = True
        self._say(
            "The window ended unexpectedly the last time this batch was opened, so no pictures of its sources are "
            "shown this time. “Show pictures again” in Commands, View, brings them back.",
            "rust", 0,
        )  # fmt: skip

    def show_pictures(self) -> None:
        """Show pictures of sources again after a batch was opened with care."""
        self.careful = False
        self.notice.hide()
        self._show_plan()

    def measure(self) -> None:
        """Calibrate this machine in the background."""
        self.session.measure()

    def about(self) -> None:
        """What this is, and its licence."""
        QMessageBox.information(
            self, "About Chronocast",
            f"Chronocast {__version__}\n\nForecasts batch renders before they are made, renders and proves them.\n"
            "Free software under the GNU General Public License, version 3 or later.",
        )  # fmt: skip

    def _copy(self, path: str) -> None:
        clipboard = QApplication.clipboard()
        if clipboard:
            clipboard.setText(path)
            self.tell("The path is on the clipboard.")

    # Dropping and closing

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and (data := event.mimeData()) and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is not None and (data := event.mimeData()):
            paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
            batches = [path for path in paths if path.name.endswith(BATCH_ENDING)]
            event.acceptProposedAction()
            paths = self.columns.take_documents(paths)
            if batches:
                QTimer.singleShot(0, lambda: self._take_session(batches[0]))
            elif paths:
                self.session.gather(paths)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Figures typed anywhere in *Range* begin a time to go to."""
        if (
            event is not None
            and self.pages.currentIndex() == RANGE
            and event.text()
            and event.text() in "0123456789+-"
        ):
            self.range_place.begin_typing(event.text())
            return
        super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._clock.stop()
        self.strips.leave()
        self.range_place.leave()
        if not self._retired:
            self.session.close()
        if self in _windows:
            _windows.remove(self)
        super().closeEvent(event)


_windows: list[Window] = []
