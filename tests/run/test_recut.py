"""Sequences whose media moved or whose file changed: found again, noticed, taken on purpose."""

from __future__ import annotations

import shutil
import unittest
from fractions import Fraction
from pathlib import Path

import av
import opentimelineio as otio

from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, fill
from chronocast.model.batch.ranges import add_range, change_range, take_marked
from chronocast.model.recipe.supplied import BASIC
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.output.prepare import prepare
from chronocast.preparation.recut import compare, relink, search_in, take
from chronocast.preparation.source.gather import gather
from chronocast.timeline.clip_layout import clip_cut_list
from tests.footage import clip, folder
from tests.sequences import clip_item, sequence

NAMES = ("reef", "kelp", "wreck")


class Recut(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.shelf = folder()
        for number, name in enumerate(NAMES, 1):
            clip(cls.shelf / f"{name}.mp4", number, 250, width=192, height=108)

    def setUp(self) -> None:
        self.folder = folder()
        self.media = self.folder / "media"
        shutil.copytree(self.shelf, self.media)
        self.clips = [self.media / f"{name}.mp4" for name in NAMES]
        self.path = self.folder / "film.otio"
        self.kept = Workspace(self.folder / "kept")
        self.write([(0, 0, 200), (1, 20, 200), (2, 0, 150)])
        self.batch = self.gathered()

    def write(self, edits: list[tuple[int, int, int]]) -> None:
        timeline = sequence([clip_item(self.clips[n], first, frames) for n, first, frames in edits])
        self.path.write_text(otio.adapters.write_to_string(timeline, "otio_json"))

    def gathered(self) -> Batch:
        batch, refused = gather(Batch(), self.folder, [self.path], self.kept.facts)
        self.assertEqual(refused, [])
        batch = add_recipe(batch, BASIC[1])
        return fill(batch, [(batch.sources[0].id, FULL, BASIC[1].id)])

    def fresh(self) -> Workspace:
        return Workspace(self.folder / "kept")

    def moved(self, names: dict[str, str]) -> Path:
        """Move clips to another folder under other names; the folder."""
        elsewhere = folder() / "archive" / "media"
        elsewhere.mkdir(parents=True)
        for old, new in names.items():
            shutil.move(self.media / old, elsewhere / new)
        return elsewhere

    def test_media_is_found_by_name_and_by_fingerprint(self) -> None:
        before = prepare(self.batch, self.folder, self.kept).outputs[0].plan
        place = self.moved({"reef.mp4": "reef.mp4", "kelp.mp4": "renamed by somebody.mp4"})
        missing = prepare(self.batch, self.folder, self.fresh())
        self.assertIn("reef.mp4, kelp.mp4", missing.problems[0].sentence)
        done = search_in(self.batch, self.folder, self.fresh().facts, [place.parent])
        self.assertEqual(
            sorted(Path(p).name for p in done.found.values()), ["reef.mp4", "renamed by somebody.mp4"]
        )
        self.assertEqual(done.missing, ())
        after = prepare(done.batch, self.folder, self.fresh())
        names = [piece.name for piece in after.outputs[0].plan.pieces]
        self.assertEqual(names, [piece.name for piece in before.pieces], "names don't depend on places")

    def test_relinking_one_relinks_its_neighbours(self) -> None:
        place = self.moved({f"{name}.mp4": f"{name}.mp4" for name in ("reef", "kelp", "wreck")})
        batch = relink(
            self.batch,
            self.folder,
            self.batch.sources[0].id,
            name=str(self.clips[0]),
            place=place / "reef.mp4",
            store=self.fresh().facts,
        )
        found = prepare(batch, self.folder, self.fresh())
        self.assertEqual(len(found.outputs), 1)
        self.assertTrue(all(str(place) in path for path in found.sources[batch.sources[0].id].facts))

    def test_another_file_of_its_name_never_stands_for_it(self) -> None:
        clip(self.clips[1], 7, 250)
        prospect = prepare(self.batch, self.folder, self.fresh())
        self.assertEqual(prospect.outputs, [])
        told = " ".join(problem.told for problem in prospect.problems)
        self.assertIn("kelp.mp4 is not the file that was brought in", told)
        taken = take(self.batch, self.folder, self.fresh().facts, [self.batch.sources[0].id])
        self.assertEqual(len(prepare(taken, self.folder, self.fresh()).outputs), 1, "taken on purpose")

    def test_a_fingerprint_that_is_nowhere_is_not_replaced_by_a_name(self) -> None:
        place = self.moved({"reef.mp4": "reef.mp4"})
        clip(place / "reef.mp4", 8, 250)
        done = search_in(self.batch, self.folder, self.fresh().facts, [place.parent])
        self.assertEqual([Path(name).name for name in done.missing], ["reef.mp4"])
        self.assertEqual(prepare(done.batch, self.folder, self.fresh()).outputs, [])

    def test_a_clip_is_found_by_what_is_in_it_and_a_replaced_one_waits(self) -> None:
        batch, _ = gather(Batch(folder="out"), self.folder, [self.clips[0]], self.fresh().facts)
        batch = add_recipe(batch, BASIC[1])
        batch = fill(batch, [(batch.sources[0].id, FULL, BASIC[1].id)])
        place = self.moved({"reef.mp4": "another name.mp4"})
        clip(self.clips[0], 9, 250)
        (problem,) = [p for p in prepare(batch, self.folder, self.fresh()).problems if p.blocks]
        self.assertIn("has been replaced", problem.sentence)
        self.assertEqual(problem.source, batch.sources[0].id)
        done = search_in(batch, self.folder, self.fresh().facts, [place.parent])
        self.assertEqual(done.missing, ())
        found = prepare(done.batch, self.folder, self.fresh())
        self.assertEqual(len(found.outputs), 1)
        self.assertIn("another name", next(iter(found.outputs[0].source.facts)))
        taken = take(batch, self.folder, self.fresh().facts, [batch.sources[0].id])
        self.assertEqual(len(prepare(taken, self.folder, self.fresh()).outputs), 1)

    def test_a_changed_sequence_keeps_its_cut_until_the_new_one_is_taken(self) -> None:
        before = prepare(self.batch, self.folder, self.kept).outputs[0].plan
        self.write([(0, 0, 200), (2, 100, 60), (1, 20, 200), (2, 0, 150)])
        held = prepare(self.batch, self.folder, self.fresh())
        self.assertEqual(held.outputs[0].plan.pieces, before.pieces)
        self.assertIn("has changed on disk", " ".join(problem.told for problem in held.problems))
        source = self.batch.sources[0].id
        (told,) = compare(self.batch, self.folder, self.kept, [source])
        self.assertEqual(told.frames, (550, 610))
        self.assertTrue(told.changed)
        self.assertEqual(told.pieces[1] - told.same, 1, "only the inserted edit is new")
        taken = take(self.batch, self.folder, self.kept.facts, [source])
        after = prepare(taken, self.folder, self.fresh())
        self.assertEqual(after.outputs[0].plan.frames, 610)
        self.assertNotIn("changed", " ".join(problem.told for problem in after.problems))

    def test_what_a_source_marks_of_itself_is_offered_and_follows_its_new_cut(self) -> None:
        def write(first: int, frames: int) -> None:
            timeline = sequence([clip_item(self.clips[0], 0, 200), clip_item(self.clips[1], 20, 200)])
            span = otio.opentime.TimeRange(
                otio.opentime.RationalTime(first, 25), otio.opentime.RationalTime(frames, 25)
            )
            timeline.tracks.markers.append(otio.schema.Marker(name="Wreck dive", marked_range=span))
            self.path.write_text(otio.adapters.write_to_string(timeline, "otio_json"))

        write(150, 100)
        batch = self.gathered()
        source = batch.sources[0].id
        (mark,) = prepare(batch, self.folder, self.fresh()).sources[source].cut.marked
        self.assertEqual((mark.name, mark.start, mark.stop), ("Wreck dive", 150, 250))
        batch, (part,) = take_marked(batch, source, [mark], [BASIC[1].id])
        self.assertEqual(take_marked(batch, source, [mark], [])[1], [], "what is taken is not offered again")
        batch, _ = add_range(batch, source, "By hand", FrameRange(5, 50))
        write(170, 60)
        self.assertEqual(batch.sources[0].ranges[0].start, 150)
        taken = take(batch, self.folder, self.fresh().facts, [source])
        self.assertEqual(
            [(r.start, r.stop, r.kind) for r in taken.sources[0].ranges],
            [(170, 230, "marked"), (5, 50, "trim")],
        )
        self.assertEqual(
            change_range(taken, source, part, FrameRange(171, 230)).sources[0].ranges[0].kind, "trim"
        )

    def test_chapters_of_a_film_are_what_it_marks(self) -> None:
        path = self.folder / "chaptered.mkv"
        with av.open(str(self.clips[0])) as film, av.open(str(path), "w") as made:
            stream = made.add_stream_from_template(film.streams.video[0])
            base = Fraction(1, 1000)
            made.set_chapters(
                [
                    {"id": n, "start": first, "end": last, "time_base": base, "metadata": {"title": name}}
                    for n, (name, first, last) in enumerate((("Reef", 0, 4000), ("", 4000, 10_000)))
                ]
            )
            for packet in film.demux(film.streams.video[0]):
                if packet.dts is not None:
                    packet.stream = stream
                    made.mux(packet)
        for store in (self.fresh().facts, self.fresh().facts):  # looked at, and read back from what is kept
            cut = clip_cut_list(store.clip(str(path)))
            told = [(m.name, m.start, m.stop) for m in cut.marked]
            self.assertEqual(told, [("Reef", 0, 100), ("Chapter 2", 100, 250)])

    def test_a_sequence_without_its_media_still_comes_in(self) -> None:
        self.moved({"reef.mp4": "reef.mp4"})
        batch, refused = gather(Batch(), self.folder, [self.path], self.fresh().facts)
        self.assertEqual(len(batch.sources), 1)
        self.assertIn("reef.mp4", refused[0].sentence)
