"""Every codec in every container, every rate control, and pairs of everything else: made, joined and proved."""

from __future__ import annotations

import itertools
import unittest
from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av
import numpy as np

from chronocast.media.piece.here import is_here
from chronocast.model.recipe.contradictions import conflicts, level_conflicts, profile_reasons, usual_profile
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.formats.languages import own_code
from chronocast.model.recipe.formats.levels import levels
from chronocast.model.recipe.recipe import (
    FrameSize,
    PictureRecipe,
    RateControl,
    Recipe,
    SoundRecipe,
    StillsTaken,
)
from chronocast.model.time.timing import FrameRange
from tests.footage import clip, counted, counters, folder
from tests.making import Maker

SIZE = FrameSize(mode="fixed", width=160, height=96)


def size_for(codec: str) -> FrameSize:
    """160×96, or the smallest that a codec is defined for."""
    return SIZE if PICTURE[codec].least <= (160, 96) else FrameSize(mode="fixed", width=256, height=144)


def picture(codec: str, **more: Any) -> PictureRecipe:
    kind = PICTURE[codec]
    control = RateControl(
        mode=kind.modes[-1] if kind.modes else "quality",
        quality=kind.quality[2] * 0.5 if kind.quality else 20,
    )
    return PictureRecipe(
        **(
            {
                "codec": codec,
                "size": size_for(codec),
                "effort": "fast",
                "framing": "stretch",
                "rate_control": control,
            }
            | more
        )
    )


def sound(codec: str | None, **more: Any) -> SoundRecipe | None:
    return SoundRecipe(**({"codec": codec, "bits_per_second": 96_000} | more)) if codec else None


