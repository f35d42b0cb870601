"""Where films are cut without encoding them, and how bits are read and written for that: by properties, on made-up streams."""

from __future__ import annotations

import unittest
from fractions import Fraction

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.media.bitstream import hevc, mpeg2
from chronocast.media.bitstream.avc import AvcConfiguration, AvcStream, merged
from chronocast.media.bitstream.avc_references import References
from chronocast.media.bitstream.avc_slice import Field, SliceHeader
from chronocast.media.bitstream.bits import BitReader, BitWriter, StreamUnreadable, escaped, unescaped
from chronocast.media.bitstream.nal import packed, units_in
from chronocast.media.source.index import FrameIndex
from chronocast.media.source.scenes import scenes_of
from chronocast.model.source.cutlist import Fade, Layer, MediaRef, PictureSpan, SoundSpan
from chronocast.model.source.facts import ClipFacts, GroupFacts, KeyFrame
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.cut import cut, cut_around
from chronocast.pieces.whole_groups import whole_groups

RATE = Fraction(25)
payloads = st.binary(min_size=1, max_size=60) | st.lists(
    st.sampled_from([0, 0, 0, 1, 2, 3, 255]), min_size=1, max_size=60
).map(bytes)


moments = st.fractions(0, 20, max_denominator=48)


class Heard(unittest.TestCase):
    @given(moments, moments, moments, moments, st.sampled_from([Fraction(1), Fraction(25, 24)]))
    def test_a_part_of_a_sound_is_heard_when_and_as_in_all_of_it(
        self, start: Fraction, seconds: Fraction, first: Fraction, length: Fraction, speed: Fraction
    ) -> None:
        fade = Fade(whole=seconds, rise=seconds / 3)
        whole = SoundSpan(start=start, seconds=seconds, media=MediaRef(path="a"), speed=speed, fade=fade)
        part = whole.part(first, first + length)
        begin, end = max(start, first), min(start + seconds, first + length)
        if begin >= end:
            self.assertIsNone(part)
            return
        assert part is not None and part.fade is not None
        self.assertEqual((part.start + first, part.start + first + part.seconds), (begin, end))
        self.assertEqual(part.media_start, (begin - start) * speed, "the same sound at the same moment")
        self.assertEqual(part.fade.since, begin - start, "as far in its fade")
        self.assertEqual(whole.part(Fraction(0), start + seconds), whole if seconds else None)


class Bits(unittest.TestCase):
    @given(st.lists(st.tuples(st.integers(0, 2**16), st.booleans()), max_size=30), st.binary(max_size=400))
    def test_numbers_are_read_as_they_were_written(
        self, numbers: list[tuple[int, bool]], rest: bytes
    ) -> None:
        made = BitWriter()
        for number, coded in numbers:
            if coded:
                made.unsigned(number)
            else:
                made.put(number, 17)
        read = BitReader(made.filled() + rest)  # far more follows a header than a header is long
        self.assertEqual(
            [read.unsigned() if coded else read.take(17) for _, coded in numbers], [n for n, _ in numbers]
        )

    @given(payloads)
    def test_escaped_payloads_hold_no_start_code_and_come_back(self, payload: bytes) -> None:
        made = escaped(payload)
        self.assertNotRegex(made, rb"(?s)\x00\x00[\x00-\x02]")
        if not payload.endswith(b"\x00"):  # payloads end with their stop bit
            self.assertEqual(unescaped(made), payload)

    def test_a_header_that_ends_early_says_so(self) -> None:
        with self.assertRaises(StreamUnreadable):
            BitReader(b"\x00").unsigned()
        for zeros, ends in ((bytes(5) + b"\xff" * 9, "too long"), (bytes(4) + b"\xff", "ends early")):
            with self.assertRaisesRegex(StreamUnreadable, ends):
                BitReader(zeros).unsigned()

    @given(st.lists(st.binary(min_size=2, max_size=40), min_size=1, max_size=6))
    def test_units_are_the_same_in_every_packing(self, units: list[bytes]) -> None:
        clean = [b"\x41" + escaped(unit + b"\x80") for unit in units]
        self.assertEqual(units_in(packed(clean), 4), clean)
        self.assertEqual(units_in(b"".join(b"\x00\x00\x00\x01" + unit for unit in clean), 0), clean)
        with self.assertRaises(StreamUnreadable):
            units_in(packed(clean) + b"\x00\x00\x7f\xff\x00", 4)


