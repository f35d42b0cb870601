"""Hardware encoders: tried, used, failing in every way that a stand-in can be told to; and one outside the libraries."""

from __future__ import annotations

import os
import stat
import sys
import tempfile
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

import av

from chronocast.crew.local.device_trials import DeviceTrials, devices_tried
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.device_trial import try_encoder
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.device import TriedDecoder, TriedEncoder
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.preparation.forecast.outlook_json import as_json
from chronocast.preparation.station.devices import decodes_by, devices_known, marks
from chronocast.preparation.today import outlook_now, prepared
from chronocast.run.view import OutputView, RunView
from chronocast.standins.device.plugged import Behaviour, place, plug, pull
from tests.footage import counters
from tests.runs import render, small_batch

FAKE_PROGRAM = """#!{python}
import sys
words = sys.argv[1:]
said = dict(zip(words, words[1:]))
if "-vaapi_device" in said and not {device}:
    sys.exit("No VA display found for device /dev/dri/renderD128.")
sys.path.insert(0, {root!r})
from fractions import Fraction
from chronocast.media.piece.encode import encode_pictures
from chronocast.media.piece.raw import raw_pictures
from chronocast.model.messages.jobs import EncoderSettings
width, height = map(int, said["-s"].split("x"))
pictures = raw_pictures(sys.stdin.buffer, said["-pix_fmt"], width, height)
settings = EncoderSettings(
    encoder="libx264", options={{"preset": "ultrafast", "x264-params": "bframes=0"}}, pixel_format="nv12", piece="nut",
    key_frame_frames=int(said["-g"]), colour=(1, 1, 1, 1),
)
encode_pictures(pictures, words[-1].removeprefix("file:"), Fraction(said["-r"]), width=width, height=height, settings=settings)
"""
"""Something that understands the words a system's FFmpeg program is given, and has a device or none."""


PATIENCE = 300.0
"""Seconds for each trial: the stand-in encodes in software, on whatever machine the tests have."""


def hard(name: str, **told: Any) -> Recipe:
    """H.264 in hardware at a quality, as large as its source."""
    picture = {
        "route": "hardware",
        "effort": "fast",
        "size": FrameSize(mode="source"),
        "rate_control": RateControl(mode="quality", quality=26),
    }
    return Recipe(id=name, name=name, sound=None, picture=PictureRecipe.model_validate({**picture, **told}))


