"""Pieces: where outputs are cut, what a name depends on, what the stock promises."""

from __future__ import annotations

import json
import tempfile
import unittest
import warnings
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import BaseModel

from chronocast.model.messages.jobs import EncoderSettings, PieceJob, SoundJob
from chronocast.model.recipe.supplied import BASIC
from chronocast.model.source.cutlist import CutList, MediaRef, PictureSpan, SoundSpan, plain_span
from chronocast.model.source.shown_clips import shots
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.cut import cut
from chronocast.pieces.name import PieceNamer, piece_name, sound_name
from chronocast.pieces.plan import plan_output
from chronocast.pieces.stock import Stock

RATE = Fraction(25)


def spans(lengths: list[tuple[int, int]]) -> list[PictureSpan]:
    """Spans one after another from (frames, first source frame)."""
    at, found = 0, []
    for number, (frames, first) in enumerate(lengths):
        found.append(
            plain_span(at, frames, MediaRef(path=f"/m/{number}", fingerprint=f"mark{number}"), first)
        )
        at += frames
    return found


takes = st.lists(st.tuples(st.integers(1, 900), st.integers(0, 2000)), min_size=1, max_size=12)


class Cutting(unittest.TestCase):
    @given(takes)
    def test_pieces_cover_everything_once_and_none_is_short(self, lengths: list[tuple[int, int]]) -> None:
        made = cut(spans(lengths), RATE)
        total = sum(frames for frames, _ in lengths)
        self.assertEqual(
            [frame for piece in made for frame in (piece.start, piece.stop)][1:-1:2],
            [p.start for p in made[1:]],
        )
        self.assertEqual((made[0].start, made[-1].stop), (0, total))
        if total >= 50:
            self.assertTrue(all(len(piece) >= 50 for piece in made))
        self.assertTrue(
            all(len(piece) < 400 for piece in made), "8 s, and 4 s drawn in from both sides at most"
        )

    @given(st.integers(400, 3000), st.integers(0, 500), st.integers(50, 400))
    def test_an_insertion_before_a_take_leaves_its_inner_boundaries(
        self, frames: int, first: int, inserted: int
    ) -> None:
        def inner(made: tuple[FrameRange, ...], offset: int) -> set[int]:
            return {piece.start - offset + first for piece in made if piece.start > offset}

        alone = inner(cut(spans([(frames, first)]), RATE), 0)
        after = inner(cut(spans([(inserted, 0), (frames, first)]), RATE), inserted)
        self.assertEqual(alone, after)


def cut_list(names: tuple[str, str] = ("a", "b"), folder: str = "/media") -> CutList:
    first, second = (MediaRef(path=f"{folder}/{name}.mp4", fingerprint=f"print-{name}") for name in names)
    sound = (
        SoundSpan(start=Fraction(0), seconds=Fraction(12), media=first),
        SoundSpan(start=Fraction(12), seconds=Fraction(8), media=second),
    )
    picture = (plain_span(0, 300, first), plain_span(300, 200, second, 40))
    return CutList(rate=RATE, width=1280, height=720, frames=500, picture=picture, sound=sound)


