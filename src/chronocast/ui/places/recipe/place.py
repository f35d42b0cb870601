"""*Recipe*: what one kind of file is, or what some cells say otherwise.  It translates; it doesn't compute."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from chronocast.deliver.names import proposed_stems
from chronocast.journal.library import Library
from chronocast.model.batch.batch import Output
from chronocast.model.batch.columns import (
    MIXED,
    add_card,
    change_recipe,
    common,
    exceptions,
    set_card,
    set_own,
)
from chronocast.model.batch.edits import add_recipe
from chronocast.model.batch.exceptions import with_values
from chronocast.model.errors import ChronocastError, ModelError
from chronocast.model.recipe.formats.containers import extension
from chronocast.model.recipe.wording import label_of, recipe_facts, say, telling_name
from chronocast.model.show import rate_bits_text, size_text, time_text
from chronocast.preparation.forecast.judging import Judged
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook, together
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.ruler import Ruled, ruled_files, ruled_typical
from chronocast.ui.commands import Actions
from chronocast.ui.desk.desk import Desk
from chronocast.ui.places.place import Touched
from chronocast.ui.places.recipe.actions import RecipeActions
from chronocast.ui.places.recipe.model import recipe_model
from chronocast.ui.places.recipe.parts import Form, Outcome, Shelf, Shelved
from chronocast.ui.places.recipe.settings import BITS, RecipeModel, Seen
from chronocast.ui.places.recipe.size_ruler import SizeRuler
from chronocast.ui.places.recipe.spoken_of import Kind, SpokenOf
from chronocast.ui.places.recipe.typed import read_typed
from chronocast.ui.theme import Theme, font
from chronocast.ui.widgets.later import queue


class RecipePlace(QWidget):
    """``RecipePlace(library, theme)``: a recipe, or the exceptions of some files.

    ``edited`` with what was done and the batch after it; ``preview`` with the batch as it would be while
    something is dragged; ``trouble`` and ``said`` with sentences; ``names_asked`` for the box of names.
    """

    forecasts = True
    edited = pyqtSignal(str, object)
    preview = pyqtSignal(object)
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)
    names_asked = pyqtSignal()
    cards_asked = pyqtSignal()

    def __init__(self, library: Library, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.library = library
        self.prospect: Prospect | None = None
        self.view: Outlook | None = None
        self.before: Outlook | None = None
        self.spoken = SpokenOf()
        self.recipe_actions = RecipeActions(library, self.spoken, theme, self)
        self.model: RecipeModel | None = None
        self.shelf, self.form = Shelf(theme), Form(theme)
        self.ruler, self.outcome = SizeRuler(theme), Outcome(theme)
        self.name = QLineEdit()
        self.name.setFont(font(17))
        self.name.setAccessibleName("Name of the recipe")
        self.name.setFrame(False)
        self.name.setStyleSheet("background: transparent; border: none; padding: 0;")
        self.name.editingFinished.connect(self._renamed)
        self.propose = QToolButton()
        self.propose.setText("Propose a name")
        self.propose.setToolTip("A name that tells what it makes")
        self.propose.clicked.connect(self._propose)
        self.purpose = QLineEdit()
        self.purpose.setAccessibleName("What the recipe is for")
        self.purpose.setPlaceholderText("What is it for? A line for whoever chooses it.")
        self.purpose.setFont(font(13, narrow=True))
        self.purpose.setFrame(False)
        self.purpose.setStyleSheet(
            f"background: transparent; border: none; padding: 0; color: {theme.quiet};"
        )
        self.purpose.editingFinished.connect(self._repurposed)
        self._build()
        self.shelf.chosen.connect(self._choose)
        self.recipe_actions.edited.connect(self.edited)
        self.recipe_actions.said.connect(self.said)
        self.recipe_actions.trouble.connect(self.trouble)
        self.recipe_actions.done.connect(self._done)
        shelf_commands = self.recipe_actions.commands()
        self.shelf.asked.connect(lambda name: shelf_commands[name]())
        # what is done may build the form anew: only once the widget that asks for it is out of its own hands
        queue(self.form.taken, self._taken)
        queue(self.form.typed, self._typed)
        self.form.refused.connect(self.said)
        self.ruler.dragged.connect(self.try_rate)
        self.ruler.set_to.connect(lambda bits: self.set_values({BITS: bits}, "set the rate"))
        queue(self.outcome.mended, self._mend)
        queue(self.outcome.card_set, self._set_card)
        queue(self.outcome.asked, self._asked)
        self._stale = True
        self._step = 0
        self._steps = QTimer(self)
        self._steps.timeout.connect(self._next_step)

    def _build(self) -> None:
        questions = QHBoxLayout()
        questions.setContentsMargins(10, 0, 14, 4)
        questions.setSpacing(2)
        for words in ("What is it for?", "What picture?", "How many bits?", "What is heard?"):
            button = QToolButton()
            button.setText(words)
            button.setFont(font(13, narrow=True))
            button.clicked.connect(lambda _=False, w=words: self.form.go_to(w))
            questions.addWidget(button)
        questions.addStretch(1)
        title = QHBoxLayout()
        title.setContentsMargins(18, 8, 14, 0)
        title.addWidget(self.name, 1)
        title.addWidget(self.propose)
        head = QVBoxLayout()
        head.setContentsMargins(0, 0, 0, 0)
        head.setSpacing(0)
        head.addLayout(title)
        inner = QHBoxLayout()
        inner.setContentsMargins(18, 0, 14, 0)
        inner.addWidget(self.purpose)
        head.addLayout(inner)
        head.addWidget(self.ruler)
        head.addLayout(questions)
        head.addWidget(self.form, 1)
        middle = QWidget()
        middle.setLayout(head)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.shelf)
        row.addWidget(self._upright())
        row.addWidget(middle, 1)
        row.addWidget(self._upright())
        row.addWidget(self.outcome)

    def _upright(self) -> QWidget:
        from PyQt6.QtWidgets import QFrame

        line = QFrame()
        line.setObjectName("upright")
        return line

    # What is shown

    def show_desk(self, desk: Desk, touched: Touched) -> None:
        """Show another state of the batch, or a newer forecast of it."""
        if not touched & {"batch", "forecast"}:
            return
        batch = desk.batch
        self.spoken.batch, self.prospect = batch, desk.prospect
        self.view, self.before = desk.view, desk.before
        self.spoken.cells = [name for name in self.spoken.cells if batch.output(name)]
        self._stale = True
        if self.isVisible():
            self.show_now()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            QTimer.singleShot(0, self.show_now)

    def enter(self) -> None:
        """Take the keyboard."""
        self.shelf.table.setFocus()

    def leave(self) -> None:
        """Make no more of the form."""
        self._steps.stop()

    def commands(self) -> Actions:
        """What it does, by the ids of the table of commands."""
        return self.recipe_actions.commands()

    def _done(self) -> None:
        if self.isVisible():
            self.show_now()

    def take_over(self, other: RecipePlace) -> None:
        """Show what another one showed (a change of theme makes everything anew)."""
        self.spoken.speak_of(other.spoken.kind, other.spoken.id)
        self.spoken.cells = list(other.spoken.cells)

    def open_recipe(self, identifier: str, kind: Kind = "recipe") -> None:
        """Show a column's recipe, or a saved one; nothing changes where none is named.

        Parameters
        ----------
        identifier
            The recipe's id.
        kind
            Whether it is a column's.
        """
        if not identifier:
            return
        self.spoken.speak_of(kind, identifier)
        self._stale = True
        if self.isVisible():
            self.show_now()

    def like_the_source(self, source: str) -> None:
        """A recipe that makes files as a source is, as a column."""
        self.recipe_actions.like_the_source(self.prospect.sources.get(source) if self.prospect else None)
        self._stale = True

    def open_cells(self, outputs: list[str]) -> None:
        """Show what some cells are made by, to set exceptions for all of them."""
        self.spoken.cells = list(outputs)
        self.spoken.speak_of("cells", "cells")
        self._stale = True

    def show_now(self) -> None:
        """Bring everything in line with what is spoken of."""
        self._stale = False
        self.spoken.saved = self.library.recipes()
        self.spoken.fall_back()
        self._show_shelf()
        recipes = self.spoken.recipes()
        if not recipes:
            return
        one, outputs = recipes[0], self.spoken.outputs()
        self.model = recipe_model(recipes, self.spoken.saved_one(), self._seen(outputs))
        cells = self.spoken.kind == "cells"
        count = len(outputs)
        words = f"{count} chosen file{'s' if count != 1 else ''}" if cells else one.title
        if not self.name.hasFocus():
            self.name.setText(words)
        self.name.setReadOnly(cells)
        self.propose.setVisible(not cells)
        columns = list(dict.fromkeys(output.recipe for output in outputs))
        words = f"Exceptions from {', '.join(columns[:3])}{' and more' if len(columns) > 3 else ''}: what is set here is for these files only."
        if not self.purpose.hasFocus():
            self.purpose.setText(words if cells else one.purpose)
            self.purpose.setCursorPosition(0)
        self.purpose.setReadOnly(cells)
        self.purpose.setToolTip(
            words if cells else one.purpose + (f" Saved {one.dated:%d %b %Y}." if one.dated else "")
        )
        # one after another, since each alone is soon done and something else may be wanted meanwhile
        self._steps.start(8)
        self._step = 0

    def _next_step(self) -> None:
        """The form, and then what comes of it."""
        self._step += 1
        if self.model is None or not self.spoken.recipes():
            self._steps.stop()
        elif self._step == 1 and self.form.unmade(self.model.groups):
            self._step = 0
            self.form.make_some(self.model.groups)
        elif self._step == 1:
            self.form.show_groups(self.model.groups)
        elif self._step >= 3:  # a beat between them for what has to be laid out and painted
            self._steps.stop()
            self._show_outcome(self.spoken.outputs())

    def _show_shelf(self) -> None:
        rows = []
        favourite = self.library.favourite
        if self.spoken.cells:
            count = len(self.spoken.cells)
            rows.append(
                Shelved(
                    "cells",
                    "cells",
                    f"{count} chosen file{'s' if count != 1 else ''}",
                    "exceptions for these only",
                )
            )
        rows += [
            Shelved(
                "recipe", recipe.id, recipe.name, recipe_facts(recipe), self.spoken.mark(recipe, favourite)
            )
            for recipe in self.spoken.batch.recipes
        ]
        away = [recipe for recipe in self.spoken.saved if self.spoken.batch.recipe(recipe.id) is None]
        rows += [
            Shelved(
                "saved",
                recipe.id,
                recipe.name,
                recipe_facts(recipe),
                "own" if self.library.is_own(recipe.id) else "favourite" if recipe.id == favourite else "",
            )
            for recipe in away
        ]
        self.shelf.show_rows(rows, (self.spoken.kind, self.spoken.id))
        for name, on in self.recipe_actions.can_do().items():
            self.shelf.allow(name, on)

    def _seen(self, outputs: list[Output]) -> Seen:
        """The source that consequences are told for: the first of those spoken of, else the first there is."""
        if self.prospect:
            for source in [*(output.source for output in outputs), *self.prospect.sources]:
                if ready := self.prospect.sources.get(source):
                    return Seen(ready.cut.width, ready.cut.height, ready.cut.rate, self.prospect.devices)
        return Seen(devices=self.prospect.devices if self.prospect else ())

    def _forecast(self, outputs: list[Output], view: Outlook | None) -> list[OutputOutlook]:
        wanted = {output.id for output in outputs}
        return [item for item in view.outputs if item.ready.output.id in wanted] if view else []

    def _show_outcome(self, outputs: list[Output]) -> None:
        assert self.model is not None
        items = self._forecast(outputs, self.view)
        judged = [
            item for item in (self.view.judged if self.view else []) if item.output in {o.id for o in outputs}
        ]
        self.ruler.show_ruled(self._ruled(items, judged))
        old = self._forecast(outputs, self.before)
        answers = []
        if items:
            (seconds, size), (old_seconds, old_size) = together(items), together(old)
            more = f"safe {time_text(seconds.safe)}{_moved(seconds.likely, old_seconds.likely, time_text) if old else ''}"
            answers.append(("work", time_text(seconds.likely), more))
            more = f"safe {size_text(size.safe)}, {len(items)} file{'s' if len(items) != 1 else ''}{_moved(size.likely, old_size.likely, size_text) if old else ''}"
            answers.append(("size", size_text(size.likely), more))
        elif self.model.weighed:
            weighed = self.model.weighed
            answers.append(
                (
                    "about",
                    rate_bits_text(weighed.bits),
                    f"a minute takes {size_text(weighed.bits * 60 / 8)}; no file of it is asked for",
                )
            )
        answers.append(("file", self.model.extension, ""))
        verdicts = [
            (v.state, f"{v.told}" + (f". {v.remedy}" if v.remedy else "")) for v in _worst_each(judged)
        ]
        verdicts = [("breaks", told) for item in judged[:1] for told in item.contradictions] + verdicts
        on = {name for output in outputs for name in output.cards}
        known = {card.id: card.name for card in self.library.cards()} | {
            card.id: card.name for card in self.spoken.batch.cards
        }
        cards = [
            (name, words, name in on)
            for name, words in sorted(known.items(), key=lambda item: (item[0] not in on, item[1]))
        ]
        column = None if self.spoken.kind == "cells" else self.spoken.id
        told = [
            f"{self._source_name(output)}: {', '.join(f'{label_of(field)} {say(field, value)}' for field, value in own.items())}"
            for output, own in exceptions(self.spoken.batch)
            if column is None or output.recipe == column
        ]
        ending = extension(self.spoken.recipes()[0].container) if self.spoken.recipes() else ""
        names = [stem + ending for stem in proposed_stems(self.spoken.batch, outputs[:3])]
        self.outcome.show_outcome(answers, self.model, verdicts, cards, told, names=names)

    def _source_name(self, output: Output) -> str:
        source = self.spoken.batch.source(output.source)
        return source.name if source else output.source

    def _ruled(self, items: list[OutputOutlook], judged: list[Judged]) -> Ruled:
        recipe, saved = self.spoken.recipes()[0], self.spoken.saved_one()
        if not items:
            return ruled_typical(recipe, saved, self.model.weighed if self.model else None)
        return ruled_files(recipe, saved, items, judged, common(self.spoken.recipes(), BITS) is MIXED)

    # What is done

    def _asked(self, what: str) -> None:
        (self.names_asked if what == "names" else self.cards_asked).emit()

    def _choose(self, kind: Kind, identifier: str) -> None:
        self.spoken.speak_of(kind, identifier)
        self.show_now()

    def _taken(self, key: str, number: int) -> None:
        setting = self.model.setting(key) if self.model else None
        if setting is None:
            return
        choice = setting.choices[number]
        self.set_values(choice.values, f"{setting.label.lower() or key}: {choice.words}")

    def _typed(self, key: str, text: str) -> None:
        setting = self.model.setting(key) if self.model else None
        if setting is None:
            return
        try:
            self.set_values(
                read_typed(setting, text), f"{setting.label.lower() or 'frame size'}: {text or 'automatic'}"
            )
        except ModelError as error:
            self.trouble.emit(str(error))
            self.form.rows[key].show_setting(setting)

    def set_values(self, values: Mapping[str, Any], what: str) -> None:
        """Set fields of the recipe, or as exceptions of the chosen cells."""
        try:
            if self.spoken.kind == "cells":
                count = len(self.spoken.cells)
                self.edited.emit(
                    f"{what}, for {count} file{'s' if count != 1 else ''}",
                    set_own(self.spoken.batch, self.spoken.cells, dict(values)),
                )
                return
            batch, recipe = self.spoken.batch, self.spoken.recipes()[0]
            if self.spoken.kind == "saved":
                batch = add_recipe(batch, recipe)
            self.spoken.kind = "recipe"
            self.edited.emit(f"{what}, in {recipe.name}", change_recipe(batch, with_values(recipe, values)))
        except (ModelError, IndexError) as error:
            self.trouble.emit(str(error))
            self.show_now()

    def try_rate(self, bits: int) -> None:
        """While the rate is dragged: the forecast of it, without taking it."""
        try:
            if self.spoken.kind == "cells":
                self.preview.emit(set_own(self.spoken.batch, self.spoken.cells, {BITS: bits}))
            elif self.spoken.kind == "recipe" and self.spoken.recipes():
                self.preview.emit(
                    change_recipe(self.spoken.batch, with_values(self.spoken.recipes()[0], {BITS: bits}))
                )
        except ModelError:
            return

    def show_trial(self, *told: object) -> None:
        """The forecast of what is being dragged."""
        view = next((item for item in told if isinstance(item, Outlook)), None)
        if view is None or self.model is None or self.ruler.live is None:
            return
        kept, self.view, before, self.before = self.view, view, self.before, self.view
        self._show_outcome(self.spoken.outputs())
        self.view, self.before = kept, before

    def _mend(self, number: int) -> None:
        if self.model and number < len(self.model.conflicts):
            item = self.model.conflicts[number]
            self.set_values(dict(item.changes), "mend a contradiction")

    def _set_card(self, identifier: str, on: bool) -> None:
        outputs = [output.id for output in self.spoken.outputs()]
        card = self.spoken.batch.card(identifier)
        try:
            card = card or self.library.card(identifier)
            if card is None or not outputs:
                self.said.emit("Ask for a file first: a receiver card judges files.")
                self.show_now()
                return
            batch = add_card(self.spoken.batch, card) if on else self.spoken.batch
            self.edited.emit(
                f"{'judge' if on else 'no longer judge'} {len(outputs)} by {card.name}",
                set_card(batch, outputs, identifier, on),
            )
        except ChronocastError as error:
            self.trouble.emit(str(error))

    def _renamed(self) -> None:
        recipes = self.spoken.recipes()
        text = self.name.text().strip().removesuffix("(changed)").strip()
        if self.spoken.kind != "recipe" or not recipes or not text or text == recipes[0].name:
            return
        self.edited.emit(
            f"name a recipe {text[:40]}",
            change_recipe(self.spoken.batch, recipes[0].model_copy(update={"name": text[:80]})),
        )

    def _repurposed(self) -> None:
        recipes, text = self.spoken.recipes(), self.purpose.text().strip()
        if self.spoken.kind == "recipe" and recipes and text != recipes[0].purpose:
            self.edited.emit(
                f"say what {recipes[0].name} is for",
                change_recipe(self.spoken.batch, recipes[0].model_copy(update={"purpose": text[:400]})),
            )

    def _propose(self) -> None:
        recipes = self.spoken.recipes()
        if recipes and self.spoken.kind == "recipe":
            name = telling_name(recipes[0])
            self.edited.emit(
                f"name a recipe {name[:40]}",
                change_recipe(self.spoken.batch, recipes[0].model_copy(update={"name": name})),
            )


def _moved(now: float, was: float, tell: Callable[[float], str]) -> str:
    """The difference to before, where there is one to speak of."""
    if abs(now - was) < max(1e-6, 0.005 * max(now, was)):
        return ""
    return f" · {'+' if now > was else '−'}{tell(abs(now - was))}"


def _worst_each(judged: list[Judged]) -> list[Any]:
    """Of each requirement of each card the worst verdict over all files, the worst first."""
    order = {"breaks": 0, "tight": 1, "unknown": 2, "fits": 3}
    found: dict[tuple[str, str, str], Any] = {}
    for item in judged:
        for card, verdicts in item.cards:
            for verdict in verdicts:
                key = (card.id, verdict.what, verdict.wanted)
                old = found.get(key)
                if old is None or (order[verdict.state], -(verdict.use or 0)) < (
                    order[old.state],
                    -(old.use or 0),
                ):
                    found[key] = verdict
    return sorted(found.values(), key=lambda verdict: order[verdict.state])