class Formats(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = folder()
        cls.source = clip(cls.folder / "source.mp4", 7, 60)
        cls.maker = Maker(cls.folder, cls.source)
        cls.short = FrameRange(4, 30)

    @classmethod
    def tearDownClass(cls) -> None:
        cls.maker.readers.close()

    def proved(self, recipe: Recipe) -> Any:
        path, checks = self.maker.make(recipe, self.short)
        wrong = [f"{check.name}: {check.found}, not {check.expected}" for check in checks if not check.ok]
        self.assertEqual(wrong, [], recipe.id)
        return path

    def test_every_codec_in_every_container_with_every_sound(self) -> None:
        count = 0
        for box in CONTAINERS.values():
            for codec in box.picture or (None,):
                for heard in (*box.sound, *((None,) if codec else ())):
                    with self.subTest(container=box.id, picture=codec, sound=heard):
                        recipe = Recipe(
                            id=f"{box.id}-{codec}-{heard}".lower(),
                            name="A",
                            container=box.id,
                            picture=picture(codec) if codec else None,
                            sound=sound(heard),
                        )
                        self.assertEqual(conflicts(recipe), [])
                        path = self.proved(recipe)
                        count += 1
                        if codec and box.id != "images":
                            self.assertEqual(counters(path), [(7, n) for n in range(4, 30)])
        self.assertGreater(count, 70)

    def test_images_are_the_very_pictures_in_order(self) -> None:
        for codec in CONTAINERS["images"].picture:
            recipe = Recipe(
                id=f"frames-{codec}",
                name="A",
                container="images",
                picture=picture(codec, size=FrameSize()),
                sound=None,
            )
            files = sorted(self.proved(recipe).iterdir())
            self.assertEqual(
                [counters(file)[0] for file in (files[0], files[13], files[25])],
                [(7, 4), (7, 17), (7, 29)],
                codec,
            )
        for stills, wanted in (
            (StillsTaken(mode="first"), [4]),
            (StillsTaken(mode="middle"), [17]),
            (StillsTaken(mode="interval", seconds=0.4), [4, 14, 24]),
        ):
            with self.subTest(stills.mode):
                recipe = Recipe(
                    id=f"some-{stills.mode}",
                    name="A",
                    container="images",
                    picture=picture("png", size=FrameSize(), stills=stills),
                    sound=None,
                )
                found = [counters(file)[0] for file in sorted(self.proved(recipe).iterdir())]
                self.assertEqual(found, [(7, n) for n in wanted])

    def test_every_rate_control_of_every_codec(self) -> None:
        for codec in PICTURE.values():
            if codec.kind == "images":
                continue
            for mode in codec.modes:
                with self.subTest(codec=codec.id, mode=mode):
                    peak = 700_000 if mode in codec.peaks else None
                    control = RateControl(
                        mode=mode,
                        target_bits_per_second=400_000,
                        peak_bits_per_second=peak,
                        buffer_bits=peak,
                        quality=codec.quality[2] if codec.quality else 20,
                    )
                    self.proved(
                        Recipe(
                            id=f"{codec.id}-{mode.replace(' ', '-')}",
                            name="A",
                            container="mkv",
                            picture=picture(codec.id, rate_control=control),
                            sound=None,
                        )
                    )
            for grade in codec.grades:
                with self.subTest(codec=codec.id, grade=grade.id):
                    path = self.proved(
                        Recipe(
                            id=f"{codec.id}-{grade.id}",
                            name="A",
                            container="mov",
                            picture=picture(codec.id, grade=grade.id),
                            sound=None,
                        )
                    )
                    with av.open(str(path)) as file:
                        tag = file.streams.video[0].codec_context.codec_tag
                    self.assertTrue(not grade.tag or tag == grade.tag, (tag, grade))

    def test_profiles_and_levels_that_are_offered_come_out(self) -> None:
        for codec in ("h264", "hevc", "mpeg2", "vp9", "av1"):
            kind, usual = PICTURE[codec], picture(codec)
            offered = [name for name in kind.profiles if name not in profile_reasons(usual)]
            self.assertTrue(offered)
            for profile in offered:
                with self.subTest(codec=codec, profile=profile):
                    made = picture(codec, profile=profile)
                    self.proved(
                        Recipe(
                            id=f"{codec}-p-{profile}".replace(":", ""),
                            name="A",
                            container="mkv",
                            picture=made,
                            sound=None,
                        )
                    )
            table = levels(codec, usual_profile(usual)) if codec not in ("vp9", "av1") else ()
            for level in (*table[-1:], *table[3:8:2]):
                made = picture(codec, level=level.name)
                if not level_conflicts(made, 160, 96, Fraction(25)):
                    with self.subTest(codec=codec, level=level.name):
                        self.proved(
                            Recipe(
                                id=f"{codec}-l-{level.name}",
                                name="A",
                                container="mkv",
                                picture=made,
                                sound=None,
                            )
                        )

    def test_tracks_keep_their_languages_and_5_1_becomes_stereo(self) -> None:
        for box, codec in (("mkv", "flac"), ("mp4", "aac"), ("mov", "pcm"), ("ts", "mp3")):
            with self.subTest(box):
                told = Recipe(
                    id=f"said-{box}",
                    name="A",
                    container=box,
                    picture=picture("h264"),
                    sound=sound(codec, languages=("deu",)),
                )
                with av.open(str(self.proved(told))) as file:
                    self.assertEqual(
                        [own_code(s.metadata.get("language", "")) for s in file.streams.audio], ["deu"]
                    )
        five = self.folder / "five.mkv"
        wave = np.zeros((6, 57600), np.int16)
        wave[2] = (np.sin(np.arange(wave.shape[1]) * 0.1) * 12000).astype(np.int16)  # the centre alone
        with av.open(str(five), "w") as file:
            video: Any = file.add_stream("libx264", rate=25)
            video.width, video.height, video.pix_fmt = 160, 96, "yuv420p"
            heard: Any = file.add_stream("pcm_s16le", rate=48000, layout="5.1")
            heard.metadata["language"] = "eng"
            for number in range(30):
                frame = av.VideoFrame.from_ndarray(
                    np.full((96, 160, 3), 90, np.uint8), format="rgb24"
                ).reformat(format="yuv420p")
                frame.pts = number
                file.mux(video.encode(frame))
            block = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(wave.T.reshape(1, -1)), format="s16", layout="5.1"
            )
            block.sample_rate = 48000
            for packets in (heard.encode(block), heard.encode(None), video.encode(None)):
                file.mux(packets)
        recipe = Recipe(
            id="folded",
            name="A",
            container="mkv",
            picture=picture("h264"),
            sound=sound("flac", layout="stereo"),
        )
        path, checks = Maker(self.folder, five).make(recipe)
        self.assertEqual([check for check in checks if not check.ok], [])
        with av.open(str(path)) as file:
            self.assertEqual(file.streams.audio[0].metadata.get("language"), "eng")
            samples = np.concatenate(
                [frame.to_ndarray().reshape(-1, 2) for frame in file.decode(audio=0)]
            ).astype(float)
        left, right = (float(np.abs(samples[:, side]).max()) for side in (0, 1))
        self.assertGreater(left, 0)
        self.assertAlmostEqual(left / right, 1.0, 2)

    def test_every_codec_carries_the_source_s_colour_or_what_stands_for_it(self) -> None:
        for number, tags in enumerate(
            ((2, 2, 2, 0), (1, 1, 1, 1), (9, 16, 9, 1), (5, 6, 5, 1), (1, 1, 1, 2), (2, 2, 2, 2))
        ):
            source = self.folder / f"colour-{number}.mp4"
            with av.open(str(source), "w") as file:
                stream: Any = file.add_stream("libx264", rate=25)
                stream.width, stream.height, stream.pix_fmt = (
                    320,
                    180,
                    "yuvj420p" if tags[3] == 2 else "yuv420p",
                )
                context = stream.codec_context
                context.color_primaries, context.color_trc, context.colorspace, context.color_range = tags
                for at, array in enumerate(counted(1, 6)):
                    frame = av.VideoFrame.from_ndarray(array, format="rgb24").reformat(format=stream.pix_fmt)
                    frame.pts = at
                    file.mux(stream.encode(frame))
                file.mux(stream.encode(None))
            maker = Maker(self.folder, source)
            for codec in PICTURE:
                for box in (item.id for item in CONTAINERS.values() if codec in item.picture):
                    with self.subTest(tags=tags, codec=codec, container=box):
                        recipe = Recipe(
                            id=f"{codec}-{box}",
                            name="A",
                            container=box,
                            picture=picture(codec, size=FrameSize()),
                            sound=None,
                        )
                        _, checks = maker.make(recipe, name=f"colour-{number}-{codec}")
                        self.assertEqual([(c.name, c.expected, c.found) for c in checks if not c.ok], [])

    def test_both_encoders_of_a_format_are_proved(self) -> None:
        for codec in PICTURE.values():
            for encoder in codec.encoders[1:]:
                self.assertTrue(is_here(encoder))
                self.proved(
                    Recipe(
                        id=f"by-{encoder}".replace("_", "-"),
                        name="A",
                        container="mov",
                        picture=picture(codec.id, encoder=encoder),
                        sound=None,
                    )
                )

    def test_pairs_of_everything_else(self) -> None:
        rows = list(covering(CHOICES))
        self.assertLess(len(rows), 160)
        seen: set[tuple[Any, ...]] = set()
        self.short = FrameRange(4, 16)
        for number, row in enumerate(rows):
            with self.subTest(**{key: str(value) for key, value in row.items()}):
                self.proved(recipe_of(row, number))
            seen |= set(pairs(row))
        possible = {pair for pair in all_pairs(CHOICES) if fits_somehow(pair)}
        self.assertEqual(possible - seen, set())


