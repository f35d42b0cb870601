"""Sound files and numbered images as sources, from a folder to finished files."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import av
import numpy as np
from PIL import Image

from chronocast.journal.documents import save_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch, resolve
from chronocast.model.batch.edits import add_recipe, fill
from chronocast.model.recipe.recipe import Recipe, SoundRecipe
from chronocast.preparation.forecast.output_outlook import OutputOutlook
from chronocast.preparation.source.gather import Gathered, expand, gather
from chronocast.preparation.source.numbered import in_rate, numbered_together
from chronocast.preparation.today import outlook_now, prepared
from tests.footage import clip, counted, counters
from tests.runs import HEAVY, render

WAV = Recipe(
    id="wav", name="WAV", container="wav", picture=None, sound=SoundRecipe(codec="pcm", layout="source")
)


def images(folder: Path, first: int, count: int, name: str = "reef_{:04d}.png") -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for number, picture in enumerate(counted(7, count, 320, 180)):
        Image.fromarray(picture).save(folder / name.format(first + number))


class Taken(unittest.TestCase):
    """Which files stand for which sources."""

    def names(self, *files: str) -> list[str]:
        return [str(path) for path in numbered_together(Path(name) for name in files)]

    def test_images_that_differ_by_their_number_alone_are_one_in_whatever_order_they_come(self) -> None:
        self.assertEqual(self.names("a_0003.png", "a_0001.png", "a_0002.png"), ["a_%04d.png?1-3"])
        self.assertEqual(self.names("a9.jpg", "a10.jpg", "a8.jpg"), ["a%01d.jpg?8-10"])
        self.assertEqual(self.names("a.0998.exr", "a.0999.exr", "a.1000.exr"), ["a.%04d.exr?998-1000"])

    def test_others_stay_what_they_are(self) -> None:
        self.assertEqual(self.names("IMG_0012.jpg", "IMG_0450.jpg"), ["IMG_0012.jpg", "IMG_0450.jpg"])
        films = ["take_1.mp4", "take_2.mp4", "poster.png"]
        self.assertEqual(self.names(*films), films)
        self.assertEqual(self.names("100%d_1.png", "100%d_2.png"), ["100%d_1.png", "100%d_2.png"])

    def test_a_rate_is_kept_exactly(self) -> None:
        self.assertEqual(in_rate("a%04d.png?1-9", "23.976"), "a%04d.png?1-9@24000/1001")
        self.assertEqual(in_rate("a%04d.png?1-9", "25"), "a%04d.png?1-9@25")


class Made(unittest.TestCase):
    """A folder with images, sound and films brought in and made."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp())
        cls.day = cls.folder / "the day’s"
        images(cls.day / "plates", 98, 12, "reef_{}.png")
        images(cls.day, 1, 1, "poster-{}.png")
        clip(cls.folder / "with sound.mp4", 3, 60)
        with (
            av.open(str(cls.folder / "with sound.mp4")) as film,
            av.open(str(cls.day / "voice.wav"), "w") as wav,
        ):
            track = wav.add_stream("pcm_s16le", rate=48000, layout="mono")
            resampler = av.AudioResampler("s16", "mono", 48000)
            for frame in film.decode(audio=0):
                for part in resampler.resample(frame):
                    wav.mux(track.encode(part))
            wav.mux(track.encode(None))

    def gathered(self, rate: str | None) -> Gathered:
        return gather(Batch(folder="out"), self.folder, [self.day], Workspace().facts, rate)

    def test_what_no_one_has_said_the_rate_of_is_asked_about_and_single_images_are_told(self) -> None:
        found = self.gathered(None)
        self.assertEqual([source.name for source in found.batch.sources], ["voice"])
        asked = [item for item in found.refused if item.wants_rate]
        self.assertEqual(len(asked), 1)
        self.assertIn("12 numbered images", asked[0].sentence)
        self.assertTrue(any("single image" in item.sentence for item in found.refused))
        self.assertEqual(expand([asked[0].path]).files, [asked[0].path], "it comes again with its rate")

    def test_both_are_made_the_images_exact_the_sound_to_its_last_frame(self) -> None:
        batch = self.gathered("12.5").batch
        for recipe in (HEAVY, WAV):
            batch = add_recipe(batch, recipe)
        reef, voice = sorted(batch.sources, key=lambda source: source.name)
        self.assertEqual((reef.name, voice.name), ("reef", "voice"))
        batch = fill(batch, [(reef.id, FULL, "heavy"), (voice.id, FULL, "wav"), (voice.id, FULL, "heavy")])
        path = self.folder / "day.batch.json"
        save_batch(batch, path)
        outlook = outlook_now(prepared(batch, path, Workspace()), Workspace())
        view = render(batch, path)
        self.assertEqual({output.state for output in view.outputs.values()}, {"proved"}, view.outputs)
        films = {
            (output.source, output.recipe): Path(view.outputs[output.id].path) for output in batch.outputs
        }
        self.assertEqual(counters(films[reef.id, "heavy"]), [(7, number) for number in range(12)])
        with av.open(str(films[reef.id, "heavy"])) as film:
            self.assertEqual(film.streams.video[0].average_rate, 12.5)
        made, source = (
            samples(where) for where in (films[voice.id, "wav"], resolve(voice.path, self.folder))
        )
        self.assertTrue(
            0 <= made.shape[-1] - source.shape[-1] < 1920, "whole frames: the last is filled with silence"
        )
        same = made[..., : source.shape[-1]].astype(float) / 2**31 == source.astype(float) / 2**15
        self.assertTrue(same.all(), "24 bits hold what 16 had")
        dark = next(
            item
            for item in outlook.outputs
            if (item.ready.output.source, item.ready.recipe.id) == (voice.id, "heavy")
        )
        lit = next(item for item in outlook.outputs if item.ready.output.source == reef.id)
        self.assertLess(a_pixel(dark), a_pixel(lit) / 4, "black is forecast as what it is")
        told = [line.sentence for line in outlook.problems if line.source == voice.id]
        self.assertTrue(any("no picture" in line for line in told), told)


def a_pixel(item: OutputOutlook) -> float:
    plan = item.ready.plan
    return item.bytes.likely / (plan.width * plan.height * plan.frames)


def samples(path: Path) -> np.ndarray:
    with av.open(str(path)) as sound:
        return np.concatenate([frame.to_ndarray() for frame in sound.decode(audio=0)], axis=1)


if __name__ == "__main__":
    unittest.main()
