"""*Range* in the real window: whole tasks by keys, mouse and typing; what is rendered is exact at both ends."""

from __future__ import annotations

import tempfile
import time
import unittest
from fractions import Fraction
from pathlib import Path

import numpy as np
import opentimelineio as otio
from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QLineEdit, QPushButton

from chronocast.demo.counter import read
from chronocast.journal.documents import load_batch, save_batch
from chronocast.media.files.footage import write_footage
from chronocast.media.viewing.playback import SAMPLE_RATE
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.batch.ranges import add_range, remove_ranges
from chronocast.model.recipe.recipe import FrameSize
from chronocast.model.recipe.supplied import supplied
from chronocast.model.time.timing import FrameRange
from chronocast.ui.commands import RANGE
from chronocast.ui.desk.viewer import Viewer
from chronocast.ui.places.range.model import DRAFT
from chronocast.ui.places.range.speaker import Speaker
from tests.footage import RATE, clip, counted, counters
from tests.runs import QUICK, RATED, small_batch
from tests.sequences import clip_item, sequence
from tests.ui.hands import Desk
from tests.ui.test_sources import answering

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
upright = supplied("upright-720")
assert upright
UPRIGHT = upright.model_copy(
    update={
        "id": "upright",
        "picture": QUICK.picture.model_copy(
            update={"size": FrameSize(mode="fixed", width=108, height=192), "framing": "fill"}
        ),
    }
)


def counter(image: QImage | None) -> int | None:
    """The number drawn in a picture on the screen."""
    if image is None:
        return None
    gray = image.convertToFormat(QImage.Format.Format_Grayscale8)
    bits = gray.constBits()
    assert bits is not None
    bits.setsize(gray.sizeInBytes())
    lines = np.frombuffer(bits, np.uint8).reshape(gray.height(), gray.bytesPerLine())
    seen = read(lines[:, : gray.width()].copy())
    return seen[1] if seen else None


class Recorder:
    """A stand-in for a sound device: takes everything at the pace of the clock, and keeps it."""

    problem = ""

    def __init__(self) -> None:
        self.data = b""
        self.began = 0.0
        self.taken = 0
        self.ended = 0

    def begin(self) -> None:
        self.began, self.taken = time.monotonic(), 0

    def room(self) -> int:
        return max(0, round((time.monotonic() - self.began + 0.3) * SAMPLE_RATE * 4) - self.taken)

    def take(self, data: bytes) -> None:
        self.data += data
        self.taken += len(data)

    def heard_seconds(self) -> float:
        return min(time.monotonic() - self.began, self.taken / SAMPLE_RATE / 4)

    def end(self) -> None:
        self.ended += 1


