"""The forecast of one output, and of several together."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Band, band, exact
from chronocast.forecast.picture.quality import LookBand, Looks, look_bands
from chronocast.model.stages import StageKind
from chronocast.model.time.timing import format_timecode
from chronocast.preparation.output.output_ready import OutputReady


@dataclass(frozen=True, slots=True)
class StageOutlook:
    """How long one kind of an output's work takes on its station."""

    kind: StageKind
    station: str
    seconds: Band


@dataclass(frozen=True, slots=True)
class LooksOutlook:
    """How like the original an output looks: XPSNR in dB.

    Parameters
    ----------
    mean, worst
        Of all of it, and of its poorest shots.
    poorest
        The number of the piece that is likely to be the poorest.
    measured
        How many pieces were measured.
    """

    mean: LookBand
    worst: LookBand
    poorest: int
    measured: int

    @classmethod
    def of(cls, looks: Looks | None) -> LooksOutlook | None:
        """As the forecast has it; None where nothing is said."""
        return cls.of_several([looks])[0]

    @classmethod
    def of_several(cls, several: Sequence[Looks | None]) -> list[LooksOutlook | None]:
        """The same of several outputs at once."""
        told = [looks for looks in several if looks is not None]
        bands = zip(
            look_bands([looks.mean for looks in told]),
            look_bands([looks.worst for looks in told]),
            strict=True,
        )
        found: list[LooksOutlook | None] = []
        for looks in several:
            if looks is None:
                found.append(None)
                continue
            mean, worst = next(bands)
            found.append(cls(mean, worst, int(looks.shots.argmin()), looks.measured))
        return found


@dataclass(frozen=True, slots=True)
class OutputOutlook:
    """The forecast of one output.

    Parameters
    ----------
    ready
        What it is of.
    seconds, cpu_seconds, bytes
        Its work that is left, by the clock and of the processor; its file.
    begin, finish
        Seconds from now.
    stages
        What the work consists of.
    pieces_kept, kept_names, kept_share
        Its pieces that need no more work: how many, which, how much of the picture by frames.
    copied_names
        Its pieces whose packets are to be copied from the source.
    sound_bytes
        What its sound takes.
    basis
        What its size rests on, in words.
    made
        Whether it is made already.
    looks
        How like the original it looks; None where nothing is lost, or nothing known.
    saved_seconds
        Of work, that encoding all of it would take besides.
    bases_save
        Seconds of work that composing once saves all outputs that share its base pieces.
    sent
        Seconds from now, when its file has gone across the line files are sent by; None where none is named.
    draws
        What the bands of seconds and bytes come from, shape (2, draws): several outputs together are the
        sum of theirs.
    """

    ready: OutputReady
    seconds: Band
    cpu_seconds: Band
    bytes: Band
    begin: Band
    finish: Band
    stages: tuple[StageOutlook, ...]
    pieces_kept: int
    kept_names: frozenset[str]
    kept_share: float
    sound_bytes: float
    basis: str
    made: bool = False
    looks: LooksOutlook | None = None
    copied_names: frozenset[str] = frozenset()
    saved_seconds: float = 0.0
    bases_save: float = 0.0
    sent: Band | None = None
    draws: NDArray[np.float32] | None = field(default=None, compare=False, repr=False)

    @property
    def pieces_total(self) -> int:
        """How many pieces it is cut into."""
        return len(self.ready.plan.pieces)


def poorest_shot(item: OutputOutlook) -> str:
    """Where in its source the shot begins that is likely to be its poorest, as timecode."""
    return shot_at(item.ready, item.looks.poorest if item.looks else 0)


def shot_at(ready: OutputReady, number: int) -> str:
    """Where in its source a piece of an output begins, as timecode."""
    cut = ready.source.cut
    before = sum(piece.frames for piece in ready.plan.pieces[:number])
    at = ready.part.start + int(before * cut.rate / ready.plan.rate)
    return format_timecode(cut.start_timecode + at, cut.rate, cut.drop_frame)


class Totals(NamedTuple):
    """Seconds of work and bytes of several outputs together."""

    seconds: Band
    bytes: Band


@dataclass(frozen=True)
class ColumnOutlook:
    """Outputs of one recipe: how many, what they come to, and the most that one of them takes.

    ``draws`` is what the bands come from, shape (2, draws); None without any.
    """

    files: int
    totals: Totals
    longest: float
    largest: float
    draws: NDArray[np.float64] | None = field(default=None, compare=False, repr=False)

    @classmethod
    def of(cls, outputs: Sequence[OutputOutlook]) -> ColumnOutlook:
        """Of some outputs."""
        return cls._told(outputs, len(outputs), drawn_together(outputs))

    def changed(
        self,
        gone: Sequence[OutputOutlook],
        more: Sequence[OutputOutlook],
        now: Callable[[], Sequence[OutputOutlook]],
    ) -> ColumnOutlook:
        """It, with a few outputs gone and a few more.

        Parameters
        ----------
        gone, more
            Those that are in it no more, and those that are.
        now
            Gives all that are in it then; asked for where one that has gone may have been the longest or largest.
        """
        left, added = drawn_together(gone), drawn_together(more)
        draws = self.draws
        for one, sign in ((left, -1.0), (added, 1.0)):
            if one is not None:
                draws = sign * one if draws is None else draws + sign * one
        most = any(item.seconds.likely >= self.longest or item.bytes.likely >= self.largest for item in gone)
        told = self._told(now() if most else more, self.files - len(gone) + len(more), draws)
        if most:
            return told
        return replace(told, longest=max(told.longest, self.longest), largest=max(told.largest, self.largest))

    @classmethod
    def _told(
        cls, outputs: Sequence[OutputOutlook], files: int, draws: NDArray[np.float64] | None
    ) -> ColumnOutlook:
        longest = max((item.seconds.likely for item in outputs), default=0.0)
        largest = max((item.bytes.likely for item in outputs), default=0.0)
        return cls(files, _totals(draws), max(0.001, longest), max(1.0, largest), draws)


def columns_of(outputs: Iterable[OutputOutlook]) -> dict[str, ColumnOutlook]:
    """What the outputs of each recipe come to, by its id."""
    groups: dict[str, list[OutputOutlook]] = {}
    for item in outputs:
        groups.setdefault(item.ready.output.recipe, []).append(item)
    return {recipe: ColumnOutlook.of(group) for recipe, group in groups.items()}


def together(outputs: Sequence[OutputOutlook]) -> Totals:
    """Seconds of work and bytes of several outputs: what they have in common is in error together."""
    return _totals(drawn_together(outputs))


def drawn_together(outputs: Iterable[OutputOutlook]) -> NDArray[np.float64] | None:
    """Draws of the seconds of work and bytes of several outputs together, shape (2, draws); None where there are none."""
    drawn = [item.draws for item in outputs if item.draws is not None]
    if not drawn:
        return None
    whole: NDArray[np.float64] = np.array(drawn, np.float64).sum(axis=0)
    return whole


def _totals(whole: NDArray[np.float64] | None) -> Totals:
    return Totals(exact(0.0), exact(0.0)) if whole is None else Totals(band(whole[0]), band(whole[1]))
