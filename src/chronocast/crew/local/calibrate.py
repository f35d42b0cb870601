"""Calibration: a short measured trial that gives this machine its first pace."""

from __future__ import annotations

import asyncio
import os
import platform
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from fractions import Fraction
from functools import partial
from math import exp, log
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from chronocast.crew.local.crew import LocalCrew
from chronocast.crew.local.jobs import Timed, do_jobs
from chronocast.forecast.composing import read_share
from chronocast.forecast.picture.measured import FRAME_WORK
from chronocast.forecast.station import Pace
from chronocast.forecast.work import PIECE_WORK, bits_pace
from chronocast.journal.station.paces import PaceStore
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import write_footage
from chronocast.media.piece.settings import encoder_settings
from chronocast.media.source.fingerprint import fingerprint
from chronocast.model.errors import ChronocastError
from chronocast.model.messages.jobs import CheckJob, Job, JoinJob, PieceJob, SoundJob
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl
from chronocast.model.source.cutlist import MediaRef, SoundSpan, plain_span
from chronocast.preparation.station.this import machine_slots

FRAMES, WIDTH, HEIGHT, RATE = 50, 1280, 720, Fraction(25)
SECONDS_AT_MOST = 30.0
SOUND_SPANS, JOINED_TIMES = 15, 30


