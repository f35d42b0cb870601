"""A trial: a few seconds of an output's hardest, easiest and a chosen moment, in several qualities, before an hour is spent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, NamedTuple

from chronocast.model.batch.exceptions import with_values
from chronocast.model.errors import ModelError
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.asked.candidates import BITS, MODE, QUALITY
from chronocast.preparation.output.output_ready import OutputReady

SECONDS = 2.5
"""How long a moment is, where nobody says."""
MEASURED = 24
"""So many pictures of a moment are measured."""
STEPS = (-6.0, 0.0, 6.0)
"""Steps of quality that are tried, on scales of about 50."""
RATES = (0.5, 1.0, 2.0)


class Moment(NamedTuple):
    """A stretch of an output that is tried: why, and its frames in the source."""

    words: str
    part: FrameRange


@dataclass(frozen=True)
class Variant:
    """One encode of every moment: in words, what is asked for (quality, or bit/s), its recipe."""

    words: str
    asked: float
    recipe: Recipe


@dataclass(frozen=True)
class TrialPiece:
    """One moment by one variant, as a job of an output that is no longer than it.

    ``variant`` None is the moment as the encoder is given it, without loss.
    """

    moment: Moment
    variant: Variant | None
    job: PieceJob
    ready: OutputReady


def moments_of(ready: OutputReady, at: int | None = None, seconds: float = SECONDS) -> list[Moment]:
    """The hardest and the easiest moment by the source's own packets, and a chosen one.

    Parameters
    ----------
    ready
        The output, planned.
    at
        The first frame of the chosen one, in frames of the source; None for none.
    seconds
        How long each is.

    Raises
    ------
    ModelError
        The chosen moment isn't in the output.
    """
    part, cut = ready.part, ready.source.cut
    length = max(1, min(len(part), round(seconds * cut.rate)))
    found = []
    told = [(item.packets, n) for n, item in enumerate(ready.content) if item.packets is not None]
    middles = _middles(ready)
    if told and len(middles) == len(ready.content):
        for words, number in (("hardest", max(told)[1]), ("easiest", min(told)[1])):
            found.append(Moment(words, _around(middles[number], length, part)))
    else:
        found.append(Moment("middle", _around((part.start + part.stop) // 2, length, part)))
    if at is not None and at not in part:
        raise ModelError(
            f"The moment lies outside of what is made of {ready.source.source.name}.",
            f"Choose one of its {len(part)} frames.",
        )
    if at is not None:
        found.append(Moment("chosen", _around(at + length // 2, length, part)))
    unlike: dict[FrameRange, Moment] = {}
    for moment in found:
        unlike.setdefault(moment.part, moment)
    return list(unlike.values())


def _middles(ready: OutputReady) -> list[int]:
    """The middle of each piece, in frames of the source."""
    at, found = 0, []
    moments = max(1, sum(piece.moments for piece in ready.plan.pieces))
    for piece in ready.plan.pieces:
        share = (at + piece.moments / 2) / moments
        found.append(ready.part.start + int(share * len(ready.part)))
        at += piece.moments
    return found


def _around(middle: int, length: int, part: FrameRange) -> FrameRange:
    start = min(max(part.start, middle - length // 2), part.stop - length)
    return FrameRange(start, start + length)


def variants_of(recipe: Recipe) -> list[Variant]:
    """A recipe as it is and around it: in steps of quality, or of rate.

    Raises
    ------
    ModelError
        It has no picture, or neither a quality nor a rate.
    """
    picture = recipe.picture
    if picture is None or not picture.kind.modes:
        raise ModelError(
            f"{recipe.name} has no rate and no quality to try.", "Choose a recipe of a codec that has."
        )
    control, scale = picture.rate_control, picture.kind.quality
    found: list[tuple[str, float, dict[str, Any]]] = []
    if picture.steering.rated:
        for step in RATES:
            bits = round(control.target_bits_per_second * step)
            found.append((f"{bits / 1e6:.3g} Mb/s", float(bits), {MODE: "variable", BITS: bits}))
    elif scale is not None:
        for step in STEPS:
            value = round(control.quality + step * (scale.worst - scale.best) / 50, 1)
            if scale.best <= value <= scale.worst:
                found.append((f"quality {value:g}", value, {QUALITY: value}))
    variants = []
    for words, asked, values in found:
        try:
            variants.append(Variant(words, asked, with_values(recipe, values)))
        except ModelError:
            continue
    return variants


def trial_pieces(
    ready: OutputReady, moments: Sequence[Moment], variants: Sequence[Variant], folder: Path
) -> list[TrialPiece]:
    """Every moment by every variant, and without loss, as jobs that write into a folder.

    Parameters
    ----------
    ready
        The output, planned.
    moments
        What is tried.
    variants
        In which ways.
    folder
        Where the pieces go.

    Raises
    ------
    ChronocastError
        One of them can't be planned.
    """
    lossless = with_values(ready.recipe, {"container": "mkv", "sound": None, "picture.codec": "ffv1"})
    found = []
    for moment in moments:
        for variant in (*variants, None):
            recipe = variant.recipe if variant else lossless
            plan = ready.source.plan(moment.part, recipe, ready.output.framing, None)
            piece = plan.pieces[0]
            name = f"{moment.words} {variant.words if variant else 'original'}".replace("/", " per ")
            target = folder / f"{name}.{piece.settings.piece}"
            every = max(1, piece.frames // MEASURED) if variant else 0
            found.append(
                TrialPiece(
                    moment,
                    variant,
                    piece.model_copy(update={"name": name, "target": str(target), "measure_every": every}),
                    replace(ready, recipe=recipe, plan=plan, part=moment.part, rounds=None),
                )
            )
    return found
