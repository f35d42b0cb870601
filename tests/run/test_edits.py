"""A small edit, rendered again, is what a render from an empty stock is; and only what it touched is encoded."""

from __future__ import annotations

import os
import tempfile
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import ClassVar
from unittest import mock

import av
import opentimelineio as otio
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.journal.documents import save_batch
from chronocast.media.picture.likeness import likeness
from chronocast.media.picture_digest import picture_digest
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.run.view import OutputView
from tests.footage import clip, counters
from tests.runs import children_did, render
from tests.sequences import clip_item, sequence

LOSSLESS = Recipe(
    id="lossless",
    name="Lossless",
    container="mkv",
    sound=None,
    picture=PictureRecipe(codec="ffv1", size=FrameSize(mode="source")),
)
LOSSY = Recipe(
    id="lossy",
    name="Lossy",
    sound=None,
    picture=PictureRecipe(
        effort="fast", size=FrameSize(mode="source"), rate_control=RateControl(mode="quality", quality=20)
    ),
)
Edit = tuple[int, int, int]
"""A shot: which clip, its first picture, how many."""
BEFORE: tuple[Edit, ...] = ((0, 0, 60), (1, 10, 75), (0, 70, 80), (2, 0, 55))

shots = st.tuples(st.integers(0, 2), st.integers(0, 60), st.integers(50, 80))


def changed(kind: str, at: int, shot: Edit) -> list[Edit]:
    """The cut after one small edit."""
    cut, at = list(BEFORE), at % len(BEFORE)
    if kind == "insert":
        cut.insert(at, shot)
    elif kind == "replace":
        cut[at] = shot
    elif kind == "drop":
        del cut[at]
    elif kind == "trim":
        clip_number, first, frames = cut[at]
        cut[at] = (clip_number, first + 3, frames - 3)
    else:
        cut.append(cut.pop(at))
    return cut


class Edits(unittest.TestCase):
    folder: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp())
        cls.clips = [clip(cls.folder / f"{n}.mp4", 250 + n, 160, sound=False) for n in range(3)]
        cls.number = 0
        for recipe in (LOSSLESS, LOSSY):
            cls.made("before", recipe, list(BEFORE))

    clips: ClassVar[list[Path]]
    number: ClassVar[int]

    @classmethod
    def made(cls, name: str, recipe: Recipe, cut: list[Edit]) -> OutputView:
        cls.number += 1
        film = cls.folder / f"{name} {cls.number}.otio"
        items = [clip_item(cls.clips[clip_number], first, frames) for clip_number, first, frames in cut]
        otio.adapters.write_to_file(sequence(items), str(film))
        batch = add_recipe(Batch(title=name, folder=f"out {cls.number}"), recipe)
        batch = add_source(batch, film.name, "Film", "sequence")
        batch = fill(batch, [(batch.sources[0].id, FULL, recipe.id)])
        path = cls.folder / f"{name} {cls.number}.batch.json"
        save_batch(batch, path)
        (output,) = render(batch, path).outputs.values()
        assert output.state == "proved", output.reason
        return output

    @contextmanager
    def empty_stock(self) -> Iterator[None]:
        with mock.patch.dict(os.environ, {"CHRONOCAST_DATA": tempfile.mkdtemp(dir=self.folder)}):
            yield

    @settings(max_examples=3, deadline=None)
    @given(
        st.sampled_from([LOSSLESS, LOSSY]),
        st.sampled_from(["insert", "replace", "drop", "trim", "move"]),
        st.integers(0, 3),
        shots,
    )
    def test_a_small_edit_is_what_a_fresh_render_is(
        self, recipe: Recipe, kind: str, at: int, shot: Edit
    ) -> None:
        cut = changed(kind, at, shot)
        before = len(children_did())
        again = self.made("again", recipe, cut)
        encoded = len(children_did()) - before
        self.assertLessEqual(encoded, 2 if kind != "insert" else 3, "what it didn't touch is kept")
        with self.empty_stock():
            fresh = self.made("fresh", recipe, cut)
        self.assertEqual(counters(Path(again.path)), counters(Path(fresh.path)))
        if recipe is LOSSLESS:
            self.assertEqual(self.digests(again), self.digests(fresh))
        else:
            with av.open(again.path) as one, av.open(fresh.path) as other:
                pairs = zip(one.decode(video=0), other.decode(video=0), strict=True)
                self.assertGreater(min(found.psnr for found in likeness(pairs)), 38)

    @staticmethod
    def digests(output: OutputView) -> list[bytes]:
        with av.open(output.path) as container:
            return [picture_digest(picture) for picture in container.decode(video=0)]
