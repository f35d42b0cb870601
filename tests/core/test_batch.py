"""The batch document: what is refused, what is preserved, what can be undone."""

from __future__ import annotations

import json
import os
import tempfile
import unittest
from datetime import date
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from chronocast.deliver.names import proposed_stems, unlike
from chronocast.demo.copy import demo_batch
from chronocast.journal.documents import DocumentError, load_batch, save_batch
from chronocast.model.batch.batch import FULL, Batch, read_batch, write_batch
from chronocast.model.batch.edits import History, fill, hold, identifier, in_order, remove_source
from chronocast.model.batch.naming import USUAL, read_pattern
from chronocast.model.errors import ChronocastError, ModelError


class Reading(unittest.TestCase):
    def test_what_is_written_is_read_again(self) -> None:
        batch = demo_batch()
        self.assertEqual(read_batch(write_batch(batch)), batch)

    def test_unknown_fields_are_preserved(self) -> None:
        data = json.loads(write_batch(demo_batch()))
        data["colour_of_the_door"] = "blue"
        data["sources"][0]["note"] = {"by": "someone"}
        data["recipes"][0]["picture"]["sharpen"] = 3
        again = json.loads(write_batch(read_batch(json.dumps(data))))
        self.assertEqual(again["colour_of_the_door"], "blue")
        self.assertEqual(again["sources"][0]["note"], {"by": "someone"})
        self.assertEqual(again["recipes"][0]["picture"]["sharpen"], 3)

    def assert_refused(self, text: str, *words: str) -> None:
        with self.assertRaises(ModelError) as caught:
            read_batch(text)
        for word in words:
            self.assertIn(word, str(caught.exception))

    def test_what_is_no_batch_is_refused_with_a_sentence(self) -> None:
        self.assert_refused("{", "not JSON", "line 1")
        self.assert_refused("[" * 100_000, "not JSON")
        self.assert_refused("[]", "not a batch")
        self.assert_refused('{"format": "chronocast batch", "version": 99}', "version 99", "newer")
        self.assert_refused('{"format": "chronocast batch", "version": "one"}', "version")

    def test_nonsense_values_name_their_field(self) -> None:
        data = json.loads(write_batch(demo_batch()))
        data["recipes"][0]["picture"]["rate_control"]["target_bits_per_second"] = -5
        self.assert_refused(json.dumps(data), "target_bits_per_second", "-5")
        data = json.loads(write_batch(demo_batch()))
        data["outputs"][0]["source"] = "nobody"
        self.assert_refused(json.dumps(data), "nobody")
        data = json.loads(write_batch(demo_batch()))
        data["sources"][0]["ranges"] = [{"id": "r", "name": "r", "start": 50, "stop": 10}]
        self.assert_refused(json.dumps(data), "out point")

    @settings(max_examples=200)
    @given(
        st.recursive(
            st.none() | st.booleans() | st.integers() | st.text(max_size=8),
            lambda x: st.lists(x, max_size=3) | st.dictionaries(st.text(max_size=8), x, max_size=3),
            max_leaves=8,
        ),
        st.sampled_from(["sources", "recipes", "outputs", "folder", "wanted", "version", "title"]),
    )
    def test_any_value_in_any_field_is_read_or_refused(self, value: object, field: str) -> None:
        data = json.loads(write_batch(demo_batch()))
        data[field] = value
        try:
            read_batch(json.dumps(data))
        except ModelError as error:
            self.assertTrue(error.sentence)

    def test_what_is_wrong_is_said_in_our_words_whatever_it_is(self) -> None:
        told: set[str] = set()
        wrong: list[tuple[str, object, str]] = [
            ("edition", 0, "must be 1 at least (it is 0)"),
            ("edition", 1.5, "must be a whole number (it is 1.5)"),
            ("title", "t" * 300, "has room for 200 characters"),
            ("wanted", "soon", "must be a moment like"),
            ("dated", "x", "must be a date like"),
            ("recipes", 5, "must be a list"),
            ("wish", "luck", "must be 'order', 'finish' or 'in time' (it is 'luck')"),
            ("size_limit", 2e30, "no number that could be meant"),
        ]
        for field, value, words in wrong:
            data = {**json.loads(write_batch(demo_batch())), field: value}
            with self.assertRaises(ModelError) as caught:
                read_batch(json.dumps(data))
            self.assertIn(f"{field}: it", caught.exception.sentence)
            self.assertIn(words, caught.exception.sentence)
            told.add(caught.exception.sentence)
        self.assertFalse([sentence for sentence in told if "Input" in sentence or "should" in sentence])


class Disk(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())

    def test_a_batch_comes_back_from_disk(self) -> None:
        path = self.folder / "a b.batch.json"
        save_batch(demo_batch(), path)
        self.assertEqual(load_batch(path), demo_batch())
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a b.batch.json"])

    def test_a_failed_write_leaves_the_old_file(self) -> None:
        path = self.folder / "kept.batch.json"
        save_batch(demo_batch(), path)
        before = path.read_bytes()
        (self.folder / "file").write_text("")
        with self.assertRaises(DocumentError):
            save_batch(demo_batch(), self.folder / "file" / "x.batch.json")
        self.assertEqual(path.read_bytes(), before)

    def test_unreadable_files_are_sentences(self) -> None:
        (self.folder / "binary.batch.json").write_bytes(os.urandom(300))
        for name in ("missing.batch.json", "binary.batch.json", "."):
            with self.assertRaises(ChronocastError):
                load_batch(self.folder / name)


