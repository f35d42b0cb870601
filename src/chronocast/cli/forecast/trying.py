"""``trial``: a few seconds really encoded and measured, before an hour is spent."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from chronocast.cli.answers import workspace
from chronocast.crew.local.trial import TrialTold, hold_trial
from chronocast.model.answers import Answer
from chronocast.model.batch.batch import Batch
from chronocast.model.errors import ModelError
from chronocast.model.show import rate_bits_text
from chronocast.model.source.source_clock import SourceClock
from chronocast.preparation.today import prepared


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
    prospect = prepared(batch, path, workspace())
    ready = prospect.output(output)
    if ready is None:
        known = ", ".join(item.output.id for item in prospect.outputs[:8])
        raise ModelError(f"There is no output “{output}” that can be made.", f"There are: {known}.")
    first = SourceClock.of(ready.source.cut).typed(at) if at else None
    with tempfile.TemporaryDirectory(prefix="chronocast-trial-") as place:
        folder = to or Path(place)
        folder.mkdir(parents=True, exist_ok=True)
        return hold_trial(
            ready, workspace(), folder, at=first, seconds=seconds, floor=floor, progress=_progress
        )


def _progress(done: int, whole: int) -> None:
    sys.stderr.write(f"\rtrying: {done} of {whole}" + ("\n" if done == whole else ""))


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
            "values": told.values,
            "bits_per_second_of_the_moments": round(told.lowest.bits),
            "bytes_of_the_whole": told.whole.as_json() if told.whole else None,
        },
    }


def print_trial(told: TrialTold, folder: Path | None) -> None:
    """Lines for people."""
    rate = float(told.ready.source.cut.rate)
    for item in told.trial.tried:
        begin = f"{item.moment.part.start / rate:.1f} s"
        sys.stdout.write(
            f"{item.moment.words:8} at {begin:>8}  {item.variant.words:14} {rate_bits_text(item.bits):>10}"
            f"  SSIM {item.ssim:.4f}  XPSNR {item.xpsnr:.1f} dB, worst {item.worst:.1f}\n"
        )
    sys.stdout.write(f"{told.told}\n")
    if folder is not None:
        sys.stdout.write(f"Encodes, and the poorest picture of each beside its original: {folder}\n")