class Naming(unittest.TestCase):
    def names(self, source: CutList, recipe: int = 0) -> list[str]:
        return [
            piece.name for piece in plan_output(source, FrameRange(0, source.frames), BASIC[recipe]).pieces
        ]

    def test_places_and_names_of_files_are_not_in_a_name(self) -> None:
        self.assertEqual(self.names(cut_list()), self.names(cut_list(folder="/elsewhere")))
        renamed = BASIC[0].model_copy(update={"name": "Something else", "id": "other", "purpose": ""})
        one = plan_output(cut_list(), FrameRange(0, 500), BASIC[0])
        two = plan_output(cut_list(), FrameRange(0, 500), renamed)
        self.assertEqual([p.name for p in one.pieces], [p.name for p in two.pieces])

    def test_a_changed_clip_changes_only_its_pieces(self) -> None:
        before, after = self.names(cut_list(("a", "b"))), self.names(cut_list(("a", "c")))
        same = [x == y for x, y in zip(before, after, strict=True)]
        self.assertEqual(same, [True, True, False])

    def test_what_was_worked_out_of_a_cut_stays_behind_where_another_is_made_of_it(self) -> None:
        cut = cut_list()
        self.assertEqual((len(shots(cut)), len(cut.media)), (2, 2))
        other = cut.model_copy(update={"picture": cut.picture[:1], "sound": (), "frames": 300})
        self.assertEqual((len(shots(other)), len(other.media)), (1, 1))
        self.assertEqual(other, CutList.model_validate(other.model_dump()))

    def test_a_setting_that_changes_bits_changes_names(self) -> None:
        self.assertFalse(set(self.names(cut_list(), 0)) & set(self.names(cut_list(), 1)))

    def test_untagged_colour_is_tagged_only_where_players_would_misread_it(self) -> None:
        untagged = cut_list().model_copy(update={"tags": (2, 2, 2, 1)})
        found = [plan_output(untagged, FrameRange(0, 50), BASIC[n]).settings.colour for n in (0, 1)]
        self.assertEqual(found, [(2, 2, 2, 1), (1, 1, 1, 1)], "720 lines are taken for BT.709, 360 are not")

    def test_sound_is_cut_to_the_sample(self) -> None:
        source = cut_list()
        for start, stop in ((0, 500), (7, 331), (299, 301)):
            sound = plan_output(source, FrameRange(start, stop), BASIC[0]).sound
            assert sound is not None
            self.assertEqual(sound.samples, (stop - start) * 1920)
            self.assertEqual(sum(span.seconds for span in sound.spans), Fraction(stop - start, 25))
            self.assertEqual(sound.spans[0].start, 0)


class Alike(unittest.TestCase):
    def test_outputs_that_are_alike_share_what_is_alike(self) -> None:
        sources = [cut_list(), cut_list(("c", "d"))]
        one, other = (plan_output(source, FrameRange(0, 500), BASIC[0]) for source in sources)
        self.assertIs(one.settings, other.settings)
        self.assertNotEqual(one.pieces[0].name, other.pieces[0].name)
        renamed = BASIC[0].model_copy(update={"name": "Other"})
        again = plan_output(sources[0], FrameRange(0, 500), renamed)
        self.assertIs(again.sound, one.sound)

    @given(st.data())
    def test_whatever_was_planned_before_a_plan_is_what_it_would_be_alone(self, data: st.DataObject) -> None:
        sources = [cut_list(), cut_list().model_copy(update={"rate": Fraction(50)}), cut_list(("c", "d"))]
        sources.append(sources[0].model_copy(update={"width": 640, "height": 360}))
        asked = st.tuples(
            st.sampled_from(sources), st.sampled_from(BASIC), st.booleans(), st.integers(60, 500)
        )
        for source, recipe, accepted, stop in data.draw(st.lists(asked, min_size=2, max_size=6)):
            alone = source.model_copy(deep=True), FrameRange(0, stop), recipe.model_copy(deep=True)
            told = plan_output(source, FrameRange(0, stop), recipe, accept_damage=accepted)
            self.assertEqual(told, plan_output(*alone, accept_damage=accepted))


def changed(value: object) -> object:
    """Another value of about the same kind."""
    match value:
        case bool():
            return not value
        case int() | Fraction():
            return value + 1
        case dict():
            return {**value, "other": "1"}
        case tuple():
            return (*value, "other")
        case _:
            return f"{value or ''}other"


def variants(value: Any, path: str = "") -> Iterator[tuple[str, Any]]:
    """Every field of a value, however deep it lies, changed alone: its place, and the whole value with the change."""
    if isinstance(value, BaseModel):
        for name in type(value).model_fields:
            for deeper, made in variants(getattr(value, name), f"{path}.{name}".lstrip(".")):
                yield deeper, value.model_copy(update={name: made})
    elif isinstance(value, tuple) and value and isinstance(value[0], BaseModel | tuple):
        for deeper, made in variants(value[0], path):
            yield deeper, (made, *value[1:])
    else:
        yield path, changed(value)


