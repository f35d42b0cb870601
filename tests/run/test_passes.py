"""Rates that are met: two passes over pieces, killed and taken up; peaks kept over the joins; images placed whole."""

from __future__ import annotations

import os
import signal
import tempfile
import unittest
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.places import data_folder
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import write_footage
from chronocast.model.batch.columns import add_card, set_card
from chronocast.model.cards.card import Limits, ReceiverCard
from chronocast.model.recipe.recipe import (
    FrameSize,
    PictureRecipe,
    RateControl,
    Recipe,
    SoundRecipe,
    StillsTaken,
)
from chronocast.pieces.stock import Stock
from chronocast.preparation.today import recipe_of
from chronocast.run.client import begin_run
from tests.footage import counted, counters
from tests.runs import children_did, over, render, small_batch, wait

SIZE = FrameSize(mode="ceiling", width=320, height=180)
TWO = Recipe(
    id="two",
    name="Two pass",
    sound=SoundRecipe(bits_per_second=64_000),
    picture=PictureRecipe(
        effort="fast", size=SIZE, rate_control=RateControl(mode="two pass", target_bits_per_second=260_000)
    ),
)


def peaked(name: str, codec: str = "h264", container: str = "mp4", **control: Any) -> Recipe:
    """A recipe that makes what grain needs impossible at times."""
    return Recipe(
        id=name,
        name=name,
        sound=None,
        container=container,
        picture=PictureRecipe(codec=codec, effort="fast", size=SIZE, rate_control=RateControl(**control)),
    )


TIGHT = peaked(
    "tight",
    mode="two pass",
    target_bits_per_second=500_000,
    peak_bits_per_second=600_000,
    buffer_bits=300_000,
)
GRAINY = (
    peaked("quality", mode="quality", quality=10, peak_bits_per_second=700_000, buffer_bits=350_000),
    peaked("constant", mode="constant", target_bits_per_second=600_000, buffer_bits=200_000),
    peaked(
        "variable",
        mode="variable",
        target_bits_per_second=500_000,
        peak_bits_per_second=650_000,
        buffer_bits=250_000,
    ),
    peaked(
        "quality-hevc", "hevc", mode="quality", quality=10, peak_bits_per_second=700_000, buffer_bits=350_000
    ),
    peaked(
        "variable-mpeg2",
        "mpeg2",
        "ts",
        mode="variable",
        target_bits_per_second=900_000,
        peak_bits_per_second=1_200_000,
        buffer_bits=600_000,
    ),
    TIGHT,
)
HELD = peaked(
    "held",
    "hevc",
    mode="two pass",
    target_bits_per_second=500_000,
    peak_bits_per_second=510_000,
    buffer_bits=100_000,
)


