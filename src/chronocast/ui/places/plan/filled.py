"""Which outputs are asked for in the grid of *Plan*, by row and column, in plain Python."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from itertools import takewhile
from operator import is_
from typing import NamedTuple, Self
from weakref import ReferenceType, ref

from chronocast.model.batch.batch import FULL, Batch, Output

MOST_CHANGED = 50
"""More changed cells than that are drawn all at once."""

Place = tuple[int, int]


class Apart(NamedTuple):
    """What tells two sequences of outputs apart: outputs of the one that aren't in the other, and those of the other."""

    gone: list[Output]
    more: list[Output]


def outputs_apart(before: Sequence[Output], now: Sequence[Output]) -> Apart:
    """Outputs that came and went; documents never change, so that the very same ones say the same.

    Parameters
    ----------
    before, now
        The outputs at two times; what they begin and end alike with is passed over at once.
    """
    same = _alike(before, now)
    before, now = before[same:], now[same:]
    end = _alike(before[::-1], now[::-1])
    before, now = before[: len(before) - end], now[: len(now) - end]
    were, are = set(map(id, before)), set(map(id, now))
    return Apart([one for one in before if id(one) not in are], [one for one in now if id(one) not in were])


def _alike(one: Sequence[Output], other: Sequence[Output]) -> int:
    """How many of the first are the very same."""
    return sum(1 for _ in takewhile(bool, map(is_, one, other)))


class Filled(dict[Place, Output]):
    """The outputs by row and column.

    ``rows`` are the rows of ranges, by source and range; ``columns`` those of recipes.
    """

    rows: Mapping[tuple[str, str], int]
    columns: Mapping[str, int]
    changes: tuple[ReferenceType[Filled], list[Place]] | None = None

    @classmethod
    def of(cls, batch: Batch) -> Self:
        """All of a batch."""
        parts = [
            (source.id, part) for source in batch.sources for part in (FULL, *(p.id for p in source.ranges))
        ]
        rows = {place: number for number, place in enumerate(parts)}
        columns = {recipe.id: number for number, recipe in enumerate(batch.recipes)}
        made = cls({(rows[(o.source, o.range)], columns[o.recipe]): o for o in batch.outputs})
        made.rows, made.columns = rows, columns
        return made

    @cached_property
    def by_output(self) -> dict[str, Place]:
        """Where each output is."""
        return {output.id: place for place, output in self.items()}

    def place_of(self, output: Output) -> Place:
        """Where an output belongs."""
        return self.rows[(output.source, output.range)], self.columns[output.recipe]

    def changed(self, apart: Apart) -> Filled:
        """These, with a few gone and a few more: of thousands it is copied and not worked out anew."""
        made = Filled(self)
        made.rows, made.columns = self.rows, self.columns
        known = dict(self.by_output)
        for output in apart.gone:
            made.pop(self.place_of(output), None)
            known.pop(output.id, None)
        for output in apart.more:
            made[self.place_of(output)] = output
            known[output.id] = self.place_of(output)
        made.__dict__["by_output"] = known
        made.changes = ref(self), [self.place_of(output) for output in (*apart.gone, *apart.more)]
        return made

    def changed_from(self, before: Filled) -> list[Place]:
        """Where another output is than before, or none."""
        if self is before:
            return []
        if self.changes is not None and self.changes[0]() is before:
            return list(dict.fromkeys(self.changes[1]))
        found = [place for place, output in self.items() if before.get(place) is not output]
        return found + [place for place in before if place not in self]


_last: list[tuple[Batch, Filled]] = []
"""What was shown last: forecasts come and go, and an edit changes a few."""


def filled_of(batch: Batch) -> Filled:
    """The outputs of a batch by row and column."""
    for before, filled in tuple(_last):
        if before.sources is batch.sources and before.recipes is batch.recipes:
            apart = outputs_apart(before.outputs, batch.outputs)
            if not apart.gone and not apart.more:
                return filled
            if len(apart.gone) + len(apart.more) <= MOST_CHANGED:
                made = filled.changed(apart)
                if len(made) == len(batch.outputs):  # else a file asks for a cell twice, and one was hidden
                    break
    else:
        made = Filled.of(batch)
    _last[:] = [(batch, made), *_last[:1]]
    return made
