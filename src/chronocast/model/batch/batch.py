"""The batch: the document an operator works on.

A JSON file, ``NAME.batch.json``.  Paths under the batch's own folder are
written relative to it, so that the folder can be moved.  Fields this version
does not know are kept as they are.
"""

from __future__ import annotations

import json
from datetime import date, datetime
from operator import attrgetter
from pathlib import Path
from typing import Literal

from pydantic import Field, JsonValue, ValidationError, field_validator, model_validator

from chronocast.model.batch.exceptions import MOST_EXCEPTIONS, effective
from chronocast.model.batch.naming import USUAL, read_pattern
from chronocast.model.batch.wishes import Wish
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.document_reading import explain, read_object
from chronocast.model.errors import ModelError
from chronocast.model.frozen import share_names
from chronocast.model.lookup import find
from chronocast.model.paths import path_text, real_path
from chronocast.model.pauses import pause
from chronocast.model.picture.terms import Placing
from chronocast.model.recipe.recipe import Document, Identifier, Recipe
from chronocast.model.recipe.typed import MOST
from chronocast.model.source.origin import Alpha
from chronocast.model.time.moments import Moment

VERSION = 1
FORMAT = "chronocast batch"
FULL = "full"
MANY = 500
"""So many outputs are planned anew at once; of more it takes seconds."""
MOST_TITLE = 200
"""Characters."""
RangeKind = Literal["trim", "marked", "clip"]
_ID, _CELL = attrgetter("id"), attrgetter("source", "range", "recipe")


class NamedRange(Document):
    """A part of a source in frames, ``stop`` exclusive.

    *trim* was set by hand, *marked* is one of the source's own, *clip* one of
    the edits of a sequence.
    """

    id: Identifier
    name: str = Field(min_length=1, max_length=80)
    start: int = Field(ge=0)
    stop: int = Field(gt=0)
    kind: RangeKind = "trim"

    @model_validator(mode="after")
    def _in_before_out(self) -> NamedRange:
        if self.stop <= self.start:
            raise ValueError(f"the out point ({self.stop}) must lie after the in point ({self.start})")
        return self


class Source(Document):
    """A sequence (a timeline file) or a clip (a media file).

    Of a sequence: ``rate`` is said for an edit list, which doesn't say its
    own; ``taken`` is the digest of the timeline file whose cut is used;
    ``relinked`` has the files that stand for those it names; ``known`` the
    fingerprints of its media when last seen, by the names it has for them.
    """

    id: Identifier
    path: str = Field(min_length=1, max_length=4096)
    kind: Literal["clip", "sequence"]
    name: str = Field(min_length=1, max_length=200)
    ranges: tuple[NamedRange, ...] = ()
    rate: str | None = None
    taken: str = ""
    relinked: dict[str, str] = Field(default_factory=dict)
    known: dict[str, str] = Field(default_factory=dict)
    accepted: tuple[str, ...] = Field(default=(), max_length=1000)
    alpha: Alpha = ""

    @model_validator(mode="after")
    def _ranges_differ(self) -> Source:
        names = [part.id for part in self.ranges]
        if FULL in names or len(set(names)) < len(names):
            raise ValueError(f"{self.name} has two ranges of the same id, or one called “{FULL}”")
        return self

    def part(self, identifier: str) -> NamedRange | None:
        """Its range of that id."""
        return next((item for item in self.ranges if item.id == identifier), None)


class Framing(Document):
    """How one output is framed: shares cut off each side, how the rest goes into the frame, and the centre of a filled one.

    ``placing`` stands for the recipe's own where it is given.  ``centres`` are
    key positions (frame of the output, x, y), x and y from 0 to 1.
    """

    placing: Placing | None = None
    left: float = Field(default=0, ge=0, le=0.95)
    top: float = Field(default=0, ge=0, le=0.95)
    right: float = Field(default=0, ge=0, le=0.95)
    bottom: float = Field(default=0, ge=0, le=0.95)
    centres: tuple[tuple[int, float, float], ...] = ()

    @model_validator(mode="after")
    def _something_left(self) -> Framing:
        if self.left + self.right > 0.95 or self.top + self.bottom > 0.95:
            raise ValueError("the crop leaves less than a twentieth of the picture")
        if any(not 0 <= x <= 1 or not 0 <= y <= 1 for _, x, y in self.centres):
            raise ValueError("a centre lies outside the picture")
        if len({frame for frame, _, _ in self.centres}) < len(self.centres):
            raise ValueError("two centres are set for the same frame")
        return self

    @property
    def plain(self) -> bool:
        """Whether it says nothing that the recipe doesn't."""
        return self == Framing()


