"""As the source is as the source: what goes in comes out, and what doesn't is told before and proved after."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import Format, woven, write_footage
from chronocast.media.source.inspect import inspect_clip
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import accept_media, add_recipe, add_source, fill
from chronocast.model.picture.colour import same_look
from chronocast.model.recipe.formats.layouts import layout_told
from chronocast.model.recipe.recipe import PictureRecipe, RateControl, Recipe, SoundRecipe
from chronocast.model.recipe.supplied import supplied
from chronocast.model.source.facts import ClipFacts
from chronocast.preparation.output.differences import differences_from_source
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.output.prepare import prepare
from chronocast.preparation.today import outlook_now
from chronocast.run.view import OutputView, RunView
from tests.footage import clip, counted, counters, tone
from tests.hostile import damaged_stream
from tests.runs import QUICK, render

FAST = {"preset": "ultrafast"}
PAL = (5, 1, 5, 1)
FIELDS = ("pixel_format", "scan", "field_order", "pixel_aspect", "colour", "alpha", "rate", "width", "height")


def the(name: str) -> Recipe:
    """A recipe that comes with the application."""
    found = supplied(name)
    assert found is not None
    return found


ARCHIVE, MEZZANINE, WAV = the("archive-lossless"), the("mezzanine-high"), the("sound-wav")


def pal(path: Path, codec: str, pixel_format: str = "yuv422p10le", frames: int = 30) -> Path:
    """A standard-definition film as archives have it: 10 bits, 4:2:2, fields, oblong pixels, 5.1 at 44.1 kHz."""
    form = Format(
        codec=codec,
        options={"flags": "+ildct"} if codec == "prores_ks" else {},
        pixel_format=pixel_format,
        colour=PAL,
        pixel_aspect=Fraction(64, 45),
        interlaced=True,
        timecode="10:00:00:00",
        sound_codec="pcm_s24le",
        languages=("deu",),
    )
    sound = tone(frames / 25, channels=6, sample_rate=44100)
    write_footage(
        str(path),
        woven(counted(9, 2 * frames, 720, 576)),
        Fraction(25),
        quality=20,
        sound=sound,
        sample_rate=44100,
        options=None,
        form=form,
    )
    return path


def veiled(frames: int, width: int = 320, height: int = 180) -> Iterator[NDArray[np.uint8]]:
    """A moving bar, half of it half transparent, on nothing."""
    for n in range(frames):
        picture = np.zeros((height, width, 4), np.uint8)
        picture[..., :3] = (220, 60, 30)
        picture[60:120, 20 + n * 2 : 120 + n * 2, 3] = 255
        picture[60:90, 20 + n * 2 : 120 + n * 2, 3] = 128
        yield picture


def write_alpha(path: Path, codec: str, pixel_format: str, frames: int = 20) -> Path:
    """A title with alpha."""
    with av.open(str(path), "w") as output:
        stream: Any = output.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 180, pixel_format
        for number, picture in enumerate(veiled(frames)):
            frame = av.VideoFrame.from_ndarray(picture, format="rgba").reformat(format=pixel_format)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            output.mux(stream.encode(frame))
        output.mux(stream.encode(None))
    return path


class AsTheSource(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp()) / "films"
        self.folder.mkdir()

    def batch(self, sources: list[Path], *recipes: Recipe) -> Path:
        batch = Batch(folder="out")
        for recipe in recipes:
            batch = add_recipe(batch, recipe)
        for source in sources:
            batch = add_source(batch, source.name, source.stem, "clip")
        batch = fill(batch, [(s.id, FULL, r.id) for s in batch.sources for r in batch.recipes])
        path = self.folder / "films.batch.json"
        save_batch(batch, path)
        return path

    def prospect(self, path: Path) -> Prospect:
        return prepare(load_batch(path), path.parent, Workspace())

    def made(self, path: Path) -> dict[str, OutputView]:
        view: RunView = render(load_batch(path), path)
        for output in view.outputs.values():
            self.assertEqual(output.state, "proved", output.reason)
        return {Path(output.path).suffix: output for output in view.outputs.values()}

    def same(self, one: ClipFacts, two: ClipFacts) -> None:
        for name in FIELDS:
            if name != "colour":
                self.assertEqual(getattr(one, name), getattr(two, name), name)
        self.assertTrue(same_look(one.colour, two.colour), (one.colour, two.colour))

    def checks(self, output: OutputView) -> dict[str, str]:
        return {check["name"]: check["found"] for check in output.checks}

    def test_an_archive_of_fields_deep_samples_and_surround_loses_nothing(self) -> None:
        source = pal(self.folder / "pal.mov", "prores_ks")
        path = self.batch([source], ARCHIVE, MEZZANINE, WAV)
        made, was = self.made(path), inspect_clip(str(source))
        for ending in (".mkv", ".mov"):
            with self.subTest(ending):
                now = inspect_clip(made[ending].path)
                self.same(was, now)
                self.assertEqual((now.frames, now.timecode), (was.frames, was.timecode))
                (old,), (new,) = was.audio, now.audio
                self.assertEqual(
                    (new.channels, layout_told(new.layout), new.sample_rate, new.language),
                    (old.channels, layout_told(old.layout), old.sample_rate, old.language),
                )
        self.assertIn("every sample", str([c["expected"] for c in made[".mkv"].checks]))
        with av.open(made[".wav"].path) as file:
            stream = file.streams.audio[0]
            self.assertEqual((stream.channels, stream.rate), (6, 44100))
        # with every piece kept, what a file will be is known and not guessed: Matroska's indexes too
        sizes = {ending: Path(made[ending].path).stat().st_size for ending in (".mkv", ".mov")}
        for ending in sizes:
            Path(made[ending].path).unlink()
        for item in outlook_now(self.prospect(path), Workspace()).outputs:
            if (size := sizes.get(item.ready.path.suffix)) is not None:
                self.assertEqual(item.kept_share, 1.0)
                self.assertLessEqual(item.bytes.likely, size * 1.01)
                self.assertLessEqual(size, item.bytes.safe)
                self.assertLess(item.bytes.safe, size * 1.02)
        # what a web file loses of it is told before, and again with its proof
        (ready,) = self.prospect(self.batch([source], QUICK)).outputs
        told = " · ".join(item.sentence for item in differences_from_source(ready))
        for word in ("8", "4:2:0", "stereo", "one field", "square"):
            self.assertIn(word, told)
        (web,) = render(load_batch(path), path).outputs.values()
        self.assertEqual(self.checks(web)["against its source"], told.replace(" · ", "; "))

    def test_alpha_is_carried_wherever_codec_and_container_hold_it(self) -> None:
        for codec, pixel_format in (("qtrle", "argb"), ("prores_ks", "yuva444p10le")):
            source = write_alpha(self.folder / f"title {codec}.mov", codec, pixel_format)
            made = self.made(self.batch([source], ARCHIVE, MEZZANINE))
            for output in made.values():
                with self.subTest(codec=codec, made=output.path):
                    now = inspect_clip(output.path)
                    self.assertTrue(now.alpha)
                    with av.open(output.path) as file:
                        picture = next(file.decode(file.streams.video[0])).to_ndarray(format="rgba")
                    self.assertLess(abs(int(picture[100, 60, 3]) - 255), 4)
                    self.assertLess(abs(int(picture[70, 60, 3]) - 128), 4)
                    self.assertLess(int(picture[20, 60, 3]), 4)

    def test_a_lossless_recipe_keeps_rgb_as_rgb(self) -> None:
        source = self.folder / "screen.mov"
        write_footage(
            str(source),
            counted(3, 12, 160, 96),
            Fraction(25),
            quality=0,
            sound=None,
            options=None,
            form=Format(codec="png", pixel_format="rgb24", tagged=False),
        )
        (output,) = self.made(self.batch([source], ARCHIVE)).values()
        with av.open(str(source)) as old, av.open(output.path) as new:
            for a, b in itertools.zip_longest(old.decode(video=0), new.decode(video=0)):
                self.assertTrue((a.to_ndarray(format="rgb24") == b.to_ndarray(format="rgb24")).all())

    def test_tracks_are_chosen_by_language_and_what_is_left_out_is_told(self) -> None:
        source = self.folder / "two languages.mkv"
        write_footage(
            str(source),
            counted(1, 50, 160, 96),
            Fraction(25),
            quality=24,
            sound=[tone(2, 220), tone(2, 880, channels=6)],
            options=FAST,
            form=Format(languages=("eng", "deu")),
        )
        german = QUICK.model_copy(
            update={"id": "deu", "name": "German", "container": "mkv", "sound": SoundRecipe(choose=["deu"])}
        )
        path = self.batch([source], ARCHIVE, german)
        told = {
            r.output.recipe: [d.sentence for d in differences_from_source(r)]
            for r in self.prospect(path).outputs
        }
        self.assertFalse([words for words in told[ARCHIVE.id] if "eng" in words or "deu" in words])
        self.assertTrue([words for words in told["deu"] if "eng" in words], told)
        view = render(load_batch(path), path)
        files = {o.recipe: inspect_clip(o.path) for o in view.outputs.values()}
        self.assertEqual([a.language for a in files[ARCHIVE.name].audio], ["eng", "deu"])
        self.assertEqual([a.language for a in files["German"].audio], ["deu"])

    def test_sound_stays_in_place_after_a_gap_in_its_times(self) -> None:
        wave, rate = tone(4.0), 48000
        wave[:] = 0
        wave[:, 2 * rate :] = 0.5 * np.sin(2 * np.pi * 500 * np.arange(2 * rate) / rate)
        whole, source = self.folder / "whole.mkv", self.folder / "gap.mkv"
        write_footage(
            str(whole),
            counted(4, 100, 160, 96),
            Fraction(25),
            quality=24,
            sound=wave,
            options=FAST,
            form=Format(sound_codec="pcm_s16le"),
        )
        with av.open(str(whole)) as old, av.open(str(source), "w") as new:
            streams = {s.index: new.add_stream_from_template(s, opaque=True) for s in old.streams}
            for packet in old.demux():
                at = float((packet.pts or 0) * packet.time_base)
                if packet.dts is not None and not (packet.stream.type == "audio" and 0.5 < at < 1.5):
                    packet.stream = streams[packet.stream.index]
                    new.mux(packet)
        self.assertTrue(inspect_clip(str(source)).sound_gaps)
        (output,) = self.made(self.batch([source], ARCHIVE)).values()
        with av.open(output.path) as file:
            heard = np.concatenate(
                [f.to_ndarray().astype(np.float64).reshape(-1) for f in file.decode(audio=0)]
            )
        first = np.flatnonzero(np.abs(heard) > 0.01 * np.abs(heard).max())[0]
        per_second = len(heard) / 4.0
        self.assertLess(abs(first / per_second - 2.0), 0.03)
        self.assertIn("sound in place", self.checks(output))

    def test_damage_is_refused_until_a_person_accepts_it_and_then_stands_in_the_check(self) -> None:
        source = damaged_stream(self.folder / "damaged.ts", 5, 100)
        path = self.batch([source], QUICK)
        prospect = self.prospect(path)
        (problem,) = prospect.refused.values()
        self.assertIn("damaged", problem.sentence)
        self.assertTrue(problem.accepts)
        batch = load_batch(path)
        save_batch(accept_media(batch, {batch.sources[0].id: problem.accepts}), path)
        (output,) = self.made(path).values()
        self.assertIn("damaged", self.checks(output)["damage of the source"])

    def test_what_a_run_learns_of_a_source_is_known_to_a_window_that_was_open_before(self) -> None:
        source = clip(self.folder / "reef.mp4", 5, 50, width=160, height=96)
        path = self.batch([source], QUICK)
        window, runner = Workspace(), Workspace()
        before = prepare(load_batch(path), path.parent, window)
        self.assertEqual(before.refused, {})
        runner.facts.damaged(str(source), {7: "error while decoding"})
        after = prepare(load_batch(path), path.parent, window)
        self.assertTrue(all(problem.accepts for problem in after.refused.values()) and after.refused)

    def test_a_stream_that_begins_anywhere_is_promised_and_made_as_long_as_it_can_be_shown(self) -> None:
        data = clip(self.folder / "whole.ts", 6, 120, options={"g": "30"}).read_bytes()
        source = self.folder / "begins anywhere.ts"
        source.write_bytes(data[len(data) * 3 // 10 // 188 * 188 :])
        facts = inspect_clip(str(source))
        self.assertGreater(facts.hidden, 0)
        path = self.batch([source], QUICK)
        if refused := self.prospect(path).refused:
            batch = load_batch(path)
            accepted = {batch.sources[0].id: next(iter(refused.values())).accepts}
            save_batch(accept_media(batch, accepted), path)
        (ready,) = self.prospect(path).outputs
        (output,) = self.made(path).values()
        shown = counters(Path(output.path))
        self.assertEqual((len(shown), shown[-1]), (ready.plan.frames, (6, 119)))
        self.assertEqual(shown[0], (6, 120 - facts.frames))

    def test_even_rates_are_read_through_some_uneven_pictures(self) -> None:
        for rate, late in ((25, (20, 30, 40, 60, 80)), (30, (40, 70))):
            times, now = [], 0.0
            for number in range(100):
                times.append(round(now))
                now += 1000 / rate * (1 + (number in late))
            path = self.folder / f"{rate}.mkv"
            write_footage(
                str(path),
                counted(3, 100, 160, 90),
                Fraction(rate),
                quality=24,
                sound=None,
                options=FAST,
                form=Format(times=times),
            )
            facts = inspect_clip(str(path))
            self.assertEqual(facts.rate, rate)
            self.assertIn("uneven", " ".join(facts.problems) + ("uneven" if facts.variable_timing else ""))

    def test_rates_that_milliseconds_cannot_say_are_proved_in_matroska(self) -> None:
        for name, rate in (("a.mp4", Fraction(60000, 1001)), ("b.mp4", Fraction(48000, 1001))):
            write_footage(
                str(self.folder / name), counted(2, 60, 160, 96), rate, quality=24, sound=None, options=FAST
            )
        picture = PictureRecipe(effort="fast", rate_control=RateControl(mode="quality", quality=30))
        mkv = Recipe(id="mkv", name="MKV", container="mkv", picture=picture, sound=None)
        webm = Recipe(
            id="webm",
            name="WebM",
            container="webm",
            sound=None,
            picture=picture.model_copy(update={"codec": "vp9"}),
        )
        view = render(
            load_batch(path := self.batch([self.folder / "a.mp4", self.folder / "b.mp4"], mkv, webm)), path
        )
        self.assertEqual(
            {o.state for o in view.outputs.values()}, {"proved"}, [o.reason for o in view.outputs.values()]
        )

    def test_interlaced_masters_of_film_rates_are_proved(self) -> None:
        for name, rate in (("a.mp4", Fraction(30000, 1001)), ("b.mp4", Fraction(24000, 1001))):
            write_footage(
                str(self.folder / name),
                counted(2, 48, 192, 108),
                rate,
                quality=24,
                sound=tone(48 / float(rate)),
                options=FAST,
            )
        path = self.batch([self.folder / "a.mp4", self.folder / "b.mp4"], the("broadcast-master"))
        self.made(path)

    def test_stills_of_every_kind_are_sources(self) -> None:
        for ending in ("jpg", "png"):
            picture = av.VideoFrame.from_ndarray(
                next(iter(counted(1, 1, 160, 96))), format="rgb24"
            ).to_image()
            picture.save(self.folder / f"still {ending}.{ending}")
        path = self.batch([self.folder / "still jpg.jpg", self.folder / "still png.png"], QUICK)
        self.made(path)


if __name__ == "__main__":
    unittest.main()
