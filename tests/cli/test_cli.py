"""The command line as scripts and people use it: answers, exit codes, sentences."""

from __future__ import annotations

import contextlib
import io
import json
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
import wave
from pathlib import Path
from typing import Any
from unittest import mock

import av
import opentimelineio as otio

from chronocast.__main__ import main
from chronocast.journal.documents import load_batch
from tests.footage import clip
from tests.runs import small_batch


def run(*words: str | Path) -> subprocess.CompletedProcess[str]:
    """The command, in this process, and what came of it."""
    said, complained = io.StringIO(), io.StringIO()
    code: Any = 0
    with (
        mock.patch.object(sys, "argv", ["chronocast", *map(str, words)]),
        contextlib.redirect_stdout(said),
        contextlib.redirect_stderr(complained),
    ):
        try:
            main()
        except SystemExit as leaving:
            code = leaving.code
    return subprocess.CompletedProcess(words, code or 0, said.getvalue(), complained.getvalue())


def run_apart(*words: str | Path) -> subprocess.CompletedProcess[str]:
    """The command as a process of its own, as a shell starts it."""
    command = [sys.executable, "-m", "chronocast", *map(str, words)]
    return subprocess.run(command, capture_output=True, text=True, timeout=120, stdin=subprocess.DEVNULL)


