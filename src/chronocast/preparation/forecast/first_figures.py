"""What files of a large batch take, before its plan is known."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from chronocast.preparation.forecast.output_outlook import ColumnOutlook, OutputOutlook, columns_of
from chronocast.preparation.output.output_ready import Prospect


@dataclass(frozen=True)
class FirstFigures:
    """What files of a batch take, as far as that is known; when they are made isn't known yet.

    Parameters
    ----------
    prospect
        The batch, its sources looked at, its outputs made ready so far.
    outputs
        The forecasts by output: none says when it begins or ends.
    sources
        The sources all of whose outputs were looked at.
    looked_at, of
        How many outputs were looked at, those that can't be made included; of how many.
    """

    prospect: Prospect
    outputs: Mapping[str, OutputOutlook]
    sources: frozenset[str]
    looked_at: int
    of: int

    @cached_property
    def columns(self) -> Mapping[str, ColumnOutlook]:
        """What the outputs of each recipe come to so far, by its id."""
        return columns_of(self.outputs.values())
