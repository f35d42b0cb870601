"""Recipes: what agrees, what is changed, what is typed, what is kept on disk."""

from __future__ import annotations

import json
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from chronocast.forecast.sound import sound_bits
from chronocast.journal.library import Library
from chronocast.model.batch.batch import FULL, Batch, read_batch, write_batch
from chronocast.model.batch.columns import (
    MIXED,
    change_recipe,
    common,
    copy_choices,
    exceptions,
    move_recipe,
    remove_recipe,
    set_own,
)
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.batch.exceptions import differences, effective, leaves, with_values
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.errors import ChronocastError, ModelError
from chronocast.model.recipe.contradictions import conflicts, level_conflicts, unavailable
from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS, holding
from chronocast.model.recipe.formats.level_codes import level_code, level_name
from chronocast.model.recipe.formats.levels import broken, least_level, level_of, levels
from chronocast.model.recipe.nearest import as_the_source, picture_codec, sound_codec
from chronocast.model.recipe.recipe import PictureRecipe, RateControl, Recipe, SoundRecipe
from chronocast.model.recipe.recipe_file import read_recipe, recipe_schema, write_recipe
from chronocast.model.recipe.supplied import SUPPLIED, supplied
from chronocast.model.recipe.typed import parse_bits, parse_bytes
from chronocast.model.recipe.wording import telling_name
from chronocast.model.source.facts import ClipFacts, SoundFacts

WEB = supplied("web-720")
assert WEB


class Table(unittest.TestCase):
    def test_every_codec_lies_in_a_container_and_has_an_encoder_s_name(self) -> None:
        for codec in PICTURE.values():
            self.assertTrue(holding(codec.id, None), codec.id)
            self.assertTrue(codec.encoders and codec.samplings)
            self.assertEqual(set(codec.without) & set(codec.modes), set())
            if codec.modes:
                self.assertEqual(
                    set(codec.without) | set(codec.modes), {"constant", "variable", "two pass", "quality"}
                )
        for sound in SOUND.values():
            self.assertTrue(any(sound.id in box.sound for box in CONTAINERS.values()))

    def test_supplied_recipes_agree_and_tell_what_they_make(self) -> None:
        for recipe in SUPPLIED:
            self.assertEqual(conflicts(recipe), [], recipe.id)
            self.assertFalse(recipe.changed)
            self.assertTrue(recipe.purpose)
        self.assertGreaterEqual(len({telling_name(recipe) for recipe in SUPPLIED}), len(SUPPLIED) - 1)


class Agreeing(unittest.TestCase):
    def test_what_excludes_each_other_is_said_with_a_way_out_that_works(self) -> None:
        for values in (
            {"container": "webm"},
            {"container": "wav"},
            {"sound.codec": "opus", "sound.sample_rate": 44100},
            {"picture.codec": "prores"},
            {"picture.codec": "av1", "picture.rate_control.mode": "two pass"},
            {"picture.scan": "top first", "picture.codec": "hevc"},
            {"picture.rate_control.peak_bits_per_second": 1_000_000},
            {"picture.depth": 16},
            {"sound.codec": "mp3", "sound.layout": "5.1"},
            {"picture.profile": "main", "picture.chroma": "4:2:2"},
            {"picture.encoder": "libx265"},
            {"container": "images"},
            {"picture.codec": "av1"},
            {"picture.profile": "no such"},
            {"sound.codec": "mp3", "sound.bits_per_second": 500_000},
        ):
            with self.subTest(values):
                recipe = with_values(WEB, values)
                self.assertTrue(conflicts(recipe))
                for _ in range(8):  # one cure may show the next contradiction
                    if not (left := conflicts(recipe)):
                        break
                    self.assertTrue(left[0].sentence.endswith(".") and left[0].remedy)
                    recipe = with_values(recipe, dict(left[0].changes))
                self.assertEqual(conflicts(recipe), [])

    @given(
        st.sampled_from(sorted(PICTURE)),
        st.sampled_from(sorted(CONTAINERS)),
        st.sampled_from([*sorted(SOUND), None]),
    )
    def test_a_recipe_agrees_exactly_when_the_table_holds_it(
        self, codec: str, box: str, sound: str | None
    ) -> None:
        recipe = Recipe(
            id="a",
            name="A",
            container=box,
            picture=PictureRecipe(
                codec=codec,
                rate_control=RateControl(
                    mode="quality", quality=PICTURE[codec].quality[2] if PICTURE[codec].quality else 20
                ),
            ),
            sound=SoundRecipe(codec=sound) if sound else None,
        )
        self.assertEqual(not conflicts(recipe), box in holding(codec, sound))

    def test_what_cannot_be_had_says_why(self) -> None:
        self.assertIn("common quality", unavailable(PictureRecipe(codec="vp9"))["two pass"])
        self.assertEqual(
            set(unavailable(PictureRecipe(codec="ffv1"))), {"constant", "variable", "two pass", "quality"}
        )
        self.assertEqual(unavailable(PictureRecipe()), {})