class Devices(unittest.TestCase):
    tried: ClassVar[tuple[TriedEncoder, ...]]
    folder: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp())
        plug(place())
        cls.tried = devices_tried(Workspace(), trials=DeviceTrials(seconds=PATIENCE))

    def setUp(self) -> None:
        pull(place())

    @contextmanager
    def device(self, **how: Any) -> Iterator[None]:
        """A home of its own with the stand-in plugged in, tried while it behaved, and now behaving so."""
        names = ("CHRONOCAST_DATA", "CHRONOCAST_STATE")
        with mock.patch.dict(os.environ, {name: tempfile.mkdtemp(dir=self.folder) for name in names}):
            plug(place())
            Workspace().devices.keep(self.tried, marks(), "2026-01-01T00:00:00")
            plug(place(), Behaviour.model_validate(how))
            yield

    def made(self, *recipes: Recipe, frames: int = 110) -> tuple[RunView, dict[str, OutputView]]:
        """A run of one counted clip, and its outputs by recipe."""
        path = small_batch(Path(tempfile.mkdtemp(dir=self.folder)), 1, frames, recipes, first=61, sound=False)
        view = render(load_batch(path), path)
        return view, {output.recipe: output for output in view.outputs.values()}

    def encoded_in(self, output: OutputView) -> str:
        return next((check["found"] for check in output.checks if check["name"] == "encoded in"), "")

    def test_what_is_here_is_found_and_what_is_not_says_why(self) -> None:
        found = {tried.encoder: tried for tried in self.tried}
        self.assertEqual(set(found), {encoder.name for encoder in ENCODERS.values() if encoder.on})
        h264, hevc = found["h264_standin"], found["hevc_standin"]
        self.assertEqual((h264.formats, h264.largest, h264.sessions), (("yuv420p",), (3840, 2160), 2))
        self.assertEqual(hevc.formats, ("yuv420p", "yuv420p10le"))
        for tried in found.values():
            self.assertTrue(tried.works or tried.why_not)
            self.assertIn("a stand-in for a device" if tried.works else tried.why_not, tried.told)
        decoders = Workspace().devices.decoders()
        self.assertTrue(decoders and all(decoder.why_not or decoder.times_quicker for decoder in decoders))
        with self.device():
            self.assertEqual(devices_known(Workspace()), self.tried)
            pull(place())
            gone = next(t for t in devices_known(Workspace()) if t.encoder == "h264_standin")
            self.assertEqual(gone.why_not, "its device is gone")

    def test_films_are_decoded_by_a_device_that_was_tried_exact_and_quicker(self) -> None:
        """Where it is gone when it is wanted, the processor decodes."""
        slow = TriedDecoder(family="qsv", exact=True, times_quicker=1.1)
        wrong = TriedDecoder(family="drm", times_quicker=4.0)
        helps = TriedDecoder(family="cuda", exact=True, times_quicker=2.0)
        with self.device():
            space = Workspace()

            def family(*tried: TriedDecoder, **other: str) -> str:
                space.devices.keep(self.tried, {**marks(), **other}, "2026-01-01T00:00:00", tried)
                return decodes_by(space)

            self.assertEqual(family(slow, wrong), "")
            self.assertEqual(family(slow, wrong, helps, libraries="of another day"), "")
            self.assertEqual(family(slow, wrong, helps), "cuda")
            self.assertIn("used for H.264", helps.told)
            soft = hard("soft", route="software")
            output = self.made(soft, frames=60)[1]["soft"]
            self.assertEqual(output.state, "proved", output.reason)
            self.assertEqual(counters(Path(output.path)), [(61, n) for n in range(60)])

    def test_files_are_made_by_it_and_say_so(self) -> None:
        with self.device():
            deep = hard("deep", codec="hevc", depth=10)
            path = small_batch(self.folder / "made", 1, 110, (hard("plain"), deep), first=61, sound=False)
            ahead = as_json(outlook_now(prepared(load_batch(path), path, Workspace()), Workspace()))
            told = ahead["outputs"][0]["route"]
            self.assertEqual(
                (told["encoder"], told["device"], told["stand_in"]),
                ("h264_standin", "stand-in device 1.0", True),
            )
            self.assertEqual(ahead["outputs"][0]["stages"][0]["station"], "here · stand-in device")
            for output in render(load_batch(path), path).outputs.values():
                self.assertEqual(output.state, "proved", output.reason)
                self.assertIn(
                    "hardware: stand-in device 1.0, a stand-in for a device", self.encoded_in(output)
                )
                self.assertEqual([number for _, number in counters(Path(output.path))], list(range(110)))

    def test_whatever_goes_wrong_is_told_and_gives_way_as_was_chosen(self) -> None:
        wrong: dict[str, dict[str, Any]] = {
            "the session was lost": {"lose_after": 20},
            "none is plugged in": {"vanish_after": 20},
            "returned 108 of 110 pictures": {"short": 2},
            "doesn't decode": {"garbage": True},
            "tagged its colours 9 where 1": {"wrong_tags": True},
            "all of its 2 sessions are in use": {"busy": 2},
        }
        waits = hard("waits", without_device="wait", key_frame_seconds=3)
        for sentence, how in wrong.items():
            with self.subTest(sentence), self.device(**how):
                _, outputs = self.made(hard("yields"), waits)
                self.assertEqual(outputs["yields"].state, "proved", outputs["yields"].reason)
                self.assertIn(
                    "software, since stand-in device: left alone", self.encoded_in(outputs["yields"])
                )
                self.assertEqual(outputs["waits"].state, "needs you")
                self.assertIn(sentence, outputs["waits"].reason)

    def test_one_that_hangs_is_ended_and_left_alone(self) -> None:
        with (
            self.device(hang_after=10),
            mock.patch.dict(os.environ, {"CHRONOCAST_DEVICE_SILENT_SECONDS": "2"}),
        ):
            _, outputs = self.made(hard("hangs"))
            self.assertEqual(outputs["hangs"].state, "proved", outputs["hangs"].reason)
            self.assertIn("it hangs in its driver", self.encoded_in(outputs["hangs"]))
            self.assertFalse(any(tried.works for tried in devices_known(Workspace())))
        hung = ("h264_standin",)
        with (
            self.device(hang_after=2),
            mock.patch.object(sys.modules[DeviceTrials.__module__], "hardware_encoders", return_value=hung),
        ):
            ((found,), _) = DeviceTrials(seconds=3).carry_out()
            self.assertIn("it hangs in its driver: ended after 3 seconds", found.why_not)

    def test_a_program_outside_the_libraries_is_fed_by_a_pipe(self) -> None:
        """VAAPI's own: tried with a program that only looks like the system's, never with a real device."""
        root = str(Path(__file__).parents[2] / "src")
        for device, works in ((True, True), (False, False)):
            place_of = Path(tempfile.mkdtemp(dir=self.folder))
            program = place_of / "ffmpeg"
            program.write_text(FAKE_PROGRAM.format(python=sys.executable, root=root, device=device))
            program.chmod(program.stat().st_mode | stat.S_IXUSR)
            with mock.patch.dict(os.environ, {"PATH": f"{place_of}:{os.environ['PATH']}"}):
                found = try_encoder(ENCODERS["h264_vaapi"])
            self.assertEqual(found.works, works, found.why_not)
            if works:
                self.assertEqual((found.formats, found.family), (("nv12",), "VAAPI"))
            else:
                self.assertIn("No VA display found", found.why_not)
        self.assertIn("no program", try_encoder(ENCODERS["hevc_vaapi"]).why_not)

    def test_pieces_of_it_stand_in_one_file(self) -> None:
        with self.device():
            _, outputs = self.made(hard("long"), frames=460)
            output = outputs["long"]
            self.assertEqual((output.state, output.encoded), ("proved", 3), output.reason)
            with av.open(output.path) as container:
                self.assertEqual(container.streams.video[0].average_rate, Fraction(25))
            self.assertEqual([number for _, number in counters(Path(output.path))], list(range(460)))


if __name__ == "__main__":
    unittest.main()
