"""What a cell of *Plan* says, in plain Python."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from chronocast.model.batch.batch import Output
from chronocast.model.show import size_text, time_text
from chronocast.preparation.forecast.first_figures import FirstFigures
from chronocast.preparation.forecast.judging import Judged
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook
from chronocast.preparation.forecast.treatments import Run, piece_map
from chronocast.preparation.problem import Problem
from chronocast.ui.places.plan.filled import MOST_CHANGED, Filled
from chronocast.ui.places.plan.panel.detail import own_words


@dataclass(frozen=True)
class Cell:
    """A possible output.

    Shares are of the column's largest; ``pieces`` is what happens to its pieces, along it; ``own`` are its exceptions in words,
    ``card`` the worst verdict of its receivers' cards.
    """

    output: str = ""
    held: bool = False
    time: str = ""
    size: str = ""
    time_share: float = 0.0
    size_share: float = 0.0
    pieces: tuple[Run, ...] = ()
    made: bool = False
    problem: str = ""
    waiting: bool = False
    share: str = ""
    own: str = ""
    card: str = ""
    card_told: str = ""

    @property
    def filled(self) -> bool:
        return bool(self.output)


class Cells(Mapping[tuple[int, int], Cell]):
    """``Cells(places, make)``: the filled cells by row and column; what one says is worked out when it is looked at.

    Parameters
    ----------
    places
        The outputs by row and column.
    make
        Says what there is to say of one.
    told
        What that rests on besides the outputs: the very same things say the same.
    """

    def __init__(
        self,
        places: Filled,
        make: Callable[[Output], Cell],
        told: tuple[object, ...] = (),
    ) -> None:
        self.places, self._make, self._told = places, make, told
        self._made: dict[str, Cell] = {}

    def __getitem__(self, place: tuple[int, int]) -> Cell:
        output = self.places[place]
        if output.id not in self._made:
            self._made[output.id] = self._make(output)
        return self._made[output.id]

    def __iter__(self) -> Iterator[tuple[int, int]]:
        return iter(self.places)

    def __len__(self) -> int:
        return len(self.places)

    @property
    def by_output(self) -> dict[str, tuple[int, int]]:
        """Where each output is."""
        return self.places.by_output

    def moved(self, rows: Mapping[int, int]) -> Cells:
        """Those of some rows, in new ones."""
        places = self.places.items()
        there = Filled({(rows[row], column): output for (row, column), output in places if row in rows})
        found = Cells(there, self._make, self._told)
        found._made = self._made
        return found

    def changed_from(self, before: Cells) -> list[tuple[int, int]] | None:
        """Where another output is than before, or none; None where every cell may say something else."""
        if len(self._told) != len(before._told) or any(
            one is not other for one, other in zip(self._told, before._told, strict=True)
        ):
            return None
        found = self.places.changed_from(before.places)
        return found if len(found) <= MOST_CHANGED else None


def cells_of(
    places: Filled,
    view: Outlook | FirstFigures | None,
    *,
    judged: Mapping[str, Judged],
    refused: Mapping[str, Problem],
    told: tuple[object, ...],
) -> Cells:
    """What there is to say of outputs.

    Parameters
    ----------
    places
        The outputs by row and column.
    view
        The forecast, if there is one; or what is known of files before it.
    judged
        The verdicts of receivers' cards, by output.
    refused
        Why outputs can't be made, by output.
    told
        What that rests on besides the outputs.
    """
    forecast, columns = isinstance(view, Outlook), view.columns if view else {}
    outlooks: Mapping[str, OutputOutlook] = {}
    looked_at = frozenset[str]()
    if isinstance(view, Outlook):
        outlooks = view.by_id
    elif view is not None:
        outlooks, looked_at = view.outputs, view.sources

    def make(output: Output) -> Cell:
        item, verdict = outlooks.get(output.id), judged.get(output.id)
        if item is None:
            why = refused.get(output.id)
            known = forecast or why is not None or (looked_at and output.source in looked_at)
            told = f"{why.sentence} {why.remedy}".strip() if why else "can't be made"
            return Cell(
                output.id,
                output.held,
                waiting=not output.held and not known,
                problem="" if output.held or not known else told,
                own=own_words(output),
            )
        column = columns[item.ready.output.recipe]
        return Cell(
            output.id,
            output.held,
            "made" if item.made else time_text(item.seconds.likely),
            size_text(item.bytes.likely),
            item.seconds.likely / column.longest,
            item.bytes.likely / column.largest,
            piece_map(item),
            item.made,
            share="" if item.ready.extent.full else item.ready.extent.share_text,
            own=own_words(output),
            card=verdict.state if verdict else "",
            card_told="; ".join(f"{card.name}: {one.told}" for card, one in verdict.broken[:2])
            if verdict
            else "",
        )

    return Cells(places, make, told)