CHOICES: dict[str, tuple[Any, ...]] = {
    "codec": ("h264", "hevc", "av1", "vp9", "mpeg2", "prores", "ffv1"),
    "container": ("mp4", "mov", "mkv", "webm", "mxf", "ts"),
    "mode": ("constant", "variable", "two pass", "quality"),
    "samples": ((8, "4:2:0"), (8, "4:2:2"), (10, "4:2:0"), (10, "4:2:2"), (None, None)),
    "scan": ("progressive", "top first", "bottom first"),
    "effort": ("fast", "medium"),
    "rate": (None, "50"),
    "keys": (0.2, 2.0),
    "sound": ("aac", "opus", "pcm", "flac", "mp3", None),
    "layout": ("mono", "stereo", "5.1"),
    "framing": ("fit", "fill", "stretch"),
}


def recipe_of(row: dict[str, Any], number: int = 0) -> Recipe:
    """The recipe that a row of choices stands for."""
    peak = 900_000 if row["mode"] in PICTURE[row["codec"]].peaks else None
    control = RateControl(
        mode=row["mode"],
        target_bits_per_second=500_000,
        peak_bits_per_second=peak,
        quality=(PICTURE[row["codec"]].quality or (0, 0, 20))[2],
    )
    return Recipe(
        id=f"row-{number}",
        name="A",
        container=row["container"],
        picture=PictureRecipe(
            codec=row["codec"],
            size=size_for(row["codec"]),
            effort=row["effort"],
            depth=row["samples"][0],
            chroma=row["samples"][1],
            scan=row["scan"],
            rate=row["rate"],
            key_frame_seconds=row["keys"],
            framing=row["framing"],
            rate_control=control,
        ),
        sound=sound(row["sound"], layout=row["layout"]),
    )


