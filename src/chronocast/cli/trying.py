"""``trial``: a few seconds really encoded and measured, before an hour is spent."""

from __future__ import annotations

import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

from chronocast.cli.answers import workspace
from chronocast.crew.local.trial import Trial, Tried, carry_out
from chronocast.forecast.looks import Measured, lowest
from chronocast.media.viewing.picture_files import write_pictures
from chronocast.model.answers import Answer
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.exceptions import with_values
from chronocast.model.errors import ModelError
from chronocast.model.show import rate_bits_text, size_text
from chronocast.model.source.source_clock import SourceClock
from chronocast.preparation.candidates import BITS, MODE, QUALITY, varied_ask
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.output_ask import output_ask
from chronocast.preparation.today import circumstances, prepared
from chronocast.preparation.trial import moments_of, trial_pieces, variants_of


@dataclass(frozen=True)
class TrialTold:
    """A trial, the floor it was held against, and what the whole output would take at the lowest rate that keeps it."""

    ready: OutputReady
    trial: Trial
    floor: float
    lowest: Measured | None
    whole: Answer | None
    folder: Path | None


def try_output(
    batch: Batch, path: Path, output: str, *, at: str, seconds: float, floor: float, to: Path | None
) -> TrialTold:
    """Encode an output's hardest, easiest and a chosen moment in several qualities, and measure them.

    Parameters
    ----------
    batch, path
        The batch and its file.
    output
        The output's id.
    at
        Where the chosen moment begins, as people type times; "" for none.
    seconds
        How long each moment is.
    floor
        XPSNR in dB that the worst moment should keep.
    to
        A folder for the encodes and pictures of them; None keeps nothing.

    Raises
    ------
    ChronocastError
        There is no such output, or it can't be tried.
    """
    space = workspace()
    prospect = prepared(batch, path, space)
    ready = prospect.output(output)
    if ready is None:
        known = ", ".join(item.output.id for item in prospect.outputs[:8])
        raise ModelError(f"There is no output “{output}” that can be made.", f"There are: {known}.")
    first = SourceClock.of(ready.source.cut).typed(at) if at else None
    variants, moments = variants_of(ready.recipe), moments_of(ready, first, seconds)
    if to is not None:
        to.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="chronocast-trial-") as place:
        pieces = trial_pieces(ready, moments, variants, to or Path(place))
        trial = carry_out(pieces, space, _progress)
        if to is not None:
            _write_pictures(trial, to)
    found = lowest(trial.measured, floor)
    whole = None
    if found is not None:
        now = circumstances(prospect, space)
        rated = ready.recipe.picture is not None and ready.recipe.picture.steering.rated
        values = {MODE: "variable", BITS: round(found.asked)} if rated else {QUALITY: round(found.asked, 1)}
        ask = varied_ask(ready, output_ask(ready, now.stock, None), with_values(ready.recipe, values))
        from chronocast.forecast.band import Chance, band
        from chronocast.forecast.outputs import forecast_outputs

        told = forecast_outputs([ask], now.station, now.learned, Chance())
        size = band(told.bytes[0])
        whole = {"likely": round(size.likely), "safe": round(size.safe)}
    return TrialTold(ready, trial, floor, found, whole, to)


def _progress(done: int, whole: int) -> None:
    sys.stderr.write(f"\rtrying: {done} of {whole}" + ("\n" if done == whole else ""))


def _write_pictures(trial: Trial, folder: Path) -> None:
    """The poorest picture of each encode, and the original beside it."""
    for item in trial.tried:
        name = f"{item.moment.words} picture {item.worst_picture}"
        write_pictures(
            item.path, {item.worst_picture: folder / f"{name} {item.variant.words.replace('/', ' per ')}.png"}
        )
        original = folder / f"{name} original.png"
        if not original.exists():
            write_pictures(trial.originals[item.moment.words], {item.worst_picture: original})


def trial_json(told: TrialTold) -> Answer:
    """As an answer."""
    return {
        "version": 1,
        "output": told.ready.output.id,
        "tried": [
            {
                "moment": item.moment.words,
                "frames": [item.moment.part.start, item.moment.part.stop],
                "variant": item.variant.words,
                "bytes": item.bytes,
                "bits_per_second": round(item.bits),
                "cpu_seconds": round(item.cpu_seconds, 3),
                "ssim": round(item.ssim, 5),
                "xpsnr": round(item.xpsnr, 2),
                "worst_xpsnr": round(item.worst, 2),
                "worst_picture": item.worst_picture,
            }
            for item in told.trial.tried
        ],
        "floor": told.floor,
        "lowest": None
        if told.lowest is None
        else {
            "asked": round(told.lowest.asked, 2),
            "bits_per_second_of_the_moments": round(told.lowest.bits),
            "bytes_of_the_whole": told.whole,
        },
    }


def print_trial(told: TrialTold) -> None:
    """Lines for people."""
    for item in told.trial.tried:
        sys.stdout.write(_line(told, item))
    floor = f"XPSNR {told.floor:g} dB in the worst moment"
    if told.lowest is None:
        sys.stdout.write(f"none of these keeps {floor}: try a better quality or more rate\n")
    else:
        picture = told.ready.recipe.picture
        rated = picture is not None and picture.steering.rated
        asked = rate_bits_text(told.lowest.asked) if rated else f"quality {told.lowest.asked:.3g}"
        size = (
            f": the whole file {size_text(told.whole['likely'])}, safe {size_text(told.whole['safe'])}"
            if told.whole
            else ""
        )
        sys.stdout.write(f"the least that keeps {floor} is about {asked}{size}\n")
    if told.folder is not None:
        sys.stdout.write(f"encodes, and the poorest picture of each beside its original: {told.folder}\n")


def _line(told: TrialTold, item: Tried) -> str:
    extent = f"{item.moment.part.start / float(told.ready.source.cut.rate):.1f} s"
    return (
        f"{item.moment.words:8} at {extent:>8}  {item.variant.words:14} {rate_bits_text(item.bits):>10}"
        f"  SSIM {item.ssim:.4f}  XPSNR {item.xpsnr:.1f} dB, worst {item.worst:.1f}\n"
    )