class CommandLine(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp()) / "films of ‘ours’"
        cls.batch = small_batch(cls.folder, clips=2, frames=60)

    def answer(self, *words: str | Path, code: int = 0) -> Any:
        done = run(*words)
        self.assertEqual(done.returncode, code, done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return json.loads(done.stdout)

    def refused(self, *words: str | Path, code: int, says: str) -> str:
        done = run(*words)
        self.assertEqual(done.returncode, code, done.stderr + done.stdout)
        self.assertIn(says, done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return done.stderr

    def test_a_process_answers_as_a_shell_expects(self) -> None:
        done = run_apart("forecast", self.batch, "--json")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertEqual(json.loads(done.stdout)["version"], 1)
        self.assertEqual(run_apart("forecast", self.folder / "nothing.batch.json").returncode, 2)
        missing = run_apart(
            "render", self.folder / "nothing.batch.json"
        )  # that leaves without taking itself apart
        self.assertEqual((missing.returncode, missing.stdout), (2, ""))
        self.assertIn("is missing", missing.stderr)
        other = small_batch(Path(tempfile.mkdtemp()) / "films", clips=1, frames=40)
        rendered = run_apart("render", other, "--json")
        self.assertEqual(rendered.returncode, 0, rendered.stderr)
        self.assertEqual(json.loads(rendered.stdout.splitlines()[-1])["outcome"], "done")

    def test_a_batch_is_made_forecast_rendered_and_checked(self) -> None:
        path = self.folder / "new one.batch.json"
        made = self.answer(
            "batch",
            "new",
            path,
            "--source",
            self.folder / "clip 0.mp4",
            "--recipe",
            "review-360",
            "--to",
            self.folder / "delivery",
            "--range",
            "middle=10f..40f",
            "--json",
        )
        self.assertEqual(len(made["outputs"]), 1)
        told = self.answer("forecast", path, "--json")
        self.assertEqual(told["version"], 1)
        (output,) = told["outputs"]
        self.assertEqual((output["frames"], output["range"], output["recipe"]), (30, "middle", "review-360"))
        for key in ("seconds", "bytes", "finish"):
            self.assertLessEqual(output[key]["likely"], output[key]["safe"])
            self.assertLessEqual(told["total"][key]["likely"], told["total"][key]["safe"])
        self.assertTrue(told["room"][0]["fits"])
        done = run("render", path, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        lines = [json.loads(line) for line in done.stdout.splitlines()]
        self.assertEqual(lines[-1]["event"], "ended")
        (ended,) = lines[-1]["outputs"]
        self.assertEqual(ended["state"], "proved")
        for key in ("id", "state", "path", "bytes", "seconds", "cpu_seconds", "pieces", "checks", "forecast"):
            self.assertIn(key, ended)
        self.assertEqual(Path(ended["path"]).parent, self.folder / "delivery")
        checked = self.answer("check", path, "--json")
        self.assertTrue(checked["files"][0]["ok"])
        self.assertEqual(self.answer("status", path, "--json")["outcome"], "done")
        self.assertTrue(
            self.answer("check", ended["path"], "--recipe", "review-360", "--json")["files"][0]["ok"]
        )
        whole, short = Path(ended["path"]).read_bytes(), self.folder / "short" / "short.mp4"
        short.parent.mkdir()
        short.write_bytes(whole[: len(whole) * 6 // 10])
        later = self.folder / "short" / "short.batch.json"
        self.answer(
            "batch", "new", later, "--source", short, "--recipe", "review-360", "--to", self.folder, "--json"
        )
        self.assertIn(
            "cut short",
            str(self.answer("forecast", later, "--json", code=1)["problems"]),
            "said before the render, too",
        )
        Path(ended["path"]).write_bytes(Path(ended["path"]).read_bytes()[:9000])
        self.assertFalse(self.answer("check", path, "--json", code=1)["files"][0]["ok"])

    def test_inspect_lists_what_is_usable_and_what_is_not(self) -> None:
        folder = self.folder / "looked at"
        small_batch(folder, clips=2, frames=60)
        (folder / "notes.mp4").write_text("no film")
        found = self.answer("inspect", folder, folder / "gone.mov", "--json", code=1)["sources"]
        good = [source for source in found if not source["unusable"]]
        self.assertEqual(len(good), 2)
        for key in (
            "path",
            "kind",
            "frames",
            "rate",
            "width",
            "height",
            "pixel_aspect",
            "scan",
            "video_codec",
            "audio",
            "seconds",
            "bytes",
            "bit_rate",
            "timecode",
            "problems",
        ):
            self.assertIn(key, good[0])
        self.assertEqual((good[0]["frames"], good[0]["rate"]), (60, "25"))
        self.assertEqual(sum("missing" in source["problems"][0] for source in found if source["unusable"]), 1)

    def test_inspect_names_codecs_as_people_do_and_marks_a_guess_as_one(self) -> None:
        folder = Path(tempfile.mkdtemp())
        with av.open(str(folder / "reef.mkv"), "w") as file:
            stream = file.add_stream("libsvtav1", 25, options={"preset": "12"})
            stream.width, stream.height, stream.pix_fmt = 160, 96, "yuv420p"
            for picture in [*(av.VideoFrame(160, 96, "yuv420p") for _ in range(12)), None]:
                file.mux(stream.encode(picture))
        with wave.open(str(folder / "surf.wav"), "wb") as sound:
            sound.setparams((2, 2, 44_100, 44_100, "NONE", ""))
            sound.writeframes(bytes(4 * 44_100))
        told = {Path(item["path"]).name: item for item in self.answer("inspect", folder, "--json")["sources"]}
        self.assertEqual(told["reef.mkv"]["video_codec"], "av1", "not its decoder's name")
        lines = run("inspect", folder).stdout
        self.assertIn("sound only", lines)
        self.assertNotIn("0×0", lines)
        self.assertEqual((told["surf.wav"]["frames"], told["surf.wav"]["seconds"]), (0, 1.0))
        path = folder / "b.batch.json"
        self.answer(
            "batch",
            "new",
            path,
            "--source",
            folder / "reef.mkv",
            "--recipe",
            "review-360",
            "--to",
            folder,
            "--json",
        )
        problems = str(self.answer("forecast", path, "--json")["problems"])
        self.assertRegex(problems, "doesn't say its colour; BT.601.* is guessed from its size")

    def test_a_name_that_is_no_text_spoils_nothing(self) -> None:
        folder = Path(tempfile.mkdtemp())
        odd = os.fsdecode(os.fsencode(folder) + b"/tide \xe9.mp4")
        shutil.copy(clip(folder / "good.mp4", 90, 12, width=160, height=96), odd)
        done = run_apart("inspect", folder, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(len(json.loads(done.stdout)["sources"]), 2)
        path = folder / "b.batch.json"
        self.answer(
            "batch", "new", path, "--source", odd, "--recipe", "review-360", "--to", folder / "out", "--json"
        )
        done = run_apart("render", path)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(len(list((folder / "out").iterdir())), 1)

    def test_a_clip_is_found_again_by_its_content_and_another_never_takes_its_place(self) -> None:
        folder = Path(tempfile.mkdtemp())
        clip(folder / "reef.mp4", 91, 25, width=160, height=96)
        path = folder / "b.batch.json"
        self.answer(
            "batch",
            "new",
            path,
            "--source",
            folder / "reef.mp4",
            "--recipe",
            "review-360",
            "--to",
            folder / "out",
            "--json",
        )
        self.answer("forecast", path, "--json")
        (folder / "elsewhere").mkdir()
        os.rename(folder / "reef.mp4", folder / "elsewhere" / "renamed.mp4")
        clip(folder / "elsewhere" / "reef.mp4", 92, 25, width=160, height=96)
        self.answer("batch", "relink", path, "--search", folder / "elsewhere", "--json")
        self.assertIn("renamed.mp4", path.read_text())
        shutil.copy(folder / "elsewhere" / "reef.mp4", folder / "elsewhere" / "renamed.mp4")
        told = self.answer("forecast", path, "--json", code=1)
        self.assertEqual(told["outputs"], [])
        self.assertIn("is not the file that was brought in", str(told["problems"]))

    def test_recipes_are_listed_and_shown(self) -> None:
        recipes = self.answer("recipes", "list", "--json")["recipes"]
        self.assertGreaterEqual(len(recipes), 3)
        shown = json.loads(run("recipes", "show", recipes[0]["id"]).stdout)
        self.assertEqual(shown["picture"], recipes[0]["picture"])
        self.refused("recipes", "show", "nothing", code=2, says="There is no recipe")

    def test_wrong_use_is_told_apart_from_trouble(self) -> None:
        bad = self.folder / "bad.batch.json"
        bad.write_text("{")
        self.refused("forecast", bad, code=2, says="not JSON")
        bad.write_text('{"format": "chronocast batch", "version": 7}')
        self.refused("render", bad, code=2, says="newer")
        self.refused("render", self.folder / "none.batch.json", code=2, says="missing")
        self.refused(
            "batch",
            "new",
            self.batch,
            "--source",
            self.folder,
            "--recipe",
            "web-720",
            "--to",
            self.folder,
            code=2,
            says="there already",
        )
        self.refused(
            "batch",
            "new",
            self.folder / "x.batch.json",
            "--source",
            self.folder,
            "--recipe",
            "web-7",
            "--to",
            self.folder,
            code=2,
            says="There is no recipe",
        )
        self.refused("stop", self.batch, code=1, says="not been rendered")
        self.assertEqual(run("forecast").returncode, 2)
        self.assertEqual(run("nonsense", "more").returncode, 2)

    def test_a_bad_source_does_not_disturb_the_others(self) -> None:
        path = small_batch(self.folder / "mixed", clips=2, frames=55, first=11)
        (self.folder / "mixed" / "clip 0.mp4").write_bytes(b"")
        told = self.answer("forecast", path, "--json", code=1)
        self.assertEqual(len(told["outputs"]), 1)
        self.assertIn("empty", told["problems"][0]["sentence"])
        self.assertTrue(told["problems"][0]["remedy"])
        done = run("render", path, "--json")
        self.assertEqual(done.returncode, 1)
        states = {o["id"]: o["state"] for o in json.loads(done.stdout.splitlines()[-1])["outputs"]}
        self.assertEqual(sorted(states.values()), ["needs you", "proved"])

    def test_an_existing_file_is_never_replaced_unasked(self) -> None:
        path = small_batch(self.folder / "again", clips=1, frames=52, first=21)
        target = self.folder / "again" / "out" / "Clip 0 - quick.mp4"
        target.parent.mkdir()
        target.write_text("precious")
        done = run("render", path)
        self.assertEqual(done.returncode, 1)
        self.assertIn("there already", done.stdout)
        self.assertEqual(target.read_text(), "precious")
        self.assertEqual(run("render", path, "--replace").returncode, 0)
        self.assertGreater(target.stat().st_size, 1000)

    def test_names_cannot_leave_the_target_folder(self) -> None:
        path = small_batch(self.folder / "names", clips=2, frames=51, first=31)
        data = json.loads(path.read_text())
        data["outputs"][0]["name"] = "../../escaped\nname\t🐟 'q' \"d\""
        data["outputs"][1]["name"] = "x" * 390
        path.write_text(json.dumps(data))
        done = run("render", path, "--json")
        self.assertEqual(done.returncode, 0, done.stdout[-500:])
        out = self.folder / "names" / "out"
        for output in json.loads(done.stdout.splitlines()[-1])["outputs"]:
            self.assertEqual(Path(output["path"]).parent, out)
        self.assertEqual(len(list(out.iterdir())), 2)
        self.assertFalse((self.folder.parent / "escaped name").exists())

    def test_a_target_that_cannot_be_written_is_a_sentence(self) -> None:
        path = small_batch(self.folder / "target", clips=1, frames=53, first=41)
        (self.folder / "target" / "out").write_text("a file")
        done = run("render", path)
        self.assertEqual(done.returncode, 1)
        self.assertIn("is a file, not a folder", done.stdout)

    def test_sequences_are_relinked_recut_and_written_out(self) -> None:
        folder = self.folder / "cutting"
        (folder / "away").mkdir(parents=True)
        for name in ("clip 0.mp4", "clip 1.mp4"):
            shutil.copy(self.folder / name, folder / "away" / name)
        cut = "TITLE: tour\n001  AX  V  C  00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00\n* FROM CLIP NAME: clip 0.mp4\n"
        (folder / "tour.edl").write_text(cut)
        path = folder / "tour.batch.json"
        made = (
            "batch",
            "new",
            path,
            "--source",
            folder / "tour.edl",
            "--recipe",
            "review-360",
            "--to",
            folder / "out",
        )
        self.refused(*made, code=2, says="--rate 25")
        shutil.move(folder / "away", self.folder / "archive")
        self.refused(*made, "--rate", "25", code=1, says="clip 0.mp4")
        found = self.answer("batch", "relink", path, "--search", self.folder / "archive", "--json")
        self.assertEqual(found["missing"], [])
        self.assertEqual(self.answer("forecast", path, "--json")["outputs"][0]["frames"], 50)
        (folder / "tour.edl").write_text(
            cut
            + cut.split("\n", 1)[1]
            .replace("clip 0", "clip 1")
            .replace("001", "002")
            .replace("01:00:00:00 01:00:02:00", "01:00:02:00 01:00:04:00")
        )
        self.assertEqual(self.answer("forecast", path, "--json")["outputs"][0]["frames"], 50)
        told = self.answer("batch", "take", path, "--look", "--json")
        self.assertEqual(
            (told["taken"], told["outputs"][0]["frames"], told["outputs"][0]["same"]), (False, [50, 100], 1)
        )
        self.answer("batch", "take", path, "--json")
        self.assertEqual(self.answer("forecast", path, "--json")["outputs"][0]["frames"], 100)
        written = run("batch", "cuts", path, "--to", folder / "cuts", "--edl").stdout.split("\n")
        self.assertEqual(sorted(Path(line).suffix for line in written if line), [".edl", ".otio"])
        again = self.answer("inspect", folder / "cuts" / "tour.otio", "--json")["sources"][0]
        self.assertEqual((again["frames"], again["rate"], again["problems"]), (100, "25", []))

    def test_ranges_and_framing_are_listed_changed_and_refused(self) -> None:
        path = self.folder / "parts.batch.json"
        clip(self.folder / "reef.mp4", 3, 120)
        run(
            "batch",
            "new",
            path,
            "--source",
            self.folder / "reef.mp4",
            "--recipe",
            "review-360",
            "--to",
            self.folder / "out",
        )
        told = run(
            "ranges", "add", path, "reef", "Turn", "--in", "1:00", "--out", "+2s", "--recipe", "upright-720"
        ).stdout
        self.assertIn("trim, 2.0 s of 4.8 s, 42 %", told)
        found = self.answer("ranges", "list", path, "--json")["ranges"]
        self.assertEqual(
            [(r["range"], r["kind"], r["start"], r["stop"]) for r in found],
            [("full", "full", 0, 120), ("turn", "trim", 25, 75)],
        )
        run("ranges", "set", path, "reef", "turn", "--out", "-5", "--name", "Short turn")
        self.assertEqual(self.answer("ranges", "list", path, "--json")["ranges"][1]["stop"], 70)
        output = found[1]["outputs"][0]
        said = self.answer(
            "frame",
            path,
            output,
            "--crop",
            "10%,0,0,0",
            "--centre",
            "0=0,50",
            "--centre",
            "40=100,50",
            "--json",
        )["outputs"][0]
        self.assertEqual((said["width"], said["height"], said["bars"]), (720, 1280, [0, 0, 0, 0]))
        self.assertEqual(load_batch(path).outputs[-1].framing.centres, ((0, 0.0, 0.5), (40, 1.0, 0.5)))
        forecast = self.answer("forecast", path, "--json")["outputs"]
        self.assertEqual(forecast[1]["extent"]["told"], "trim, 1.8 s of 4.8 s, 38 %")
        picks = self.folder / "picks.otio"
        run("ranges", "write", path, picks)
        (item,) = otio.adapters.read_from_file(str(picks), "otio_json")
        self.assertEqual(
            (item.name, item.source_range.start_time.value, item.source_range.duration.value),
            ("Short turn", 25, 45),
        )
        before = path.read_bytes()
        for words, wrong in (
            ("beyond the end", ("ranges", "add", path, "reef", "x", "--in", "1s", "--out", "9s")),
            ("before the in point", ("ranges", "set", path, "reef", "turn", "--in", "4s")),
            ("no range", ("ranges", "remove", path, "reef", "nothing")),
            ("no sequence", ("ranges", "clips", path, "reef", "--recipe", "review-360")),
            ("nothing of the picture", ("frame", path, output, "--crop", "100%,0,0,0")),
            ("no output", ("frame", path, "nothing", "--placing", "fit")),
        ):
            self.refused(*wrong, code=2, says=words)
        self.assertEqual(path.read_bytes(), before)

    def test_sources_and_outputs_are_changed_without_a_window(self) -> None:
        folder = Path(tempfile.mkdtemp())
        path = small_batch(folder / "films", 3, 30)
        (folder / "more").mkdir()
        clip(folder / "more" / "new.mp4", 9, 30)
        (folder / "more" / "notes.txt").write_text("tide tables")
        (folder / "empty").mkdir()
        done = run("batch", "add", path, folder / "more", folder / "empty", folder / "gone.mp4")
        self.assertEqual(done.returncode, 1, "not all of it came in")
        self.assertIn("new  ", done.stdout)
        for told in ("notes.txt is no media", "empty has no media", "gone.mp4"):
            self.assertIn(told, done.stderr)
        self.assertEqual(
            run("batch", "add", path, folder / "more" / "new.mp4").returncode, 1, "it is there already"
        )
        self.assertEqual(run("batch", "remove", path, "new").returncode, 0)
        gone = run("batch", "remove", path, "heron")
        self.assertEqual((gone.returncode, "There is no source “heron”" in gone.stderr), (1, True))
        names = [output.id for output in load_batch(path).outputs]
        self.assertEqual(run("batch", "hold", path, names[0]).returncode, 0)
        self.assertTrue(load_batch(path).output(names[0]).held)
        self.assertEqual(run("batch", "release", path, "all").returncode, 0)
        self.assertFalse(load_batch(path).output(names[0]).held)
        self.assertEqual(run("batch", "hold", path, "heron").returncode, 1)

        def order() -> list[str]:
            return [output.id for output in load_batch(path).outputs]

        run("ask", path, "--wish", "earliest end")
        run("batch", "order", path, names[2])
        self.assertEqual((order(), load_batch(path).wish), ([names[2], *names[:2]], "order"))
        run("batch", "order", path, names[2], "--last")
        self.assertEqual(order(), names)
        run("batch", "order", path, names[2], names[0], "--before", names[1])
        self.assertEqual(order(), [names[2], names[0], names[1]])
        self.assertEqual(run("batch", "rename", path, "  Tide   week ").returncode, 0)
        self.assertEqual(load_batch(path).title, "Tide week")
        before = json.loads(run("forecast", path, "--json").stdout)
        target = folder / "elsewhere" / "tide.batch.json"
        self.assertEqual(run("batch", "move", path, target).returncode, 0)
        self.assertFalse(path.exists())
        after = json.loads(run("forecast", target, "--json").stdout)
        self.assertEqual([o["path"] for o in after["outputs"]], [o["path"] for o in before["outputs"]])
        shutil.copy(target, path)
        self.assertEqual(run("batch", "move", path, target).returncode, 1, "nothing is written over")

    def test_times_stations_and_orders_are_asked_for_and_plans_compared(self) -> None:
        path = small_batch(Path(tempfile.mkdtemp()) / "films", 2, 30)
        first, second = (output.id for output in load_batch(path).outputs)
        self.assertEqual(
            run("ask", path, "--output", second, "--by", "in 2 h", "--begin", "in 30 s").returncode, 0
        )
        asked = load_batch(path).output(second)
        self.assertTrue(asked.wanted and asked.not_before and not load_batch(path).wanted)
        told = json.loads(run("forecast", path, "--json", "--plan", "--rehearse").stdout)
        self.assertEqual([one["wish"] for one in told["plan"]["wishes"]], ["order", "finish", "in time"])
        self.assertEqual(told["plan"]["wishes"][0]["wanted"], 1)
        self.assertEqual(told["rehearsal"]["in_time"], {second: 1.0})
        self.assertTrue(any(item["what"] == "beginning at once" for item in told["plan"]["would_help"]))
        run("ask", path, "--on", "Nowhere", "--output", first)
        alone = run("forecast", path)
        self.assertIn("kept to Nowhere", alone.stdout)
        self.assertIn("earliest end", run("forecast", path, "--plan").stdout)
        for words in (("--wish", "fast"), ("--on", "no/name"), ("--output", "heron", "--by", "18:30")):
            with self.subTest(words):
                self.assertEqual(run("ask", path, *words).returncode, 2)
        self.assertIn("only “this machine”", run("forecast", path, "--lose", "Plover@2:00").stderr)

    def test_demo_and_help(self) -> None:
        done = run("demo", "--to", self.folder / "demo", "--no-window")
        self.assertEqual(done.returncode, 0, done.stderr)
        path = Path(done.stdout.strip())
        self.assertTrue(path.is_file())
        self.assertEqual(len(self.answer("forecast", path, "--json")["outputs"]), 24)
        said = run("--help").stdout
        for word in ("forecast", "render", "inspect", "check", "demo"):
            self.assertIn(word, said)

    def test_the_desktop_without_a_screen_says_so(self) -> None:
        env = {
            k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
        }
        done = subprocess.run(
            [sys.executable, "-m", "chronocast"], env=env, capture_output=True, text=True, timeout=60
        )
        self.assertEqual(done.returncode, 2)
        self.assertIn("no screen", done.stderr)


if __name__ == "__main__":
    unittest.main()