def head(
    number: int,
    forget: tuple[int, ...] = (),
    lists: tuple[tuple[tuple[int, int], ...], ...] = (),
    idr: bool = False,
    reference: bool = True,
) -> SliceHeader:
    """A slice's header of H.264, of a stream whose pictures have 16 numbers; ``forget`` are differences of numbers."""
    nowhere = Field(0, 0)
    told = tuple((1, difference) for difference in forget)
    kind = 5 if idr else 1
    return SliceHeader(
        kind, 0, nowhere, reference, False, True, True, number, nowhere, 4, 0, nowhere, 4, lists, nowhere, told, nowhere, 0
    )  # fmt: skip


class Held(unittest.TestCase):
    """What a decoder of H.264 holds (Rec. ITU-T H.264, 8.2.5)."""

    def places(self, references: References) -> list[int]:
        return [one.place for one in references.held]

    def test_the_oldest_goes_where_all_is_full_unless_something_is_forgotten(self) -> None:
        references = References(3, 16)
        for place in range(4):
            references.see(place, head(place))
        self.assertEqual(self.places(references), [1, 2, 3])
        references.see(4, head(4, forget=(2,)))
        self.assertEqual(self.places(references), [1, 3, 4], "the one two numbers back, and no other")
        references.see(5, head(5, reference=False))
        self.assertEqual(self.places(references), [1, 3, 4], "nobody refers to it")
        references.see(6, head(0, idr=True))
        self.assertEqual(self.places(references), [6], "it begins anew")

    def test_what_was_before_is_unknown_until_it_has_gone(self) -> None:
        references = References(2, 16, before=2)
        references.see(0, head(15))
        self.assertEqual((self.places(references), references.of(15), references.of(14)), ([-1, 0], 0, -1))
        references.see(1, head(0))
        self.assertEqual(self.places(references), [0, 1])
        back_and_forth = (((0, 1), (1, 1)),)
        self.assertEqual(references.ordered(head(0, lists=back_and_forth)), [(0, 1)], "numbers go round")

    @given(st.lists(st.tuples(st.booleans(), st.lists(st.integers(1, 6), max_size=3)), max_size=40))
    def test_it_never_holds_more_than_it_may_where_nothing_is_forgotten_in_vain(
        self, told: list[tuple[bool, list[int]]]
    ) -> None:
        references, number = References(4, 16), 0
        for place, (reference, wanted) in enumerate(told):
            held = {one.number for one in references.held}
            forget = tuple({d for d in wanted if (number - d) % 16 in held})
            references.see(place, head(number, forget, reference=reference))
            number = (number + reference) % 16
            self.assertLessEqual(len(references.held), 4)
            self.assertEqual(self.places(references), sorted(self.places(references)))


def baseline(number: int, level: int = 30) -> bytes:
    """A sequence set of H.264, Baseline, whole frames."""
    bits = BitWriter()
    for value, count in ((0x67, 8), (66, 8), (0, 8), (level, 8)):
        bits.put(value, count)
    for value in (number, 0, 2, 1):  # its number, numbers of 4 bits, order type 2, one reference
        bits.unsigned(value)
    bits.put(0, 1)
    bits.unsigned(19), bits.unsigned(11)  # type: ignore[func-returns-value]
    bits.put(1, 1)
    bits.put(1, 1)
    return bits.filled()


