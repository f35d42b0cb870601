"""Edits of a batch: each takes a batch and gives the next one; and their undo."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal, NamedTuple, TypedDict, Unpack

from chronocast.model.batch.batch import FULL, Batch, Output, Source
from chronocast.model.batch.wishes import Wish
from chronocast.model.errors import ModelError
from chronocast.model.house import named
from chronocast.model.recipe.recipe import Recipe


def identifier(text: str, taken: Iterable[str], fallback: str = "item") -> str:
    """A short id from a name, unlike all those taken.

    Parameters
    ----------
    text
        The name.
    taken
        Ids that are taken.
    fallback
        What it is called where nothing of the name is left.

    >>> identifier("Still water, long take", ["still-water-long-take"])
    'still-water-long-take-2'
    """
    base = re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:40].strip("-") or fallback
    known = taken if isinstance(taken, dict | set) else set(taken)
    name, number = base, 2
    while name in known:
        name, number = f"{base}-{number}", number + 1
    return name


def add_source(batch: Batch, path: str, name: str, kind: Literal["clip", "sequence"]) -> Batch:
    """The batch with one more source; unchanged if that path is in it already.

    Parameters
    ----------
    batch
        The batch.
    path
        Of its file; relative ones are beside the batch.
    name
        What it is called.
    kind
        Media, or a timeline.
    """
    if any(source.path == path for source in batch.sources):
        return batch
    new = Source(
        id=identifier(name, (s.id for s in batch.sources), "source"), path=path, name=name[:200], kind=kind
    )
    return batch.model_copy(update={"sources": (*batch.sources, new)})


def change_outputs(batch: Batch, outputs: Iterable[str], update: Mapping[str, Any]) -> Batch:
    """The batch with some outputs changed alike.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    update
        New values by the names of an output's fields; they must be valid.
    """
    chosen = set(outputs)
    changed = tuple(o.model_copy(update=update) if o.id in chosen else o for o in batch.outputs)
    return batch.model_copy(update={"outputs": changed})


class WithNew(NamedTuple):
    """A batch after an edit that adds to it, and the ids of what came in."""

    batch: Batch
    new: list[str]


def merge_sources(batch: Batch, sources: Iterable[Source]) -> WithNew:
    """The batch with those sources whose paths aren't in it yet, and the ids these have in it."""
    known = {source.path for source in batch.sources}
    new = []
    for source in sources:
        if source.path in known:
            continue
        batch = add_source(batch, source.path, source.name, source.kind)
        fresh = source.model_copy(update={"id": batch.sources[-1].id})
        batch = batch.model_copy(update={"sources": (*batch.sources[:-1], fresh)})
        new.append(fresh.id)
    return WithNew(batch, new)


def remove_source(batch: Batch, source: str) -> Batch:
    """The batch without a source and its outputs."""
    return batch.model_copy(
        update={
            "sources": tuple(item for item in batch.sources if item.id != source),
            "outputs": tuple(item for item in batch.outputs if item.source != source),
        }
    )


def add_recipe(batch: Batch, recipe: Recipe) -> Batch:
    """The batch with one more recipe; unchanged if that id is in it already."""
    if batch.recipe(recipe.id):
        return batch
    return batch.model_copy(update={"recipes": (*batch.recipes, recipe)})


def accept_media(batch: Batch, marks: Mapping[str, tuple[str, ...]]) -> Batch:
    """The batch with the damage of some media accepted: fingerprints by source id."""
    kept = tuple(
        source.model_copy(update={"accepted": marks[source.id]}) if source.id in marks else source
        for source in batch.sources
    )
    return batch.model_copy(update={"sources": kept})


def in_order(batch: Batch, outputs: Iterable[str]) -> Batch:
    """The batch with some outputs in another order; those not named keep their place after them."""
    rank = {name: number for number, name in enumerate(outputs)}
    ordered = sorted(batch.outputs, key=lambda output: rank.get(output.id, len(rank)))
    return batch.model_copy(update={"outputs": tuple(ordered)})


class Cell(NamedTuple):
    """A cell of the grid: a source's id, a range's id (*full* for the whole), a recipe's id."""

    source: str
    part: str
    recipe: str


def fill(batch: Batch, cells: Iterable[Cell | tuple[str, str, str]], filled: bool = True) -> Batch:
    """Fill or clear cells, each (source, range, recipe).

    Parameters
    ----------
    batch
        The batch.
    cells
        Each (source, range, recipe).
    filled
        Whether they are asked for from now on.

    Raises
    ------
    ModelError
        A cell names a source, range or recipe the batch hasn't.
    """
    outputs = {output.id: output for output in batch.outputs}
    present_in = {(o.source, o.range, o.recipe): o.id for o in batch.outputs}
    owners, recipes = {s.id: s for s in batch.sources}, {r.id for r in batch.recipes}
    for source, part, recipe in cells:
        owner = owners.get(source)
        if owner is None or recipe not in recipes:
            raise ModelError(f"There is no cell for “{source}” and “{recipe}” in this batch.")
        if part != FULL and all(item.id != part for item in owner.ranges):
            raise ModelError(f"{owner.name} has no range “{part}”.")
        key = (source, part, recipe)
        present = present_in.get(key)
        if filled and present is None:
            stem = f"{source}-{recipe}" if part == FULL else f"{source}-{part}-{recipe}"
            made = Output(id=identifier(stem, outputs), source=source, range=part, recipe=recipe)
            outputs[made.id] = made
            present_in[key] = made.id
        elif not filled and present is not None:
            del outputs[present], present_in[key]
    return batch.model_copy(update={"outputs": tuple(outputs.values())})


