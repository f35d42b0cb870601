"""What is done for thousands at a time comes to what it would one by one."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from chronocast.deliver.names import unlike
from chronocast.forecast.band import AT_ONCE, band, bands
from chronocast.forecast.stage import Stage, Work
from chronocast.model.batch.batch import FULL, Batch, read_batch, write_batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.errors import ModelError
from chronocast.model.recipe.supplied import SUPPLIED
from chronocast.model.recipe.typed import parse_bits, parse_bytes
from chronocast.model.stages import ENCODE
from chronocast.run.events import Task, TaskId
from chronocast.schedule.placement import typical

MANY = 2 * AT_ONCE + 7


class Sums(unittest.TestCase):
    def test_bands_of_many_are_those_of_each(self) -> None:
        rows = np.random.default_rng(5).lognormal(size=(MANY, 40))
        self.assertEqual(bands(rows), [band(row) for row in rows])
        self.assertEqual(bands([]), [])

    def test_typical_work_takes_the_middle_of_its_own_draws(self) -> None:
        numbers = np.random.default_rng(6)
        works = [
            Work(f"o{n}", ())
            if n % 5 == 4
            else Work(
                f"o{n}",
                tuple(
                    Stage(ENCODE, "here", (f"{n} {part}",), numbers.random((1, 9))) for part in range(n % 3)
                ),
            )
            for n in range(MANY)
        ]
        found = typical(works)
        self.assertEqual([work.output for work in found], [work.output for work in works])
        for work, one in zip(works, found, strict=True):
            self.assertEqual([stage.names for stage in one.stages], [stage.names for stage in work.stages])
            self.assertEqual(
                [float(stage.draws[0, 0]) for stage in one.stages],
                [float(np.median(stage.draws)) for stage in work.stages],
            )


class Names(unittest.TestCase):
    def test_thousands_that_are_called_alike_are_numbered_in_their_order(self) -> None:
        found = unlike([("Reef", ".mp4")] * MANY)
        self.assertEqual(found, ["Reef.mp4", *(f"Reef {n}.mp4" for n in range(2, MANY + 1))])

    @given(st.lists(st.sampled_from(("Reef", "reef", "Reef 2", "Reef 3", "Kelp")), max_size=30))
    def test_no_two_are_alike_whatever_numbers_some_have_of_their_own(self, stems: list[str]) -> None:
        found = unlike((stem, ".mov") for stem in stems)
        self.assertEqual(len({name.casefold() for name in found}), len(stems))
        for stem, name in zip(stems, found, strict=True):
            self.assertTrue(name.startswith(stem))
        self.assertEqual(
            unlike((stem, ".mov", f"folder {n}") for n, stem in enumerate(stems)),
            [f"{stem}.mov" for stem in stems],
        )


class Documents(unittest.TestCase):
    def setUp(self) -> None:
        batch = add_recipe(Batch(title="Hall of tides"), SUPPLIED[0])
        for number in range(3):
            batch = add_source(batch, f"clip {number}.mov", f"Clip {number}", "clip")
        self.batch = fill(batch, [(source.id, FULL, SUPPLIED[0].id) for source in batch.sources], True)

    def test_a_changed_output_leaves_what_is_written_of_the_others_alone(self) -> None:
        read = read_batch(write_batch(self.batch))
        before = [output.model_dump(exclude_unset=True) for output in read.outputs]
        changed = read.outputs[0].model_copy(update={"held": True})
        self.assertTrue(changed.model_dump(exclude_unset=True)["held"])
        self.assertEqual([output.model_dump(exclude_unset=True) for output in read.outputs], before)

    def test_broken_text_is_told_with_its_line_and_column(self) -> None:
        text = write_batch(self.batch)
        with self.assertRaises(ModelError) as raised:
            read_batch(text.replace('"title"', "title", 1))
        self.assertRegex(str(raised.exception), r"not JSON \(line \d+, column \d+\)")
        for odd in (
            "",
            "[",
            '{"format": "chronocast batch", "version": NaN}',
            "[" * 100_000,
            f'{{"version": {"1" * 5000}}}',
            '"\\ud800"',
        ):
            with self.assertRaises(ModelError):
                read_batch(odd)

    def test_sizes_and_lines_beyond_all_that_there_is_are_refused(self) -> None:
        text = write_batch(self.batch)
        for name in ("size_limit", "line", "receiver_space"):
            with self.assertRaises(ModelError) as raised:
                read_batch(text.replace(f'"{name}": null', f'"{name}": 1{"0" * 400}'))
            self.assertIn(name, str(raised.exception))
        for parse, typed in ((parse_bytes, "999999999999 TB"), (parse_bits, "99999999999 Gb/s")):
            self.assertRaises(ModelError, parse, typed)  # else it is written, and can't be opened again


class Watched(unittest.TestCase):
    def test_each_output_of_a_task_hears_of_its_state_and_of_nothing_else(self) -> None:
        heard: list[str] = []
        task = Task(TaskId("encode", "piece"), told=heard.append)
        self.assertEqual((task.state, heard), ("pending", []))
        task.users.update(dict.fromkeys(("a", "b")))
        task.attempt, task.slot, task.fault = 3, "here-0", "late"
        self.assertEqual(heard, [])
        task.state = "running"
        self.assertEqual((task.state, heard), ("running", ["a", "b"]))
        self.assertEqual(str(task.id), "encode:piece")
        self.assertEqual(TaskId.read("encode:a:b"), TaskId("encode", "a:b"))