def trial_pictures() -> Iterator[NDArray[np.uint8]]:
    """Pictures of middling difficulty: a moving gradient, moving texture, some grain."""
    rng = np.random.default_rng(11)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    texture = np.kron(
        rng.random((HEIGHT // 8, WIDTH // 8 * 2)).astype(np.float32), np.ones((8, 8), np.float32)
    )
    grain = rng.normal(0, 3, (HEIGHT, WIDTH)).astype(np.float32)
    for frame in range(FRAMES):
        wave = np.sin(x / 90 + frame / 9) + np.sin(y / 60 - frame / 14)
        value = (
            70
            + 28 * wave
            + 70 * texture[:, frame * 4 : frame * 4 + WIDTH]
            + np.roll(grain, frame * 37, axis=1)
        )
        picture = np.clip(value, 0, 255).astype(np.uint8)
        yield np.stack([picture, np.roll(picture, 3, axis=1), picture // 2 + 40], axis=2)


def _sound_job(clip: Path, target: Path, times: int) -> SoundJob:
    """The trial's sound, that many times over."""
    length = FRAMES * 1920
    each = Fraction(length, 48000)
    spans = tuple(
        SoundSpan(start=n * each, seconds=each, media=MediaRef(path=str(clip))) for n in range(times)
    )
    return SoundJob(
        name=target.stem,
        target=str(target),
        samples=length * times,
        sample_rate=48000,
        channels=2,
        codec="aac",
        bits_per_second=128_000,
        spans=spans,
    )


async def _trial(folder: Path, slots: int, say: Callable[[str], None]) -> Pace:
    clip = folder / "trial.mp4"
    seconds = np.arange(int(FRAMES / RATE * 48000)) / 48000
    sound = np.stack([np.sin(2 * np.pi * 220 * seconds)] * 2).astype(np.float32) * 0.2
    write = partial(write_footage, quality=22, sound=sound, options={"preset": "veryfast"})
    await asyncio.to_thread(write, str(clip), trial_pictures(), RATE)
    say("encoding")
    recipe = PictureRecipe(
        size=FrameSize(mode="source"), rate_control=RateControl(mode="quality", quality=21)
    )
    settings = encoder_settings(recipe, WIDTH, HEIGHT, rate=RATE, colour=(1, 1, 1, 1))
    span = plain_span(0, FRAMES, MediaRef(path=str(clip), fingerprint=fingerprint(clip)))
    crew = LocalCrew(folder / "slots", slots)
    found: dict[str, list[Timed]] = {}
    free: list[str] = []
    try:
        pieces: list[Job] = [
            PieceJob(
                name=f"piece-{n}",
                target=str(folder / f"piece-{n}.mp4"),
                rate=RATE,
                width=WIDTH,
                height=HEIGHT,
                canvas=(WIDTH, HEIGHT),
                spans=(span,),
                settings=settings,
            )
            for n in range(slots)
        ]
        warm = [
            piece.model_copy(update={"spans": (span.model_copy(update={"frames": 8}),)})
            for piece in pieces[:slots]
        ]
        await do_jobs(crew, slots, warm, free)
        found["encode"] = await do_jobs(crew, slots, pieces, free)
        say("reading back")
        job = _sound_job(clip, folder / "sound.mp4", SOUND_SPANS)
        await do_jobs(
            crew, slots, [_sound_job(clip, folder / f"warm-{n}.mp4", 1) for n in range(slots)], free
        )
        found["sound"] = await do_jobs(crew, slots, [job], free)
        joined = folder / "joined.mp4"
        parts = tuple((piece.target, FRAMES) for piece in pieces if isinstance(piece, PieceJob))
        many = JoinJob(
            name="many",
            target=str(folder / "many.mp4"),
            container="mp4",
            rate=str(RATE),
            pieces=parts * JOINED_TIMES,
            sound=None,
        )
        found["join"] = await do_jobs(crew, slots, [many], free)
        await do_jobs(
            crew,
            slots,
            [
                many.model_copy(
                    update={"name": "one", "target": str(joined), "pieces": parts, "sound": job.target}
                )
            ],
            free,
        )
        expected = {
            "frames": 0,
            "width": 0,
            "height": 0,
            "rate": "25",
            "video_codec": "",
            "container": "",
            "sound_codec": None,
            "sound_samples": None,
            "sample_rate": 0,
            "channels": 0,
        }
        checks: list[Job] = [
            CheckJob(name=f"check-{n}", target=str(joined), expected=expected) for n in range(slots)
        ]
        found["check"] = await do_jobs(crew, slots, checks, free)
    finally:
        await crew.close()
    megapixels = FRAMES * WIDTH * HEIGHT / 1e6
    work = megapixels + FRAMES * FRAME_WORK + PIECE_WORK
    # the trial's own bits taken off, so that the pace is one of the usual ones
    bits = log(max(1.0, 8.0 * os.path.getsize(parts[0][0])) / (work * 1e6))
    own = work * exp(float(bits_pace(settings.encoder).of(bits))) + megapixels * read_share("h264")
    return Pace(
        encode=_cpu(found["encode"]) / own,
        decode=_cpu(found["check"]) / (megapixels * slots),
        sound=_cpu(found["sound"]) / float(SOUND_SPANS * FRAMES / RATE),
        packet=_cpu(found["join"]) / (2 * FRAMES * slots * JOINED_TIMES),
        start=0.03,
        calibrated=True,
        load=round(load_while(found["encode"]), 3),
    )


def _cpu(jobs: Sequence[Timed]) -> float:
    """Seconds a job takes where nobody else is at work: the processor's, never more than the clock's."""
    return float(np.mean([max(1e-6, min(job.wall, job.cpu)) for job in jobs]))


def load_while(jobs: Sequence[Timed]) -> float:
    """How much longer jobs of one thread took by the clock than by the processor: what others took meanwhile."""
    return max(0.0, sum(job.wall for job in jobs) / max(1e-6, sum(job.cpu for job in jobs)) - 1)


def calibrate(paces: PaceStore, say: Callable[[str], None] = lambda _: None) -> Pace:
    """Measure this machine and keep its pace.  Takes 5 to 30 seconds."""
    slots = machine_slots()
    with tempfile.TemporaryDirectory(prefix="chronocast-calibration-") as folder:
        say("drawing")
        pace = asyncio.run(asyncio.wait_for(_trial(Path(folder), slots, say), SECONDS_AT_MOST * 4))
    paces.keep(
        pace,
        measured=datetime.now().astimezone().isoformat(timespec="seconds"),
        machine=f"{platform.machine()}, {os.cpu_count()} cores",
    )
    return pace


class Apart:
    """Calibration in a process of its own, for who must be able to leave it: ``wait`` for it, or ``end`` it."""

    def __init__(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "chronocast.crew.local.calibrate"],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
        )

    def wait(self) -> bool:
        """Whether it was measured; False if it was ended.

        Raises
        ------
        ChronocastError
            It could not be measured.
        """
        _, said = self._process.communicate()
        if self._process.returncode > 0:
            last = (said.strip().splitlines() or ["it ended without a word"])[-1]
            raise ChronocastError(
                f"This machine could not be measured: {last}.", "Try again when it is less busy."
            )
        return self._process.returncode == 0

    def end(self) -> None:
        """Leave it."""
        if self._process.poll() is None:
            self._process.terminate()


if __name__ == "__main__":
    calibrate(Workspace().paces)