class Output(Document):
    """One file to be made: a range of a source × a recipe.

    ``own`` are its exceptions from the recipe, by dotted field; ``cards`` the receiver cards it is
    judged by; ``folder`` a target folder of its own; ``wanted`` is when it is wanted, if not with
    its batch, ``not_before`` when it may be begun; ``stations`` are the only ones that make it, by
    their names in the house, none for any.
    """

    id: Identifier
    source: str
    range: str = FULL
    recipe: str
    name: str | None = Field(default=None, max_length=400)
    held: bool = False
    framing: Framing | None = None
    own: dict[str, JsonValue] = Field(default_factory=dict, max_length=MOST_EXCEPTIONS)
    cards: tuple[str, ...] = Field(default=(), max_length=16)
    folder: str = Field(default="", max_length=4096)
    wanted: Moment | None = None
    not_before: Moment | None = None
    stations: tuple[str, ...] = Field(default=(), max_length=64)


class Batch(Document):
    """Sources, recipes, the outputs asked for in their order, and where they go.

    ``names`` is the pattern files are named by, ``edition`` and ``dated`` what
    its tokens {version} and {date} say.  ``wanted`` is when all should be
    finished, ``not_before`` when it may be begun, ``wish`` what the order in which it is made is to be good for,
    ``size_limit`` the bytes that no file should be larger than,
    ``line`` the bit/s of the line that files are sent by, ``receiver_space``
    the bytes that are free where they go in the end, ``look_floor`` the XPSNR
    in dB that the poorest shots should keep.
    """

    format: Literal["chronocast batch"] = "chronocast batch"
    version: int = VERSION
    title: str = Field(default="Untitled batch", max_length=MOST_TITLE)
    folder: str = Field(default="outgoing", min_length=1, max_length=4096)
    wanted: Moment | None = None
    not_before: Moment | None = None
    wish: Wish = "order"
    size_limit: int | None = Field(default=None, ge=1, le=MOST)
    line: int | None = Field(default=None, ge=1, le=MOST)
    receiver_space: int | None = Field(default=None, ge=1, le=MOST)
    look_floor: float | None = Field(default=None, ge=10.0, le=70.0)
    names: str = Field(default=USUAL, max_length=400)
    edition: int = Field(default=1, ge=1, le=9999)
    dated: date | None = None
    search: tuple[str, ...] = ()
    sources: tuple[Source, ...] = ()
    recipes: tuple[Recipe, ...] = ()
    cards: tuple[ReceiverCard, ...] = ()
    outputs: tuple[Output, ...] = ()

    @field_validator("names")
    @classmethod
    def _a_pattern(cls, value: str) -> str:
        try:
            read_pattern(value)
        except ModelError as error:
            raise ValueError(f"{error.sentence} {error.remedy}") from None
        return value

    @model_validator(mode="after")
    def _names_meet(self) -> Batch:
        for what, items in (
            ("source", self.sources),
            ("recipe", self.recipes),
            ("receiver card", self.cards),
            ("output", self.outputs),
        ):
            seen: set[str] = set()
            for item in items:
                if item.id in seen:
                    raise ValueError(f"two {what}s share the id “{item.id}”")
                seen.add(item.id)
        sources, recipes = {one.id: one for one in self.sources}, {one.id for one in self.recipes}
        for output in self.outputs:
            if (source := sources.get(output.source)) is None:
                raise ValueError(
                    f"output “{output.id}” names the source “{output.source}”, which is not in the batch"
                )
            if output.recipe not in recipes:
                raise ValueError(
                    f"output “{output.id}” names the recipe “{output.recipe}”, which is not in the batch"
                )
            if missing := [name for name in output.cards if self.card(name) is None]:
                raise ValueError(
                    f"output “{output.id}” names the receiver card “{missing[0]}”, which is not in the batch"
                )
            if output.own:
                try:
                    self.made_by(output)
                except ModelError as error:
                    raise ValueError(f"output “{output.id}”: {error.sentence}") from None
            if output.range != FULL and all(part.id != output.range for part in source.ranges):
                raise ValueError(
                    f"output “{output.id}” names the range “{output.range}”, which {source.name} does not have"
                )
        share_names((*self.sources, *self.outputs))
        return self

    def source(self, identifier: str) -> Source | None:
        """The source of an id, if there is one."""
        return find(self.sources, _ID, identifier)

    def recipe(self, identifier: str) -> Recipe | None:
        """The recipe of an id, if there is one."""
        return find(self.recipes, _ID, identifier)

    def card(self, identifier: str) -> ReceiverCard | None:
        """The receiver card of an id, if there is one."""
        return find(self.cards, _ID, identifier)

    def made_by(self, output: Output) -> Recipe:
        """The recipe an output is made by, its exceptions taken in.

        Raises
        ------
        ModelError
            An exception that can't be.
        """
        recipe = self.recipe(output.recipe)
        assert recipe is not None
        return effective(recipe, output.own)

    def begins_at(self, output: Output) -> datetime | None:
        """The moment before which nothing of an output is begun, with a zone; None for at once."""
        moments = [_zoned(moment) for moment in (self.not_before, output.not_before) if moment is not None]
        return max(moments, default=None)

    def wanted_at(self, output: Output) -> datetime | None:
        """When an output is wanted, with a zone: by itself, else as the whole batch is."""
        moment = output.wanted or self.wanted
        return _zoned(moment) if moment is not None else None

    def output(self, identifier: str) -> Output | None:
        """The output of an id, if there is one."""
        return find(self.outputs, _ID, identifier)

    def cell(self, source: str, part: str, recipe: str) -> Output | None:
        """The output in one cell of the grid, if it is filled.

        Parameters
        ----------
        source
            A source's id.
        part
            A range's id; *full* for the whole.
        recipe
            A recipe's id.
        """
        return find(self.outputs, _CELL, (source, part, recipe))