def picture_set(number: int, quantizer: int = 0) -> bytes:
    """A picture set of H.264 without arithmetic codes."""
    bits = BitWriter()
    bits.put(0x68, 8)
    bits.unsigned(number), bits.unsigned(number)  # type: ignore[func-returns-value]
    bits.put(0, 2)
    bits.unsigned(0), bits.unsigned(0), bits.unsigned(0)  # type: ignore[func-returns-value]
    bits.put(0, 3)
    bits.unsigned(quantizer), bits.unsigned(0), bits.unsigned(0)  # type: ignore[func-returns-value]
    bits.put(0, 3)
    return bits.filled()


class Sets(unittest.TestCase):
    def described(self, number: int, level: int = 30, quantizer: int = 0) -> bytes:
        head = bytes([66, 0, level])
        return AvcConfiguration(head, (baseline(number, level),), (picture_set(number, quantizer),)).written()

    def test_sets_of_two_streams_stand_in_one_description_with_the_higher_level(self) -> None:
        one, other = self.described(0), self.described(7, 41)
        both = AvcConfiguration.read(merged([one, other, one]))
        self.assertEqual((len(both.sequence), len(both.picture), both.head[2]), (2, 2, 41))
        self.assertEqual(merged([one, one]), one)
        self.assertEqual(AvcStream(both.written()).sets.numbers, {0, 7})
        self.assertEqual(AvcStream(both.written()).sets.level, 41)

    def test_sets_that_differ_and_have_the_same_number_don_t(self) -> None:
        with self.assertRaises(StreamUnreadable):
            merged([self.described(0), self.described(0, quantizer=3)])

    def test_what_isn_t_a_description_is_refused(self) -> None:
        for broken in (b"", b"\x01", b"\x01\x42\x00\x1e\xff\xe1\x00", b"\x00\x00\x01\x09\x10"):
            with self.subTest(broken), self.assertRaises(StreamUnreadable):
                AvcStream(broken)
        for codec in (hevc.HevcStream, mpeg2.Mpeg2Stream):
            with self.assertRaises(StreamUnreadable):
                codec(b"\x01\x02\x03")


keys = st.lists(
    st.tuples(st.integers(1, 60), st.integers(0, 3), st.sampled_from(["closed", "open", "never"])),
    min_size=1,
    max_size=25,
)


def clip_of(gaps: list[tuple[int, int, str]]) -> ClipFacts:
    """A film with key frames at such distances."""
    found, at = [KeyFrame(0, 0, "closed")], 0
    for gap, leading, begin in gaps:
        at += gap
        found.append(KeyFrame(at, 0 if begin == "closed" else min(leading, gap - 1), begin))  # type: ignore[arg-type]
    return ClipFacts(
        "/m.mp4", "m", 1_000_000, at + 30, RATE, 320, 180, Fraction(1), "progressive", "h264", "yuv420p", (), 1.0, 1_000_000,
        None, groups=GroupFacts(tuple(found), "s", (0,), 30),
    )  # fmt: skip


