"""A trial, carried out on this machine: really encoded, measured, and pictures of it written beside the originals."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from chronocast.crew.local.crew import LocalCrew
from chronocast.crew.local.jobs import do_jobs
from chronocast.forecast.band import Band, Chance, band
from chronocast.forecast.outputs import forecast_outputs
from chronocast.forecast.picture.looks import XPSNR_FLOOR, Measured, lowest
from chronocast.journal.workspace import Workspace
from chronocast.media.viewing.picture_files import write_pictures
from chronocast.model.batch.exceptions import with_values
from chronocast.model.errors import ChronocastError
from chronocast.model.show import rate_bits_text, size_text
from chronocast.model.time.timing import Duration
from chronocast.preparation.asked.candidates import BITS, QUALITY, varied_ask
from chronocast.preparation.asked.trial import (
    SECONDS,
    Moment,
    TrialPiece,
    Variant,
    moments_of,
    trial_pieces,
    variants_of,
)
from chronocast.preparation.forecast.output_ask import output_ask
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.output.piece_fact import piece_fact
from chronocast.preparation.station.this import machine_slots, this_station
from chronocast.preparation.today import learned_from


@dataclass(frozen=True)
class Tried:
    """One moment by one variant, as it came out.

    Parameters
    ----------
    moment, variant
        What was tried.
    path
        Its file.
    bytes
        Of it.
    seconds
        How long the moment is.
    cpu_seconds
        What it took.
    ssim, xpsnr
        Of its pictures, the mean.
    worst
        XPSNR in dB of the poorest twentieth of its pictures.
    worst_picture
        The number of the poorest picture.
    """

    moment: Moment
    variant: Variant
    path: Path
    bytes: int
    seconds: float
    cpu_seconds: float
    ssim: float
    xpsnr: float
    worst: float
    worst_picture: int

    @property
    def picture(self) -> Path:
        """Its poorest picture, as a file beside it."""
        return self.path.with_name(
            f"{self.moment.words} picture {self.worst_picture} {self.variant.words.replace('/', ' per ')}.png"
        )

    @property
    def original(self) -> Path:
        """What the encoder was given for that picture."""
        return self.path.with_name(f"{self.moment.words} picture {self.worst_picture} original.png")

    @property
    def bits(self) -> float:
        """Bits a second."""
        return self.bytes * 8 / self.seconds


@dataclass(frozen=True)
class Trial:
    """All that was tried, and the moments without loss by their words."""

    tried: tuple[Tried, ...]
    originals: dict[str, Path]

    @property
    def measured(self) -> list[Measured]:
        """Each variant over all moments: its bits, and XPSNR of its worst moment."""
        found = []
        for variant in dict.fromkeys(item.variant.words for item in self.tried):
            mine = [item for item in self.tried if item.variant.words == variant]
            whole = sum(item.seconds for item in mine)
            bits = sum(item.bytes for item in mine) * 8 / whole
            found.append(Measured(mine[0].variant.asked, bits, min(item.worst for item in mine)))
        return found


def carry_out(
    pieces: Sequence[TrialPiece],
    workspace: Workspace,
    progress: Callable[[int, int], None] = lambda _done, _all: None,
) -> Trial:
    """Encode a trial's pieces, measure them, and remember what they took: they are the forecast's probes.

    Parameters
    ----------
    pieces
        Every moment by every variant, and without loss.
    workspace
        Where slots are shared by locks.
    progress
        Told how many of how many are done.

    Raises
    ------
    ChronocastError
        A piece can't be made.
    """
    slots = machine_slots()

    async def work() -> list[Tried]:
        crew = LocalCrew(workspace.slots_folder, slots, workspace.child_log)
        try:
            jobs = [piece.job for piece in pieces]
            took = await do_jobs(crew, slots, jobs, [], lambda done: progress(done, len(jobs)))
        finally:
            await crew.close()
        found = []
        for piece, timed in zip(pieces, took, strict=True):
            if piece.variant is None:
                continue
            alike = timed.result.get("likeness", [])
            order = sorted(alike, key=lambda item: item[3])
            poor = order[: max(1, len(order) // 20)]
            job = piece.job
            fact = piece_fact(
                piece.ready,
                job,
                timed.result,
                cpu_seconds=timed.cpu,
                wall_seconds=timed.wall,
            )
            with contextlib.suppress(ChronocastError), workspace.ledger() as ledger:
                ledger.add_piece(fact)
            found.append(
                Tried(
                    piece.moment,
                    piece.variant,
                    Path(job.target),
                    timed.result["bytes"],
                    float(Duration(job.frames, job.rate)),
                    timed.cpu,
                    _mean([item[1] for item in alike]),
                    _mean([item[3] for item in alike]),
                    _mean([item[3] for item in poor]),
                    int(order[0][0]) if order else 0,
                )
            )
        return found

    tried = asyncio.run(work())
    originals = {piece.moment.words: Path(piece.job.target) for piece in pieces if piece.variant is None}
    return Trial(tuple(tried), originals)


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values) if values else 0.0


@dataclass(frozen=True)
class TrialTold:
    """A trial and what follows from it.

    Parameters
    ----------
    ready
        The output that was tried.
    trial
        What came of it.
    floor
        XPSNR in dB that the worst moment should keep.
    lowest
        The least that keeps it; None where nothing that was tried does.
    whole
        Bytes of the whole output made so.
    """

    ready: OutputReady
    trial: Trial
    floor: float
    lowest: Measured | None
    whole: Band | None

    @property
    def rated(self) -> bool:
        """Whether what was tried are rates, and not qualities."""
        return self.ready.recipe.picture is not None and self.ready.recipe.picture.steering.rated

    @property
    def values(self) -> dict[str, Any]:
        """Fields of the recipe that make it by the least that keeps the floor."""
        if self.lowest is None:
            return {}
        if self.rated:
            return {BITS: round(self.lowest.asked, -4)}
        return {QUALITY: round(self.lowest.asked, 1)}

    @property
    def told(self) -> str:
        """The answer, as a sentence."""
        floor = f"XPSNR {self.floor:g} dB in the worst moment"
        if self.lowest is None:
            return f"None of these keeps {floor}: try a better quality, or more rate."
        if self.lowest in self.trial.measured and self.lowest.bits == min(
            m.bits for m in self.trial.measured
        ):
            asked_least = (
                rate_bits_text(self.lowest.asked) if self.rated else f"quality {self.lowest.asked:.3g}"
            )
            return f"All that was tried keeps {floor}, {asked_least}, too: less might do."
        asked = rate_bits_text(self.lowest.asked) if self.rated else f"quality {self.lowest.asked:.3g}"
        size = (
            f": the whole file {size_text(self.whole.likely)}, safe {size_text(self.whole.safe)}"
            if self.whole
            else ""
        )
        return f"The least that keeps {floor} is about {asked}{size}."


def hold_trial(
    ready: OutputReady,
    workspace: Workspace,
    folder: Path,
    *,
    at: int | None = None,
    seconds: float = SECONDS,
    floor: float = XPSNR_FLOOR,
    progress: Callable[[int, int], None] = lambda _done, _all: None,
) -> TrialTold:
    """Encode an output's hardest, easiest and a chosen moment in several qualities, and measure them.

    Parameters
    ----------
    ready
        The output, planned.
    workspace
        What is kept of all batches; what is learned goes there.
    folder
        Where the encodes go, and pictures of them.
    at
        The first frame of the chosen moment, in frames of the source; None for none.
    seconds
        How long each moment is.
    floor
        XPSNR in dB that the worst moment should keep.
    progress
        Told how many of how many are done.

    Raises
    ------
    ChronocastError
        It can't be tried.
    """
    pieces = trial_pieces(ready, moments_of(ready, at, seconds), variants_of(ready.recipe), folder)
    trial = carry_out(pieces, workspace, progress)
    for item in trial.tried:
        write_pictures(item.path, {item.worst_picture: item.picture})
        if not item.original.exists():
            write_pictures(trial.originals[item.moment.words], {item.worst_picture: item.original})
    return at_floor(ready, trial, floor, workspace)


def at_floor(ready: OutputReady, trial: Trial, floor: float, workspace: Workspace) -> TrialTold:
    """What follows from a trial for a floor: the least that keeps it, and the bytes of the whole output made so.

    Parameters
    ----------
    ready
        The output that was tried.
    trial
        What came of it.
    floor
        XPSNR in dB that the worst moment should keep.
    workspace
        What is kept of all batches.
    """
    told = TrialTold(ready, trial, floor, lowest(trial.measured, floor), None)
    if not told.values:
        return told
    with contextlib.suppress(ChronocastError), workspace.ledger() as ledger:
        known = learned_from(ledger, {ready.film})
        ask = output_ask(ready, workspace.stock, None)
        other = varied_ask(ready, ask, with_values(ready.recipe, told.values))
        size = forecast_outputs([other], this_station(workspace), known, Chance()).bytes[0]
        return replace(told, whole=band(size))
    return told