def _agrees(row: dict[str, Any]) -> bool:
    if row["codec"] in ("prores", "ffv1") and row["mode"] != "quality":
        return False  # they have no rate control: one row stands for all
    if row["codec"] == "prores" and row["samples"] != (None, None):
        return False
    recipe = recipe_of(row)
    assert recipe.picture
    rate = Fraction(row["rate"] or 25)
    return not conflicts(recipe) and not level_conflicts(recipe.picture, 160, 96, rate)


def pairs(row: dict[str, Any]) -> list[tuple[Any, ...]]:
    """All pairs of choices in a row."""
    return list(itertools.combinations(sorted(row.items(), key=lambda item: item[0]), 2))


def all_pairs(choices: dict[str, tuple[Any, ...]]) -> Iterator[tuple[Any, ...]]:
    """Every pair of choices there could be."""
    for one, two in itertools.combinations(sorted(choices), 2):
        for a in choices[one]:
            for b in choices[two]:
                yield ((one, a), (two, b))


_SOMEHOW: dict[tuple[Any, ...], dict[str, Any] | None] = {}


def fits_somehow(pair: tuple[Any, ...]) -> bool:
    """Whether any agreeing recipe has a pair."""
    return _completed(dict(pair)) is not None


def _completed(fixed: dict[str, Any]) -> dict[str, Any] | None:
    """An agreeing row with these choices: searched over what can contradict them, the rest as usual."""
    key = tuple(sorted(fixed.items(), key=lambda item: item[0]))
    if key in _SOMEHOW:
        return _SOMEHOW[key]
    rest = {"effort": "fast", "rate": None, "keys": 2.0, "framing": "fit"} | fixed
    free = [
        name
        for name in ("codec", "container", "mode", "samples", "scan", "sound", "layout")
        if name not in fixed
    ]
    found = None
    for values in itertools.product(*(CHOICES[name] for name in free)):
        row = rest | dict(zip(free, values, strict=True))
        if _agrees(row):
            found = row
            break
    _SOMEHOW[key] = found
    return found


def covering(choices: dict[str, tuple[Any, ...]]) -> Iterator[dict[str, Any]]:
    """Rows that agree with themselves and have every possible pair: greedy, each row taking in as many as it can."""
    open_pairs = [pair for pair in all_pairs(choices) if fits_somehow(pair)]
    left = dict.fromkeys(open_pairs)
    while left:
        row = dict(_completed(dict(next(iter(left)))) or {})
        held = {name for name, _ in next(iter(left))}
        for name in choices:
            if name in held:
                continue
            best, gain = row[name], -1
            for value in choices[name]:
                other = row | {name: value}
                won = sum(pair in left for pair in pairs(other))
                if won > gain and _agrees(other):
                    best, gain = value, won
            row[name] = best
        for pair in pairs(row):
            left.pop(pair, None)
        yield row


class Fields(unittest.TestCase):
    """Interlaced files, field by field."""

    def test_each_field_is_the_moment_it_should_be(self) -> None:
        place = folder()
        source = clip(place / "fifty.mp4", 3, 120, width=640, height=360, rate=Fraction(50))
        maker = Maker(place, source)
        for codec in ("h264", "mpeg2"):
            for scan in ("top first", "bottom first"):
                with self.subTest(codec=codec, scan=scan):
                    recipe = Recipe(
                        id=f"{codec}-{scan.split()[0]}",
                        name="A",
                        container="mxf" if codec == "mpeg2" else "mov",
                        sound=None,
                        picture=PictureRecipe(
                            codec=codec,
                            scan=scan,
                            rate="25",
                            rate_control=RateControl(mode="quality", quality=4 if codec == "mpeg2" else 16),
                        ),
                    )
                    path, checks = maker.make(recipe)
                    self.assertEqual([check for check in checks if not check.ok], [])
                    self.assertEqual(self.fields(path, scan), [(3, n) for n in range(120)])

    def fields(self, path: Any, scan: str) -> list[Any]:
        """Counters of all fields in the order they are shown."""
        from chronocast.demo.counter import read
        from chronocast.media.source.decode import luma

        found = []
        with av.open(str(path)) as file:
            for frame in file.decode(file.streams.video[0]):
                gray = luma(frame)
                top, bottom = (np.repeat(gray[n::2], 2, axis=0) for n in (0, 1))
                found += [read(half) for half in ((top, bottom) if scan == "top first" else (bottom, top))]
        return found