class Ranges(unittest.TestCase):
    number = 150

    def desk(self, clips: int = 1, frames: int = 150, recipes: tuple = (QUICK, RATED)) -> Desk:
        Ranges.number += clips
        self.first = Ranges.number
        self.folder = Path(tempfile.mkdtemp()) / "films"
        self.path = small_batch(self.folder, clips, frames, recipes, (320, 180), first=self.first)
        return self.open(self.path)

    def open(self, path: Path) -> Desk:
        desk = Desk(path)
        self.addCleanup(desk.close)
        self.recorder = Recorder()
        desk.window.range_place.player.make_speaker = self.speaker
        return desk

    def speaker(self) -> Speaker:
        return self.recorder

    def into_range(self, desk: Desk, row: int = 0) -> None:
        desk.click_cell(row, 0)
        desk.key(Qt.Key.Key_Return)
        self.assertEqual(desk.window.place, RANGE)
        self.shows(desk, "here", None)

    def shows(self, desk: Desk, box: str, number: int | None) -> None:
        """Wait until a picture on the screen is the one of that number (any, for None)."""
        part = getattr(desk.window.range_place.parts, box)
        desk.until(
            lambda: (
                part.image is not None and not part.near and (number is None or counter(part.image) == number)
            ),
            f"picture {number} as {box}; it shows {counter(part.image)}, {part.message}",
            20,
        )

    def type_into(self, desk: Desk, field: QLineEdit, text: str) -> None:
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        desk.key(Qt.Key.Key_Return, into=field)

    def test_marks_by_keys_by_typing_and_by_dragging_become_ranges_that_are_exact(self) -> None:
        desk = self.desk()
        place, parts = desk.window.range_place, desk.window.range_place.parts
        self.into_range(desk)
        # by keys, whatever has the focus
        parts.table.setFocus()
        for _ in range(2):
            desk.key(Qt.Key.Key_Right, SHIFT)
        self.shows(desk, "here", 50)
        desk.key(Qt.Key.Key_I)
        parts.files.setFocus()
        desk.key(Qt.Key.Key_Right, SHIFT)
        desk.key(Qt.Key.Key_Left)
        desk.key(Qt.Key.Key_O)
        self.shows(desk, "first", 50)
        self.shows(desk, "last", 74)
        self.assertEqual(
            (place.standing.part, place.standing.now().start, place.standing.now().stop), (DRAFT, 50, 75)
        )
        self.assertIn("17 %", parts.length.text())
        desk.until(lambda: len(place.standing.sheet.files) == 4, "what it would come to")
        self.assertEqual(len(load_batch(self.path).outputs), 2)
        desk.key(Qt.Key.Key_Return)
        desk.until(lambda: len(load_batch(self.path).outputs) == 4, "the first pick on disk")
        # by typing, a figure anywhere begins a time
        parts.film.setFocus()
        desk.key(Qt.Key.Key_4)
        QTest.keyClicks(QApplication.focusWidget(), ":00")
        desk.key(Qt.Key.Key_Return)
        self.shows(desk, "here", 100)
        parts.film.setFocus()
        self.type_into(desk, parts.field_in, "0:04:00")
        self.type_into(desk, parts.field_length, "20f")
        self.shows(desk, "last", 119)
        # by dragging the out point further
        film = parts.film
        y = round(film.strip_box().center().y())
        begin, end = QPoint(round(film.x_of(120)), y), QPoint(round(film.x_of(130)), y)
        QTest.mousePress(film, Qt.MouseButton.LeftButton, pos=begin)
        for share in (0.3, 0.7, 1.0):
            QTest.mouseMove(film, begin + QPoint(round((end - begin).x() * share), 0))
            desk.settle()
        QTest.mouseRelease(film, Qt.MouseButton.LeftButton, pos=end)
        desk.until(lambda: place.standing.now() and place.standing.now().stop != 120, "the dragged end")
        stop = place.standing.now().stop
        self.assertLessEqual(abs(stop - 130), 1)
        self.shows(desk, "last", stop - 1)
        # named as it is taken
        desk.key(Qt.Key.Key_F2)
        QTest.keyClicks(parts.name, "Iris")
        desk.settle()
        QTest.keyClick(parts.name, Qt.Key.Key_Return)
        desk.until(lambda: len(load_batch(self.path).outputs) == 6, "the second pick on disk")
        names = [part.name for part in load_batch(self.path).sources[0].ranges]
        self.assertEqual(names, ["Pick 1", "Iris"])
        self.assertEqual(parts.name.text(), "")
        self.assertIn("trim, 1.0 s of 6.0 s, 17 %", [made.extent for made in place.standing.sheet.files])
        # what comes out is exact at both ends
        desk.key(Qt.Key.Key_R, CTRL)
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "done", "every file proved")
        made = {path.name: counters(path) for path in (self.folder / "out").iterdir()}
        self.assertEqual(len(made), 6)
        self.assertEqual(made["Clip 0 - Pick 1 - quick.mp4"], [(self.first, n) for n in range(50, 75)])
        self.assertEqual(made["Clip 0 - Iris - rated.mp4"], [(self.first, n) for n in range(100, stop)])
        self.assertEqual(len(made["Clip 0 - quick.mp4"]), 150)
        assert desk.window.run_shown is not None
        self.assertIn("trim, 1.0 s of 6.0 s, 17 %", {row.extent for row in desk.window.run_shown.rows})
        self.assertLess(desk.heart.percentile(0.99, own=True), 0.050, "the interface held itself up")

    def test_changing_a_range_moves_time_and_size_and_says_by_how_much(self) -> None:
        desk = self.desk(frames=600, recipes=(RATED,))
        place, parts = desk.window.range_place, desk.window.range_place.parts
        self.into_range(desk)
        self.type_into(desk, parts.field_out, "20s")
        desk.key(Qt.Key.Key_Return, SHIFT, parts.film)
        desk.until(
            lambda: place.standing.part == "trim-1" and len(place.standing.sheet.files) == 1,
            "the trim instead of the whole",
        )
        desk.until(lambda: place.standing.sheet.files[0].size, "its forecast")
        self.assertEqual([o.range for o in load_batch(self.path).outputs], ["trim-1"])
        before = desk.session.view.bytes.likely
        self.type_into(desk, parts.field_out, "+0")
        self.type_into(desk, parts.field_in, "8s")
        desk.until(lambda: desk.session.view.bytes.likely < before * 0.7, "a smaller forecast")
        self.assertAlmostEqual(desk.session.view.bytes.likely / before, 12 / 20, delta=0.03)
        desk.until(
            lambda: "−" in desk.window.headline.accessibleDescription() + desk.window.plan.headline.size_more,
            "the difference",
        )
        desk.key(Qt.Key.Key_Z, CTRL)
        desk.until(lambda: abs(desk.session.view.bytes.likely - before) < 1000, "the forecast of before")

    def test_bad_times_are_refused_and_nothing_is_lost(self) -> None:
        desk = self.desk()
        place, parts = desk.window.range_place, desk.window.range_place.parts
        self.into_range(desk)
        self.type_into(desk, parts.field_in, "2s")
        self.type_into(desk, parts.field_out, "4s")
        for field, text, words in (
            (parts.field_in, "5s", "25 frames before the in point"),
            (parts.field_out, "7s", "25 frames beyond the end"),
            (parts.field_out, "2s", "no frames"),
            (parts.field_in, "-9:00", "before Clip 0 begins"),
            (parts.field_out, "0:00:03:28", "does not exist at 25"),
            (parts.field_out, "0:00:03;04", "drop-frame"),
            (parts.field_length, "0f", "no length"),
            (parts.field_go, "99s", "has no frame at 99s"),
            (parts.field_in, ":::", "not a time"),
        ):
            self.type_into(desk, field, text)
            self.assertIn(words, desk.window.notice.text())
            self.assertEqual((place.standing.now().start, place.standing.now().stop), (50, 100), text)
            self.assertTrue(field.isModified(), "what was typed stays to be mended")
            desk.key(Qt.Key.Key_Escape, into=field)
        self.assertEqual(load_batch(self.path).sources[0].ranges, ())

    def test_a_late_out_point_is_noticed_and_mended_with_one_key(self) -> None:
        self.folder = Path(tempfile.mkdtemp()) / "films"
        self.path = small_batch(self.folder, 1, 50, (QUICK,), (320, 180), first=90)
        black = np.full((180, 320, 3), 16, np.uint8)
        write_footage(
            str(self.folder / "clip 0.mp4"), iter([*counted(9, 80), black]), RATE, quality=16, sound=None
        )
        batch, part = add_range(load_batch(self.path), "clip-0", "Late", FrameRange(20, 81))
        save_batch(fill(batch, [("clip-0", part, "quick")]), self.path)
        desk = self.open(self.path)
        place, parts = desk.window.range_place, desk.window.range_place.parts
        desk.until(
            lambda: "last picture is black" in desk.cell_text(1, 0), "the plan to notice it by itself", 30
        )
        desk.session.edit("remove it", remove_ranges(desk.session.batch, "clip-0", [part]))
        self.into_range(desk)
        desk.until(
            lambda: "last picture is black" in parts.notes_last.text(), "the black picture to be noticed"
        )
        self.assertTrue(parts.mend.isVisible())
        parts.files.setFocus()
        desk.key(Qt.Key.Key_M)
        self.assertEqual((place.standing.part, place.standing.now().stop), (DRAFT, 80))
        self.shows(desk, "last", 79)
        desk.key(Qt.Key.Key_Return, SHIFT)
        desk.until(
            lambda: [o.range for o in load_batch(self.path).outputs] == ["trim-1"],
            "the mended range instead of the whole",
        )
        desk.until(lambda: parts.notes_last.text() == "", "nothing more to say")
        desk.key(Qt.Key.Key_R, CTRL)
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "done", "the file proved")
        (made,) = (self.folder / "out").glob("[!.]*")  # that it can be written is tried there now and then
        self.assertEqual(counters(made), [(9, n) for n in range(80)])

    def test_one_file_for_each_clip_is_seen_as_a_list_before(self) -> None:
        self.folder = Path(tempfile.mkdtemp()) / "films"
        self.folder.mkdir()
        media = [
            clip(self.folder / f"{name}.mp4", 80 + n, 60, width=192, height=108)
            for n, name in enumerate(("reef", "ray"))
        ]
        film = self.folder / "film.otio"
        items = [clip_item(media[0], 5, 30), clip_item(media[1], 0, 25), clip_item(media[0], 40, 20)]
        film.write_text(otio.adapters.write_to_string(sequence(items), "otio_json"))
        batch = add_source(add_recipe(Batch(folder="out"), QUICK), "film.otio", "Film", "sequence")
        self.path = self.folder / "small.batch.json"
        save_batch(fill(batch, [("film", FULL, "quick")]), self.path)
        desk = self.open(self.path)
        self.into_range(desk)
        told: list[str] = []

        def take() -> bool:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QDialog):
                return False
            told.append(box.title.text())
            box.instead.setChecked(True)
            told.append(box.title.text())
            told.extend(str(row[0]) for row in box.table.rows_model.rows)
            desk.click(box.yes)
            return True

        timer = answering(take)
        desk.click(desk.window.range_place.parts.split)
        timer.stop()
        desk.until(lambda: len(load_batch(self.path).outputs) == 3, "three outputs")
        self.assertIn("3 clips become 3 files", told[0])
        self.assertIn("The whole sequence stays", told[0])
        self.assertIn("No file of the whole", told[1])
        names = ["Film - 1 reef - quick.mp4", "Film - 2 ray - quick.mp4", "Film - 3 reef - quick.mp4"]
        self.assertEqual(told[2:], names)
        desk.until(lambda: desk.window.begin.text() == "Begin 3", "the offer to begin")
        desk.click(desk.window.begin)
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "done", "every file proved")
        made = {path.name: counters(path) for path in (self.folder / "out").iterdir()}
        wanted = [
            [(80, n) for n in range(5, 35)],
            [(81, n) for n in range(25)],
            [(80, n) for n in range(40, 60)],
        ]
        self.assertEqual(made, dict(zip(names, wanted, strict=True)))

    def test_an_upright_crop_with_a_moving_centre(self) -> None:
        desk = self.desk(frames=100, recipes=(UPRIGHT,))
        place, parts = desk.window.range_place, desk.window.range_place.parts
        self.into_range(desk)
        desk.key(Qt.Key.Key_F)
        self.shows(desk, "here", 0)
        desk.until(lambda: parts.after.image is not None, "the file's picture")
        self.assertIn("108×192", parts.framing.told.text())
        here = parts.here
        desk.settle()

        def drag_centre(share: float) -> None:
            box = here.picture_box()
            to = QPointF(box.left() + share * box.width(), box.center().y()).toPoint()
            QTest.mousePress(here, Qt.MouseButton.LeftButton, pos=here.crop_box().center().toPoint())
            QTest.mouseMove(here, to)
            QTest.mouseRelease(here, Qt.MouseButton.LeftButton, pos=to)

        drag_centre(-0.05)
        desk.until(
            lambda: self.framing(desk) and self.framing(desk).centres == ((0, 0.0, 0.5),),
            "the centre at the left edge",
        )
        desk.key(Qt.Key.Key_End)
        desk.key(Qt.Key.Key_C)
        self.type_into(desk, parts.framing.centre["x"], "100")
        desk.until(lambda: self.framing(desk).centres[-1] == (99, 1.0, 0.5), "a second key")
        self.assertEqual(self.framing(desk).centres[1], (99, 1.0, 0.5))
        self.type_into(desk, parts.framing.sides["top"], "10 %")
        desk.until(lambda: self.framing(desk).top == 0.1, "the typed crop")
        self.type_into(desk, parts.framing.sides["top"], "99 %")
        self.assertIn("leave nothing", desk.window.notice.text())
        self.type_into(desk, parts.framing.sides["top"], "0")
        desk.key(Qt.Key.Key_Home)
        self.shows(desk, "after", None)
        desk.settle()
        desk.click(parts.framing.buttons["stretch"])
        desk.until(lambda: "too narrow" in parts.framing.told.text(), "the squeezed picture to be called out")
        desk.key(Qt.Key.Key_Z, CTRL)
        desk.until(lambda: self.framing(desk).placing is None, "the undone stretch")
        desk.key(Qt.Key.Key_R, CTRL)
        desk.until(lambda: desk.session.run and desk.session.run.outcome == "done", "the file proved")
        (made,) = (self.folder / "out").glob("[!.]*")  # that it can be written is tried there now and then
        self.assert_moves_across(made, place)

    def framing(self, desk: Desk) -> object:
        return load_batch(self.path).outputs[0].framing

    def assert_moves_across(self, made: Path, place: object) -> None:
        """Every frame is the part of the source that the centre says: at the left edge first, at the right one last."""
        from chronocast.media.source.decode import FrameReader
        from chronocast.media.viewing.stills import to_rgb
        from chronocast.model.picture.colour import BT709

        with FrameReader(str(made)) as reader, FrameReader(str(self.folder / "clip 0.mp4")) as source:
            self.assertEqual(len(reader.index), 100)
            for frame, left in ((0, 0), (50, None), (99, 320 - 101)):
                seen = reader.frame(frame)
                self.assertEqual((seen.width, seen.height), (108, 192))
                small = to_rgb(seen.reformat(width=100, height=180), BT709).astype(int)
                whole = to_rgb(source.frame(frame), BT709).astype(int)
                places = [np.abs(small - whole[:, x : x + 100]).mean() for x in range(220)]
                wanted = left if left is not None else round(219 * 50 / 99)
                near = min(
                    places[max(0, wanted - 2) : wanted + 3]
                )  # the pattern comes again every 128 pixels
                self.assertLess(near, min(places) + 1.0, frame)
                self.assertLess(near, float(np.median(places)) / 3, frame)
        del place

    def test_a_crop_is_dragged_and_the_frame_size_follows_it(self) -> None:
        desk = self.desk(frames=60, recipes=(QUICK,))
        parts = desk.window.range_place.parts
        self.into_range(desk)
        desk.key(Qt.Key.Key_F)
        desk.until(lambda: parts.after.image is not None, "the file's picture")
        desk.settle()
        here = parts.here
        for side, share in (("right", 0.75), ("left", 0.25)):
            box, crop = here.picture_box(), here.crop_box()
            begin = QPointF(getattr(crop, side)(), crop.center().y()).toPoint()
            end = QPointF(box.left() + share * box.width(), crop.center().y()).toPoint()
            QTest.mousePress(here, Qt.MouseButton.LeftButton, pos=begin)
            QTest.mouseMove(here, end)
            QTest.mouseRelease(here, Qt.MouseButton.LeftButton, pos=end)
            desk.until(
                lambda s=side: self.framing(desk) and abs(getattr(self.framing(desk), s) - 0.25) < 0.02,
                f"the crop {side}",
            )
        desk.until(lambda: "180, square pixels" in parts.framing.told.text(), "its size")
        desk.until(
            lambda: desk.session.prospect and desk.session.prospect.outputs[0].plan.width < 170, "its plan"
        )
        plan = desk.session.prospect.outputs[0].plan
        self.assertEqual(plan.height, 180)
        self.assertAlmostEqual(plan.width, 160, delta=10)
        self.assertNotIn("bars", parts.framing.told.text())
        desk.click(parts.framing.reset)
        desk.until(lambda: self.framing(desk) is None, "the framing of the recipe")

    def test_a_range_beyond_its_source_is_told_and_mended_and_what_is_dropped_is_looked_at(self) -> None:
        desk = self.desk(frames=60, recipes=(QUICK,))
        place, parts = desk.window.range_place, desk.window.range_place.parts
        batch, part = add_range(desk.session.batch, "clip-0", "Long", FrameRange(20, 90))
        desk.session.edit("a range of a longer cut", fill(batch, [("clip-0", part, "quick")]))
        self.into_range(desk)
        place.choose(part)
        desk.until(lambda: "30 frames beyond" in parts.notes_last.text(), "the missing pictures to be told")
        desk.key(Qt.Key.Key_M)
        desk.until(lambda: load_batch(self.path).sources[0].ranges[0].stop == 60, "the mended range")
        self.shows(desk, "last", 59)
        extra = clip(self.folder / "dropped.mp4", 7, 30)
        parts.field_in.setFocus()
        desk.drop([extra])
        desk.until(lambda: place.standing.source == "dropped", "the dropped source to be shown")
        self.shows(desk, "here", 0)

    def test_playing_is_heard_and_shuttled_and_ends_at_the_end(self) -> None:
        desk = self.desk(frames=150)
        place = desk.window.range_place
        self.into_range(desk)
        seen: list[int] = []
        place.pictures.viewer.picture.connect(
            lambda slot, _s, frame, _i: seen.append(frame) if slot == "here" else None
        )
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: place.player.frame >= 30, "a second of playing", 15)
        desk.key(Qt.Key.Key_K)
        stood = place.player.frame
        self.assertGreater(len(set(seen)), 1, "pictures were shown; how many is a matter of the machine")
        self.assertEqual(seen, sorted(seen))
        heard = np.frombuffer(self.recorder.data, np.int16)
        self.assertGreater(len(heard) / 2, 30 / 25 * SAMPLE_RATE)
        self.assertGreater(int(np.abs(heard.astype(int)).max()), 5000)
        self.shows(desk, "here", stood)
        seen.clear()
        desk.key(Qt.Key.Key_J)
        desk.until(lambda: place.player.frame < stood - 12, "going backwards", 15)
        desk.key(Qt.Key.Key_J)
        self.assertEqual(place.player.shuttle.speed, -2)
        desk.until(lambda: place.player.frame == 0 and not place.player.shuttle.moving, "the beginning", 15)
        self.shows(desk, "here", 0)
        for _ in range(4):
            desk.key(Qt.Key.Key_L)
        self.assertEqual(place.player.shuttle.speed, 8)
        desk.until(lambda: not place.player.shuttle.moving, "the end", 15)
        self.shows(desk, "here", 149)

    def test_a_source_that_fails_in_mid_playback_stops_with_a_sentence_and_goes_on(self) -> None:
        desk = self.desk(frames=150)
        place, parts = desk.window.range_place, desk.window.range_place.parts
        self.into_range(desk)
        self.shows(desk, "here", 0)
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: place.player.frame > 5, "playing", 15)
        child = place.pictures.viewer.child
        assert child is not None
        child.kill()
        desk.until(lambda: "brought the decoder down" in desk.window.notice.text(), "the reason", 15)
        self.assertFalse(place.player.shuttle.moving)
        desk.key(Qt.Key.Key_End)
        self.shows(desk, "here", 149)
        self.assertEqual(parts.here.message, "")

    def test_what_was_asked_of_a_process_that_died_is_told_and_the_next_order_is_answered(self) -> None:
        """Nobody may wait for ever for an answer, nor ask a fresh process for a source it doesn't know."""
        desk = self.desk(frames=60, recipes=(QUICK,))
        desk.until(lambda: desk.session.prospect and desk.session.prospect.sources, "its facts")
        cut = next(iter(desk.session.prospect.sources.values())).cut
        viewer = Viewer(desk.window)
        self.addCleanup(viewer.leave)
        failed, seen, shown = [], [], []
        viewer.failed.connect(lambda *told: failed.append(told))
        viewer.ends.connect(lambda *told: seen.append(told))
        viewer.picture.connect(lambda slot, _s, frame, image: shown.append((slot, frame, counter(image))))
        viewer.open("film", cut)
        viewer.look_at_ends("film", 0, 60)
        viewer.child.kill()
        desk.until(lambda: failed, "the failure to be told", 15)
        self.assertEqual(failed[0][:3], ("ends", "film", 0))
        viewer.look_at_ends("film", 10, 50)
        viewer.show("here", "film", 33, (320, 180))
        desk.until(lambda: seen and shown, "the answers of the next process", 15)
        self.assertEqual((seen[0][1:], shown[0]), ((10, 50, None, None), ("here", 33, 33)))
        while viewer.child is not None:
            viewer.child.kill()
            failed.clear()
            desk.until(lambda: viewer.child is None, "it to be gone", 15)
            viewer.show("here", "film", 5, (320, 180))
        desk.until(lambda: any("left alone" in told[3] for told in failed), "it to be left alone", 15)

    def test_sources_of_one_frame_or_without_picture(self) -> None:
        self.folder = Path(tempfile.mkdtemp()) / "films"
        self.path = small_batch(self.folder, 2, 50, (QUICK,), (320, 180), first=95)
        write_footage(str(self.folder / "clip 0.mp4"), counted(3, 1), RATE, quality=16, sound=None)
        tone = np.zeros((2, 48000), np.float32)
        import av

        with av.open(str(self.folder / "clip 1.mp4"), "w") as output:
            stream = output.add_stream("aac", rate=48000, layout="stereo")
            frame = av.AudioFrame.from_ndarray(tone[:, :1024], format="fltp", layout="stereo")
            frame.sample_rate = 48000
            output.mux(stream.encode(frame))
            output.mux(stream.encode(None))
        desk = self.open(self.path)
        place, parts = desk.window.range_place, desk.window.range_place.parts
        self.into_range(desk)
        self.shows(desk, "here", 0)
        desk.key(Qt.Key.Key_Space)
        desk.key(Qt.Key.Key_I)
        desk.key(Qt.Key.Key_O)
        self.assertEqual((place.standing.now().start, place.standing.now().stop), (0, 1))
        desk.key(Qt.Key.Key_N)
        desk.settle()
        self.assertIn("no picture", parts.facts.text())
        for key in (
            Qt.Key.Key_I,
            Qt.Key.Key_O,
            Qt.Key.Key_M,
            Qt.Key.Key_Space,
            Qt.Key.Key_F,
            Qt.Key.Key_C,
            Qt.Key.Key_Return,
            Qt.Key.Key_Z,
        ):
            desk.key(key)
        desk.until(lambda: load_batch(self.path).sources[1].ranges, "a range of the sound")
        (part,) = load_batch(self.path).sources[1].ranges
        self.assertEqual((part.start, part.stop), (0, 1))

    def test_picks_go_back_out_as_sub_clips(self) -> None:
        desk = self.desk(frames=100, recipes=(QUICK,))
        self.into_range(desk)
        for first, last in ((10, 20), (40, 70)):
            desk.window.range_place.player.go(first)
            desk.key(Qt.Key.Key_I)
            desk.window.range_place.player.go(last)
            desk.key(Qt.Key.Key_O)
            desk.key(Qt.Key.Key_Return)
            desk.settle()
        to = self.folder / "picks.otio"

        def choose() -> bool:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QFileDialog):
                return False
            line = box.findChild(QLineEdit)
            assert line is not None
            line.setText(str(to))
            save = next(button for button in box.findChildren(QPushButton) if "Save" in button.text())
            QTimer.singleShot(0, save.click)
            return True

        timer = answering(choose)
        desk.key(Qt.Key.Key_U, CTRL | SHIFT)
        desk.until(to.exists, "the sub-clips on disk")
        timer.stop()
        found = otio.adapters.read_from_file(str(to), "otio_json")
        told = [
            (item.name, item.source_range.start_time.value, item.source_range.duration.value)
            for item in found
        ]
        self.assertEqual(told, [("Pick 1", 10, 11), ("Pick 2", 40, 31)])
        self.assertEqual(float(Fraction(25)), found[0].source_range.duration.rate)


if __name__ == "__main__":
    unittest.main()