class Levels(unittest.TestCase):
    """Against the figures of the standards' own examples."""

    def test_known_levels(self) -> None:
        hd, uhd = (1920, 1080), (3840, 2160)
        for codec, profile, size, rate, bits, wanted in (
            ("h264", "high", hd, 25, 0, "4"),
            ("h264", "high", hd, 50, 0, "4.2"),
            ("h264", "high", hd, 30, 60_000_000, "4.1"),
            ("h264", "main", (720, 576), 25, 0, "3"),
            ("h264", "high", (1280, 720), 30, 0, "3.1"),
            ("h264", "high", (1280, 720), 60, 0, "3.2"),
            ("h264", "high", uhd, 30, 0, "5.1"),
            ("h264", "high", uhd, 60, 0, "5.2"),
            ("h264", "main", hd, 25, 21_000_000, "4.1"),
            ("h264", "high", hd, 25, 21_000_000, "4"),
            ("hevc", "main", hd, 30, 0, "4"),
            ("hevc", "main", hd, 60, 0, "4.1"),
            ("hevc", "main10", uhd, 30, 0, "5"),
            ("hevc", "main10", uhd, 60, 0, "5.1"),
            ("hevc", "main", hd, 30, 13_000_000, "4.1"),
            ("mpeg2", "main", (720, 576), 25, 0, "main"),
            ("mpeg2", "main", hd, 30, 0, "high"),
            ("mpeg2", "4:2:2", hd, 25, 50_000_000, "high"),
            ("av1", "main", hd, 30, 0, "4.0"),
            ("av1", "main", hd, 60, 0, "4.1"),
            ("av1", "main", uhd, 60, 0, "5.1"),
            ("vp9", "0", hd, 30, 0, "4"),
            ("vp9", "0", uhd, 60, 0, "5.1"),
        ):
            found = least_level(codec, profile, width=size[0], height=size[1], rate=Fraction(rate), bits=bits)
            self.assertEqual(found.name if found else None, wanted, (codec, profile, size, rate, bits))

    def test_figures_of_table_a_1(self) -> None:
        for name, samples, bits in (
            ("3", 1620 * 256, 10_000_000),
            ("4.1", 8192 * 256, 50_000_000),
            ("5.2", 36864 * 256, 240_000_000),
        ):
            level = level_of("h264", "main", name)
            assert level
            self.assertEqual((level.picture, level.bits), (samples, bits))
            high = level_of("h264", "high", name)
            assert high
            self.assertEqual(high.bits, bits * 5 // 4)

    def test_fields_are_held_by_the_middle_levels_only(self) -> None:
        for name, holds in (("2", False), ("2.1", True), ("4.1", True), ("4.2", False)):
            level = level_of("h264", "high", name)
            assert level
            self.assertEqual(
                not broken("h264", level, width=320, height=240, rate=Fraction(25), interlaced=True),
                holds,
                name,
            )

    @given(
        st.sampled_from(["h264", "hevc", "av1", "vp9"]),
        st.integers(16, 4096),
        st.integers(16, 2304),
        st.integers(1, 120),
        st.integers(0, 300_000_000),
    )
    def test_levels_are_in_order(self, codec: str, width: int, height: int, rate: int, bits: int) -> None:
        """What fits in a level fits in every later one that allows as many samples, bits and sides."""
        table = levels(codec, "high" if codec == "h264" else "main")
        least = least_level(
            codec,
            "high" if codec == "h264" else "main",
            width=width,
            height=height,
            rate=Fraction(rate),
            bits=bits,
        )
        if least is None:
            return
        for level in table[table.index(least) :]:
            if (
                level.picture >= least.picture
                and level.second >= least.second
                and level.bits >= least.bits
                and level.width >= least.width
                and level.height >= least.height
            ):
                self.assertEqual(
                    broken(codec, level, width=width, height=height, rate=Fraction(rate), bits=bits), ""
                )

    def test_a_level_too_low_is_refused_with_the_limit_and_the_next(self) -> None:
        told = level_conflicts(PictureRecipe(level="3.1"), 1920, 1080, Fraction(25))
        self.assertIn("921,600 samples a picture", told[0].sentence)
        self.assertEqual(told[0].changes, (("picture.level", "4"),))
        self.assertEqual(level_conflicts(PictureRecipe(level="4"), 1920, 1080, Fraction(25)), [])


class Changed(unittest.TestCase):
    def test_a_changed_recipe_never_passes_for_the_saved_one(self) -> None:
        changed = with_values(WEB, {"picture.rate_control.target_bits_per_second": 2_000_000})
        self.assertTrue(changed.changed)
        self.assertIn("changed", changed.title)
        self.assertNotEqual(changed.short_id, WEB.id)
        back = with_values(changed, {"picture.rate_control.target_bits_per_second": 3_000_000})
        self.assertFalse(back.changed)
        renamed = WEB.model_copy(update={"name": "Other", "purpose": ""})
        self.assertFalse(renamed.changed)

    def test_settings_that_are_not_there_or_impossible_are_refused(self) -> None:
        for values in (
            {"picture.nothing": 1},
            {"nothing.codec": 1},
            {"picture.codec": "evil"},
            {"picture.size.width": -4},
            {"picture.rate": "25 or so"},
        ):
            with self.assertRaises(ModelError):
                with_values(WEB, values)

    def test_recipes_are_compared_field_by_field(self) -> None:
        other = with_values(WEB, {"sound": None, "picture.effort": "slow"})
        self.assertEqual({field for field, _, _ in differences(WEB, other)} >= {"picture.effort"}, True)
        self.assertEqual(differences(WEB, WEB.model_copy(update={"name": "B"})), [])


class Typing(unittest.TestCase):
    def test_rates_and_sizes_as_people_say_them(self) -> None:
        for text, bits in (
            ("6", 6_000_000),
            ("3.5M", 3_500_000),
            ("3,5 Mb/s", 3_500_000),
            ("700k", 700_000),
            ("700 kbit/s", 700_000),
            ("2500000", 2_500_000),
            ("2500", 2_500_000),
            ("199", 199_000_000),
            ("200", 200_000),
            ("99999", 99_999_000),
            ("2500 b", 2_500),
            ("1.5 Mbps", 1_500_000),
        ):
            self.assertEqual(parse_bits(text), bits, text)
        for text, size in (
            ("500 MB", 500_000_000),
            ("4 GiB", 4 * 2**30),
            ("1.2GB", 1_200_000_000),
            ("250", 250_000_000),
        ):
            self.assertEqual(parse_bytes(text), size, text)
        for text in ("", "fast", "-3M", "3 M M", "1e9", "∞", "3 miles"):
            with self.assertRaises(ModelError):
                parse_bits(text)


class Nearest(unittest.TestCase):
    """A recipe that makes files as a given one is."""

    FACTS = ClipFacts(
        path="/a/keyed.mov",
        fingerprint="f",
        bytes=90_000_000,
        frames=250,
        rate=Fraction(25),
        width=1280,
        height=720,
        pixel_aspect=Fraction(1),
        scan="progressive",
        video_codec="prores",
        pixel_format="yuva444p10le",
        audio=tuple(
            SoundFacts("pcm_s24le", 2, 48000, "stereo", 10.0, language) for language in ("deu", "eng")
        ),
        seconds=10.0,
        bit_rate=72_000_000,
        timecode="10:00:00:00",
        alpha="straight",
        profile="4444",
    )

    def test_grade_alpha_timecode_and_tracks_are_those_of_the_file(self) -> None:
        recipe = as_the_source(self.FACTS).recipe
        assert recipe.picture is not None and recipe.sound is not None
        self.assertEqual(recipe.picture.grade, "4444", "as it says, not as its rate would have it")
        self.assertEqual((recipe.picture.alpha, recipe.picture.timecode), ("source", "source"))
        self.assertEqual(recipe.sound.tracks, "each")
        self.assertIn("4444", recipe.name)

    def test_fields_keep_their_order_where_they_can(self) -> None:
        tape = replace(
            self.FACTS,
            path="/a/tape.mxf",
            video_codec="mpeg2video",
            pixel_format="yuv422p",
            scan="interlaced",
            field_order="bottom first",
            alpha="",
            profile="4:2:2",
        )
        picture = as_the_source(tape).recipe.picture
        assert picture is not None
        self.assertEqual((picture.scan, picture.chroma), ("bottom first", "4:2:2"))


class Schemas(unittest.TestCase):
    def test_what_is_published_is_what_is_read(self) -> None:
        docs = Path(__file__).parents[2] / "docs"
        for name, schema in (
            ("batch", Batch.model_json_schema()),
            ("recipe", recipe_schema()),
            ("card", ReceiverCard.model_json_schema()),
        ):
            self.assertEqual(
                json.loads((docs / f"{name}.schema.json").read_text()),
                schema,
                f"make docs/{name}.schema.json anew",
            )


class Shelf(unittest.TestCase):
    def setUp(self) -> None:
        self.library = Library(Path(tempfile.mkdtemp()))

    def test_a_recipe_s_file_says_everything_and_reads_back_the_same(self) -> None:
        for recipe in SUPPLIED:
            self.assertEqual(read_recipe(write_recipe(recipe)), recipe)

    def test_save_duplicate_reset_share(self) -> None:
        changed = with_values(WEB, {"picture.rate_control.target_bits_per_second": 2_500_000})
        kept = self.library.save_recipe(changed)
        self.assertTrue(kept.dated and not kept.changed)
        self.assertTrue(self.library.is_own("web-720"))
        self.assertEqual(self.library.recipe("web-720").mark, changed.mark)  # type: ignore[union-attr]
        self.assertEqual(len(self.library.recipes()), len(SUPPLIED))
        copy = self.library.duplicate(changed, "Web 720, 3 Mb/s")
        self.assertNotIn(copy.id, {recipe.id for recipe in SUPPLIED})
        self.assertEqual(self.library.reset("web-720"), WEB)
        self.assertEqual(self.library.recipe("web-720"), WEB)
        shared = self.library.folder / "shared.json"
        self.library.write_recipe(changed.model_copy(update={"name": "Theirs"}), shared)
        brought = self.library.bring_in_recipe(shared)
        self.assertEqual((brought.name, brought.id), ("Theirs", "web-720-2"))
        self.library.favourite = copy.id
        self.assertEqual(Library(self.library.folder).favourite, copy.id)

    def test_files_that_are_no_recipes_are_left_alone_and_told(self) -> None:
        good = write_recipe(WEB)
        for text in (
            "",
            "[]",
            "{}",
            "\x00",
            json.dumps({"format": "chronocast recipe"}),
            good.replace('"version": 1', '"version": 99'),
            good.replace('"h264"', '"h264; rm -rf"'),
            good.replace("3000000", "-1"),
            good.replace("3000000", "1e400"),
            "{" * 5000,
            good.replace('"id": "web-720"', '"id": "../../etc/passwd"'),
        ):
            place = self.library.recipe_path("bad")
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(text)
            self.assertEqual(len(self.library.recipes()), len(SUPPLIED))
            self.assertEqual(len(self.library.problems), 1, text[:40])
            self.assertEqual(place.read_text(), text)
            with self.assertRaises(ChronocastError):
                self.library.bring_in_recipe(place)

    def test_as_the_source_is(self) -> None:
        facts = ClipFacts(
            "/tmp/film.mp4",
            "f",
            10_000_000,
            500,
            Fraction(25),
            1280,
            720,
            Fraction(1),
            "progressive",
            "h264",
            "yuv420p",
            (SoundFacts("aac", 2, 48000),),
            20.0,
            4_000_000,
            None,
        )
        made, told = as_the_source(facts)
        self.assertEqual((made.container, made.picture.codec if made.picture else ""), ("mp4", "h264"))
        self.assertEqual(conflicts(made), [])
        self.assertEqual(told, [])


class Cells(unittest.TestCase):
    def setUp(self) -> None:
        batch = Batch()
        for recipe in SUPPLIED[:3]:
            batch = add_recipe(batch, recipe)
        for number in range(4):
            batch = add_source(batch, f"{number}.mp4", f"Film {number}", "clip")
        self.batch = fill(
            batch, [(source.id, FULL, recipe.id) for source in batch.sources for recipe in batch.recipes]
        )
        self.ids = [output.id for output in self.batch.outputs]

    def test_exceptions_are_of_cells_and_are_dropped_when_they_say_nothing(self) -> None:
        made = set_own(self.batch, self.ids[:2], {"picture.effort": "slow", "sound.bits_per_second": 64_000})
        self.assertEqual([output.id for output, _ in exceptions(made)], self.ids[:2])
        recipe = made.made_by(made.outputs[0])
        self.assertEqual(recipe.picture.effort if recipe.picture else "", "slow")
        self.assertTrue(recipe.changed)
        again = read_batch(write_batch(made))
        self.assertEqual(again, made)
        usual = made.recipe(made.outputs[0].recipe)
        assert usual and usual.sound
        back = set_own(
            made,
            self.ids[:2],
            {"picture.effort": "medium", "sound.bits_per_second": usual.sound.bits_per_second},
        )
        self.assertEqual(back.outputs[0].own, {})

    def test_values_that_differ_are_told_as_such_and_can_be_set_for_all(self) -> None:
        recipes = [self.batch.made_by(output) for output in self.batch.outputs]
        self.assertIs(common(recipes, "picture.rate_control.target_bits_per_second"), MIXED)
        made = set_own(self.batch, self.ids, {"picture.rate_control.target_bits_per_second": 1_000_000})
        self.assertEqual(
            common([made.made_by(o) for o in made.outputs], "picture.rate_control.target_bits_per_second"),
            1_000_000,
        )

    def test_a_batch_with_an_impossible_exception_is_refused(self) -> None:
        told = json.loads(write_batch(self.batch))
        told["outputs"][0]["own"] = {"picture.effort": "heroic"}
        with self.assertRaises(ModelError):
            read_batch(json.dumps(told))

    def test_a_column_that_changes_takes_its_exceptions_along(self) -> None:
        made = set_own(self.batch, self.ids[:1], {"picture.effort": "slow"})
        first = made.recipes[0]
        made = change_recipe(made, with_values(first, {"picture.effort": "slow"}))
        self.assertEqual(made.outputs[0].own, {})
        self.assertEqual([recipe.id for recipe in move_recipe(made, first.id, 2).recipes][-1], first.id)
        self.assertTrue(all(output.recipe != first.id for output in remove_recipe(made, first.id).outputs))

    def test_a_row_s_choices_are_copied_with_their_exceptions(self) -> None:
        one, two = self.batch.sources[0].id, self.batch.sources[1].id
        made = fill(self.batch, [(one, FULL, self.batch.recipes[1].id)], False)
        made = set_own(made, [made.outputs[0].id], {"picture.effort": "slow"})
        made = copy_choices(made, one, FULL, [(two, FULL)])
        self.assertEqual(
            [(o.recipe, o.own) for o in made.outputs if o.source == one],
            [(o.recipe, o.own) for o in made.outputs if o.source == two],
        )
        self.assertEqual(len({output.id for output in made.outputs}), len(made.outputs))

    def test_leaves_are_every_setting(self) -> None:
        self.assertIn("picture.rate_control.peak_bits_per_second", leaves(WEB.model_dump()))
        self.assertEqual(effective(WEB, {}), WEB)


class Names(unittest.TestCase):
    """Every name of a codec, a level or a kind of file is read back as what it names."""

    def test_what_is_written_here_is_known_when_it_is_a_source(self) -> None:
        for codec in PICTURE.values():
            if codec.kind != "images":
                self.assertIs(picture_codec(codec.stream_name), codec)
            for other in codec.stands_for:
                self.assertIs(picture_codec(other), codec)
                self.assertNotIn(
                    other, {item.stream_name for item in PICTURE.values() if item.kind != "images"}
                )
        for codec in SOUND.values():
            for name in (codec.id, *codec.stands_for):
                self.assertIs(sound_codec(name), codec)
        self.assertIs(sound_codec("pcm_s24be"), SOUND["pcm"])
        self.assertIsNone(picture_codec("theora"))
        self.assertIsNone(sound_codec("vorbis"))

    def test_a_level_s_code_is_read_as_that_level(self) -> None:
        for codec in ("h264", "hevc"):
            for level in levels(codec, "high" if codec == "h264" else "main"):
                self.assertEqual(level_name(codec, level_code(codec, level.name)), level.name)
        for profile in ("main", "4:2:2"):
            for name in ("main", "high"):
                self.assertEqual(level_name("mpeg2video", level_code("mpeg2video", name, profile)), name)
        self.assertIsNone(level_name("vp9", 30))
        self.assertIsNone(level_name("h264", 0))

    def test_no_two_kinds_of_files_share_an_extension(self) -> None:
        endings = [
            end for item in CONTAINERS.values() for end in (item.extension, *item.other_extensions) if end
        ]
        self.assertEqual(len(endings), len(set(endings)))

    def test_sound_takes_its_rate_or_its_share_of_pcm(self) -> None:
        heard = {"sample_rate": 48_000, "channels": 2, "bits_per_second": 128_000}
        self.assertEqual(sound_bits(SOUND["aac"], depth=0, **heard), 128_000)
        pcm = sound_bits(SOUND["pcm"], depth=24, **heard)
        self.assertEqual(pcm, 48_000 * 2 * 24)
        self.assertLess(sound_bits(SOUND["flac"], depth=24, **heard), pcm)