def grain(frames: int) -> Iterator[NDArray[np.uint8]]:
    """Counted pictures under grain that comes and goes."""
    random = np.random.default_rng(7)
    for number, picture in enumerate(counted(9, frames, 320, 180)):
        strength = (4, 22, 10)[number // 60 % 3]
        yield np.clip(picture + random.normal(0, strength, picture.shape), 0, 255).astype(np.uint8)


STILLS = Recipe(
    id="stills",
    name="Stills",
    container="images",
    sound=None,
    picture=PictureRecipe(codec="png", stills=StillsTaken(mode="interval", seconds=1)),
)


class Passes(unittest.TestCase):
    number = 180

    def batch(self, frames: int, *recipes: Recipe, clips: int = 1) -> Path:
        self.first = Passes.number
        Passes.number += clips
        return small_batch(Path(tempfile.mkdtemp()) / "films", clips, frames, recipes, first=self.first)

    def checks(self, view: object) -> dict[str, bool]:
        (output,) = view.outputs.values()  # type: ignore[attr-defined]
        return {check["name"]: check["ok"] for check in output.checks}

    def test_a_rate_is_met_within_one_percent_though_the_runner_is_killed_between_rounds(self) -> None:
        path = self.batch(440, TWO)
        before = len(children_did())
        journal = begin_run(load_batch(path), path)

        def rounds(_: object = None) -> list[dict]:
            opened = RunJournal(journal)
            try:
                return [record.body for record in opened.records() if record.kind == "round"]
            finally:
                opened.close()

        wait(journal, rounds)
        pid = int(journal.with_suffix(".lock").read_text())
        os.kill(pid, signal.SIGKILL)
        wait(journal, lambda view: not view.lives)
        view = wait(begin_run(load_batch(path), path), over)
        self.assertEqual(view.outcome, "done")
        (output,) = view.outputs.values()
        with av.open(output.path) as file:
            size = sum(packet.size for packet in file.demux(file.streams.video[0]))
        self.assertLess(abs(size * 8 / (440 / 25) / 260_000 - 1), 0.01)
        self.assertEqual(counters(Path(output.path)), [(self.first, n) for n in range(440)])
        self.assertTrue(self.checks(view)["size of the picture"])
        made = children_did()[before:]
        self.assertEqual(len(made), len(set(made)), "a finished piece was encoded twice")
        left = {kept.name for kept in Stock(data_folder() / "stock").all() if kept.name in made}
        self.assertLess(
            len(left), len(set(made)), "pieces of qualities that were not taken give their room back"
        )
        again = render(load_batch(path), path)
        self.assertEqual(again.outcome, "done")
        self.assertEqual(len(children_did()), before + len(made), "what was decided is kept")

    def test_every_way_to_a_rate_keeps_a_peak_that_binds_over_the_joins_of_grain(self) -> None:
        path = self.batch(30, *GRAINY)
        write_footage(str(path.parent / "clip 0.mp4"), grain(260), Fraction(25), quality=18, sound=None)
        journal = begin_run(load_batch(path), path)
        view = wait(journal, over)
        opened = RunJournal(journal)
        told = [record.body["sentence"] for record in opened.records() if record.kind == "round"]
        opened.close()
        self.assertTrue(any("overrun" in sentence for sentence in told), "the peak binds")
        for output in view.outputs.values():
            with self.subTest(output.recipe):
                self.assertEqual(output.state, "proved", output.reason)
                found = {check["name"]: check["ok"] for check in output.checks}
                self.assertTrue(found["peak rate"])
                if output.recipe == TIGHT.name:
                    self.assertTrue(found["size of the picture"])
                self.assertEqual(len(counters(Path(output.path))), 260)

    def test_a_rate_that_a_peak_holds_down_is_refused_with_what_can_be_had(self) -> None:
        path = self.batch(30, HELD)
        write_footage(str(path.parent / "clip 0.mp4"), grain(260), Fraction(25), quality=18, sound=None)
        view = wait(begin_run(load_batch(path), path), over)
        (output,) = view.outputs.values()
        self.assertEqual(output.state, "needs you")
        self.assertRegex(
            output.reason, r"peak of 510 kb/s can't be met: -[\d.]+%, the peak holds.* 4\d\d kb/s can be had"
        )
        self.assertFalse(Path(output.path).exists())

    def test_stills_are_placed_whole_and_never_over_a_folder_of_other_things(self) -> None:
        path = self.batch(110, STILLS)
        view = render(load_batch(path), path)
        self.assertEqual(view.outcome, "done")
        (output,) = view.outputs.values()
        files = sorted(Path(output.path).iterdir())
        self.assertEqual(
            [counters(file)[0] for file in files], [(self.first, n) for n in (0, 25, 50, 75, 100)]
        )
        self.assertEqual(recipe_of(Path(output.path), Workspace()).picture, STILLS.picture)
        (Path(output.path) / "notes.txt").write_text("mine")
        batch = load_batch(path)
        changed = STILLS.model_copy(
            update={
                "picture": PictureRecipe(codec="jpeg", rate_control=RateControl(mode="quality", quality=3))
            }
        )
        save_batch(batch.model_copy(update={"recipes": (changed,)}), path)
        view = render(load_batch(path), path, replace=True)
        self.assertEqual(view.outcome, "needs you")
        self.assertEqual((Path(output.path) / "notes.txt").read_text(), "mine")
        self.assertEqual(sorted(Path(output.path).iterdir())[:-1], files)

    def test_a_card_is_judged_again_on_the_finished_file(self) -> None:
        quick = TWO.model_copy(
            update={
                "id": "quick",
                "picture": PictureRecipe(
                    effort="fast", size=SIZE, rate_control=RateControl(mode="quality", quality=28)
                ),
            }
        )
        path = self.batch(60, quick)
        batch = load_batch(path)
        card = ReceiverCard(
            id="hall",
            name="Hall",
            limits=Limits(
                bytes_most=5_000_000,
                codecs=("h264",),
                rates=("25",),
                loudness=-23,
                loudness_within=20,
                true_peak_most=0,
            ),
        )
        strict = ReceiverCard(
            id="strict", name="Strict", limits=Limits(loudness=-5, loudness_within=0.5, width_most=640)
        )
        for made in (card, strict):
            batch = add_card(batch, made)
            batch = set_card(batch, [output.id for output in batch.outputs], made.id)
        save_batch(batch, path)
        view = render(batch, path)
        self.assertEqual(view.outcome, "needs you")
        checks = self.checks(view)
        self.assertEqual([name for name, ok in checks.items() if not ok], ["Strict: loudness"])
        self.assertTrue(
            all(
                checks[f"Hall: {what}"]
                for what in ("size", "picture codec", "frame rate", "loudness", "true peak")
            )
        )