def hold(batch: Batch, outputs: Iterable[str], held: bool) -> Batch:
    """Hold outputs back, or release them.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    held
        Whether they are held back from now on.
    """
    return change_outputs(batch, outputs, {"held": held})


def want_outputs(batch: Batch, outputs: Iterable[str], wanted: datetime | None) -> Batch:
    """The batch with a time of their own at which outputs are wanted; None for the batch's.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    wanted
        When.
    """
    return change_outputs(batch, outputs, {"wanted": wanted})


def keep_to_stations(batch: Batch, outputs: Iterable[str], stations: Iterable[str]) -> Batch:
    """The batch with outputs kept to stations of the house; none for any.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    stations
        Names in the house.

    Raises
    ------
    ModelError
        A name that no station can have.
    """
    names = tuple(dict.fromkeys(stations))
    for name in names:
        try:
            named(name)
        except ValueError as error:
            raise ModelError(f"“{name}” is no name of a station: {error}.") from None
    return change_outputs(batch, outputs, {"stations": names})


def move_outputs(batch: Batch, outputs: Iterable[str], before: str | None) -> Batch:
    """The batch with outputs made right before another one, in the order they had; None for last.

    Parameters
    ----------
    batch
        The batch.
    outputs
        Their ids.
    before
        The id of the output that comes after them.
    """
    moved = set(outputs)
    order = [output.id for output in batch.outputs]
    rest = [name for name in order if name not in moved]
    at = rest.index(before) if before in rest else len(rest)
    if before in moved:  # dropped on one of them: after what stood before it
        ahead = {name for name in order[: order.index(before)] if name not in moved}
        at = sum(name in ahead for name in rest)
    return in_order(batch, [*rest[:at], *(name for name in order if name in moved), *rest[at:]])


class AskedFor(TypedDict, total=False):
    """What a batch can be asked to keep, by the names of its fields."""

    wanted: datetime | None
    not_before: datetime | None
    wish: Wish
    size_limit: int | None
    line: int | None
    receiver_space: int | None
    look_floor: float | None


def set_asked(batch: Batch, **asked: Unpack[AskedFor]) -> Batch:
    """The batch with other things to keep; None of any is nothing asked, what isn't named stays.

    Parameters
    ----------
    batch
        The batch.
    asked
        When all should be finished, and when it may be begun; what the order is to be good for; bytes that no file should be larger than; bit/s of the line that
        files are sent by; bytes that are free where they go; XPSNR in dB that poorest shots should keep.

    Raises
    ------
    ModelError
        A limit or a line of nothing.
    """
    if any(isinstance(value, int | float) and value < 1 for value in asked.values()):
        raise ModelError("A limit of nothing can't be kept.", "Leave it empty for none.")
    floor = asked.get("look_floor")
    if floor is not None and not 10 <= floor <= 70:
        raise ModelError(
            f"{floor:g} dB says nothing: poor pictures have 25 dB, 44 dB can't be told from the original.",
            "Ask for something between, or leave it empty for none.",
        )
    return batch.model_copy(update=dict(asked))


def set_folder(batch: Batch, folder: str) -> Batch:
    """The batch with another target folder."""
    return batch.model_copy(update={"folder": folder})


@dataclass
class History:
    """The batch now, and every state before and after it: a real undo stack."""

    now: Batch
    before: list[tuple[str, Batch]] = field(default_factory=list)
    after: list[tuple[str, Batch]] = field(default_factory=list)

    def do(self, what: str, batch: Batch) -> bool:
        """Take ``batch`` as the next state; False if it changes nothing."""
        if batch == self.now:
            return False
        self.before.append((what, self.now))
        self.after.clear()
        self.now = batch
        return True

    def through(self, change: Callable[[Batch], Batch]) -> History:
        """The same steps of batches that all went through a change."""
        before, after = (
            [(what, change(batch)) for what, batch in steps] for steps in (self.before, self.after)
        )
        return History(change(self.now), before, after)

    def undo(self) -> str | None:
        """Go back one step; what was undone, or None."""
        if not self.before:
            return None
        what, batch = self.before.pop()
        self.after.append((what, self.now))
        self.now = batch
        return what

    def redo(self) -> str | None:
        """Go forward again; what was done again, or None."""
        if not self.after:
            return None
        what, batch = self.after.pop()
        self.before.append((what, self.now))
        self.now = batch
        return what