def _zoned(moment: datetime) -> datetime:
    """A moment with a zone: this machine's where it says none."""
    return moment if moment.tzinfo is not None else moment.astimezone()


def read_batch(text: str, what: str = "The batch") -> Batch:
    """A batch from the text of its file.

    Raises
    ------
    ModelError
        Not JSON, not a batch, of a newer version, or with values
        that make no sense; the sentence names the first of them.
    """
    data = read_object(text, what, FORMAT, VERSION)
    try:
        return Batch.model_validate(data)
    except ValidationError as error:
        raise ModelError(
            f"{what} can't be used: {explain(error)}.", "The file has not been changed."
        ) from None


def write_batch(batch: Batch) -> str:
    """The text of a batch's file."""
    rest = batch.model_dump(mode="json", exclude={"sources", "outputs"})
    # thousands one by one: others want their turn
    many = {"sources": [*map(_dumped, batch.sources)], "outputs": [*map(_dumped, batch.outputs)]}
    known = {name: many[name] if name in many else rest[name] for name in Batch.model_fields}
    value = {**known, **rest}  # and what this version doesn't know
    return json.dumps(value, indent=2, ensure_ascii=False) + "\n"


def _dumped(item: Source | Output) -> dict[str, JsonValue]:
    pause()
    return item.model_dump(mode="json")


def resolve(path: str, folder: Path) -> Path:
    """A path from a batch, made absolute against the batch's folder."""
    real = Path(real_path(path))
    return real if real.is_absolute() else folder / real


def portable(path: Path, folder: Path) -> str:
    """A path as a batch writes it: relative where it lies under the batch's folder."""
    try:
        return path_text(path.relative_to(folder).as_posix())
    except ValueError:
        return path_text(path)