class WholeName(unittest.TestCase):
    """A name is the whole job, less what is listed."""

    def check(self, job: PieceJob | SoundJob, name: Callable[[Any, str], str], labels: set[str]) -> None:
        before, seen = name(job, "library 1"), set()
        for path, other in variants(job):
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # that the changed values are no good ones
                same = name(other, "library 1") == before
            self.assertEqual(same, path in labels, path)
            seen.add(path)
        self.assertLessEqual(labels, seen, "no label is listed that isn't there")
        self.assertGreater(len(seen), 12)
        self.assertNotEqual(name(job, "library 2"), before)

    def test_every_field_of_a_piece_is_in_its_name_or_on_the_list(self) -> None:
        media = MediaRef(path="/m/a.mov", fingerprint="a")
        span = plain_span(0, 50, media).model_copy(update={"name": "edit"})
        job = PieceJob(
            name="n",
            target="t",
            rate=RATE,
            width=320,
            height=180,
            canvas=(320, 180),
            spans=(span,),
            settings=EncoderSettings(encoder="libx264", options={"crf": "20"}),
        )
        labels = {"name", "target", "accept_damage", "measure_every", "digested", "base", "base_digest"}
        labels |= {"spans.name", "spans.layers.media.path"}
        self.check(job, piece_name, labels)

    def test_many_are_named_as_each_alone(self) -> None:
        namer, job = PieceNamer(), plan_output(cut_list(), FrameRange(0, 500), BASIC[0]).pieces[0]
        for _, other in variants(job):
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                for one in (other, job, job.model_copy(update={"name": "same"})):
                    self.assertEqual(namer.name(one, "library"), piece_name(one, "library"))
        self.assertNotEqual(namer.name(job, "another"), piece_name(job, "library"))

    def test_every_field_of_a_sound_is_in_its_name_or_on_the_list(self) -> None:
        media = MediaRef(path="/m/a.mov", fingerprint="a")
        span = SoundSpan(start=Fraction(0), seconds=Fraction(1), media=media)
        job = SoundJob(
            name="n",
            target="t",
            samples=48_000,
            sample_rate=48_000,
            channels=2,
            codec="aac",
            bits_per_second=96_000,
            spans=(span,),
            tracks=((span,), (span,)),
            languages=("eng", "deu"),
        )
        labels = {"name", "target", "accept_damage", "languages", "spans.media.path", "tracks.media.path"}
        self.check(job, sound_name, labels)


class Keeping(unittest.TestCase):
    def test_only_a_kept_piece_is_found(self) -> None:
        stock = Stock(Path(tempfile.mkdtemp()) / "stock")
        temporary = stock.temporary("ab" * 20, "1")
        temporary.write_bytes(b"half")
        self.assertIsNone(stock.find("ab" * 20))
        kept = stock.keep(temporary, "ab" * 20, {"frames": 3})
        self.assertEqual((stock.find("ab" * 20), kept.bytes, stock.size("ab" * 20)), (kept, 4, 4))
        self.assertEqual(
            json.loads(kept.path.with_suffix(".json").read_text()).items() & {"frames": 3}.items(),
            {"frames": 3}.items(),
        )
        self.assertEqual([k.name for k in stock.all()], ["ab" * 20])

    @settings(max_examples=20)
    @given(st.integers(0, 5))
    def test_sweeping_removes_temporaries_only(self, count: int) -> None:
        stock = Stock(Path(tempfile.mkdtemp()))
        stock.keep(self._write(stock.temporary("cd" * 20, "0")), "cd" * 20, {})
        for number in range(count):
            self._write(stock.temporary("ef" * 20, str(number)))
        left = stock.path("cd" * 20).parent / ".seams.part x"  # of whoever was killed while proving a copy
        left.mkdir()
        self._write(left / "joined.mp4")
        self.assertEqual(stock.sweep(older_than_seconds=-1), count + 1)
        self.assertFalse(left.exists())
        self.assertIsNotNone(stock.find("cd" * 20))

    def _write(self, path: Path) -> Path:
        path.write_bytes(b"x")
        return path