class Edits(unittest.TestCase):
    def test_undo_and_redo_walk_the_history(self) -> None:
        history = History(demo_batch())
        first = history.now
        history.do("fill", fill(history.now, [("reef-fast-pan", FULL, "web-720")]))
        history.do("hold", hold(history.now, [history.now.outputs[0].id], True))
        last = history.now
        self.assertEqual((history.undo(), history.undo(), history.undo()), ("hold", "fill", None))
        self.assertEqual(history.now, first)
        self.assertEqual((history.redo(), history.redo(), history.redo()), ("fill", "hold", None))
        self.assertEqual(history.now, last)

    def test_filling_is_repeatable_and_clearable(self) -> None:
        batch = demo_batch()
        cells = [
            (s.id, part, r.id)
            for s in batch.sources
            for part in (FULL, *(p.id for p in s.ranges))
            for r in batch.recipes
        ]
        full = fill(batch, cells)
        self.assertEqual(len(full.outputs), len(cells))
        self.assertEqual(fill(full, cells), full)
        self.assertEqual(len({o.id for o in full.outputs}), len(cells))
        self.assertEqual(fill(full, cells, filled=False).outputs, ())

    def test_removing_a_source_takes_its_outputs(self) -> None:
        batch = remove_source(demo_batch(), "still-water-long-take")
        self.assertFalse([o for o in batch.outputs if o.source == "still-water-long-take"])
        read_batch(write_batch(batch))

    def test_reordering_keeps_everything(self) -> None:
        batch = demo_batch()
        names = [o.id for o in batch.outputs]
        self.assertEqual([o.id for o in in_order(batch, names[::-1]).outputs], names[::-1])
        self.assertEqual(
            [o.id for o in in_order(batch, [names[3], "nobody"]).outputs], [names[3], *names[:3], *names[4:]]
        )

    @given(st.text(max_size=80), st.lists(st.text(max_size=10), max_size=4))
    def test_ids_are_plain_and_new(self, text: str, taken: list[str]) -> None:
        made = identifier(text, taken)
        self.assertRegex(made, r"^[a-z0-9][a-z0-9._-]{0,63}$")
        self.assertNotIn(made, taken)


class Names(unittest.TestCase):
    def test_patterns_say_what_files_are_called(self) -> None:
        batch = demo_batch()
        whole, part = batch.outputs[0], next(o for o in batch.outputs if o.range != FULL)
        for pattern, first, second in (
            (
                USUAL,
                "Hall of Tides, opening film - web-720",
                "Hall of Tides, opening film - Teaser - upright-720",
            ),
            (
                "{counter}_{source}_{range}_{version}",
                "001_Hall of Tides, opening film_v3",
                "021_Hall of Tides, opening film_Teaser_v3",
            ),
            ("{range} {recipe}", "web-720", "Teaser upright-720"),
            ("final {date}", "final 2026-11-25", "final 2026-11-25"),
            ("{Source}", "Hall of Tides, opening film", "Hall of Tides, opening film"),
        ):
            named = read_batch(
                write_batch(
                    batch.model_copy(update={"names": pattern, "edition": 3, "dated": date(2026, 11, 25)})
                )
            )
            self.assertEqual(proposed_stems(named, [whole, part]), [first, second], pattern)

    def test_patterns_that_make_no_sense_are_refused(self) -> None:
        for pattern, words in (
            ("", "empty"),
            ("  ", "empty"),
            ("{bogus}", "no token"),
            ("{source", "other half"),
            ("a}b", "other half"),
            ("{source}/{recipe}", "not folders"),
            ("..\\{source}", "not folders"),
            ("x" * 201, "201 characters"),
        ):
            with self.assertRaisesRegex(ModelError, words, msg=pattern):
                read_pattern(pattern)
            with self.assertRaises(ModelError):
                read_batch(write_batch(Batch()).replace(USUAL, json.dumps(pattern)[1:-1]))

    @given(
        st.text(max_size=60),
        st.sampled_from(["{source}", "{range}", "{recipe} {counter}", "{version}-{date}"]),
    )
    def test_whatever_is_typed_never_names_two_files_alike_or_leaves_the_folder(
        self, words: str, tokens: str
    ) -> None:
        batch = demo_batch()
        try:
            read_pattern(words + tokens)
        except ModelError:
            return
        named = batch.model_copy(update={"names": words + tokens})
        files = unlike((stem, ".mp4") for stem in proposed_stems(named, named.outputs))
        self.assertEqual(len({name.casefold() for name in files}), len(batch.outputs))
        for name in files:
            self.assertEqual(Path(name).name, name)
            self.assertLess(len(name.encode()), 256)
            self.assertFalse(name.startswith("."))