class Groups(unittest.TestCase):
    @settings(max_examples=200)
    @given(keys, st.integers(0, 200), st.integers(1, 900))
    def test_runs_are_whole_groups_inside_the_take(
        self, gaps: list[tuple[int, int, str]], first: int, frames: int
    ) -> None:
        clip = clip_of(gaps)
        first = min(first, clip.frames - 1)
        frames = min(frames, clip.frames - first)
        layer = Layer(media=MediaRef(path="/m.mp4"), start=Fraction(first), last=clip.frames - 1)
        runs = whole_groups(layer, frames, clip)
        assert clip.groups is not None
        begins = {key.number for key in clip.groups.keys if key.begin != "never"}
        ends = {key.number - key.leading for key in clip.groups.keys} | {clip.frames}
        at = 0
        for run in runs:
            self.assertGreaterEqual(run.start, at)
            self.assertLessEqual(run.stop, frames)
            self.assertIn(first + run.start, begins)
            self.assertIn(first + run.stop, ends)
            at = run.stop

    @settings(max_examples=100)
    @given(keys, st.integers(0, 90))
    def test_inner_boundaries_stay_when_a_take_begins_elsewhere(
        self, gaps: list[tuple[int, int, str]], later: int
    ) -> None:
        clip = clip_of([(gap, 0, "closed") for gap, _, _ in gaps * 24])
        layer = Layer(media=MediaRef(path="/m.mp4"), last=clip.frames - 1)
        whole = whole_groups(layer, clip.frames, clip)
        part = whole_groups(layer.later(later), clip.frames - later, clip)
        ends = [run.stop for run in whole if run.stop > later + 6400]
        self.assertEqual([run.stop + later for run in part][-len(ends) :] if ends else [], ends)

    @settings(max_examples=150)
    @given(st.lists(st.integers(1, 700), min_size=1, max_size=8), st.data())
    def test_pieces_around_runs_cover_everything_once(self, lengths: list[int], data: st.DataObject) -> None:
        spans, at = [], 0
        for number, frames in enumerate(lengths):
            layer = Layer(media=MediaRef(path=f"/{number % 3}.mp4"), start=Fraction(number * 13))
            spans.append(PictureSpan(start=at, frames=frames, layers=(layer,)))
            at += frames
        marks = sorted(set(data.draw(st.lists(st.integers(0, at), max_size=8))))
        runs = [FrameRange(a, b) for a, b in zip(marks[::2], marks[1::2], strict=False) if b > a]
        scenes = {"/0.mp4": (40, 190, 215, 390, 601)}
        pieces = cut_around(spans, RATE, runs, scenes=scenes)
        self.assertEqual([piece.start for piece in pieces], [0, *(piece.stop for piece in pieces[:-1])])
        self.assertEqual(pieces[-1].stop, at)
        self.assertLessEqual(set(runs), set(pieces))


class Scenes(unittest.TestCase):
    def index(self, sizes: list[int], keys: list[int]) -> FrameIndex:
        return FrameIndex(
            "f", Fraction(1, 25), tuple(range(len(sizes))), tuple((k, k) for k in keys), tuple(sizes)
        )

    def test_early_key_frames_and_large_pictures_begin_scenes(self) -> None:
        sizes = [900 if n % 4 == 0 else 300 for n in range(400)]
        regular = [0, 100, 200, 300]
        for key in regular:
            sizes[key] = 20_000
        self.assertEqual(scenes_of(self.index(sizes, regular)), ())
        sizes[150] = 15_000
        self.assertEqual(scenes_of(self.index(sizes, regular)), (150,))
        self.assertEqual(scenes_of(self.index(sizes, [0, 100, 200, 237, 337])), (150, 237, 300))

    def test_whole_pictures_begin_one_where_their_size_changes_and_stays_so(self) -> None:
        noise = np.random.default_rng(4).normal(1, 0.01, 300)
        sizes = [int(size) for size in noise * np.repeat([50_000, 90_000, 60_000], 100)]
        sizes[40] = 80_000  # a flash
        self.assertEqual(scenes_of(self.index(sizes, list(range(300)))), (100, 200))

    def test_a_take_is_cut_where_a_scene_begins_near_the_grid(self) -> None:
        layer = Layer(media=MediaRef(path="/a.mp4"))
        span = PictureSpan(start=0, frames=1000, layers=(layer,))
        self.assertEqual([p.start for p in cut([span], RATE)], [0, 200, 400, 600, 800])
        found = cut([span], RATE, scenes={"/a.mp4": (231, 290, 340, 790)})
        self.assertEqual([p.start for p in found], [0, 231, 340, 600, 790])
        moved = PictureSpan(start=0, frames=900, layers=(layer.later(100),))
        again = cut([moved], RATE, scenes={"/a.mp4": (231, 290, 340, 790)})
        self.assertEqual([p.start + 100 for p in again][1:], [231, 340, 600, 790])
