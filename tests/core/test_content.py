"""What one encode of a film says of another: the closed form, and coverage in simulated worlds."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import asdict, replace
from math import exp, log
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Z90, Chance
from chronocast.forecast.learning.calibration import calibration_of
from chronocast.forecast.learning.conformal import Outcome, as_it_was, widened, width_factor
from chronocast.forecast.learning.experience import OF_FILM, PieceFact, learn_from
from chronocast.forecast.learning.film_seen import FilmSeen
from chronocast.forecast.picture.content import Character, Row, factors, learned
from chronocast.journal.batches.runs import RunJournal
from chronocast.journal.station.ledger import NEWEST, Ledger, MadeFile
from chronocast.journal.workspace import Workspace
from chronocast.model.stages import HERE
from chronocast.preparation.today import learned as learned_now

ROWS = [
    Row("one", "k", Character(0.3, 0.3, 0.7, 0.4, 0.15, 0.9, 0.8)),
    Row("two", "k", Character(0.3, 0.3, 0.7, 0.4, 0.15, 0.9, 0.8)),
    Row("packets", "h264", Character(-1.0, 0.2, 0.9, 0.5, 0.2, 0.7, 0.6)),
]


def covariance(rows: list[Row], windows: int) -> NDArray[np.float64]:
    """Of all cells, row by row, written out from what the model says."""
    size = len(rows) * windows
    found = np.zeros((size, size))
    for a in range(size):
        for b in range(size):
            one, other = rows[a // windows].character, rows[b // windows].character
            same_row, same_kind = (
                a // windows == b // windows,
                rows[a // windows].kind == rows[b // windows].kind,
            )
            alike = 0.8 * same_kind + 0.2 * same_row
            rest = np.sqrt((1 - one.film_content**2) * (1 - other.film_content**2))
            found[a, b] += one.film * other.film * (one.film_content * other.film_content + rest * alike)
            found[a, b] += one.common * other.common * (0.9 * same_kind + 0.1 * same_row)
            if a % windows == b % windows:
                rest = np.sqrt((1 - one.window_content**2) * (1 - other.window_content**2))
                found[a, b] += (
                    one.window * other.window * (one.window_content * other.window_content + rest * alike)
                )
            if a == b:
                found[a, b] += one.own**2
    return found


class Conditional(unittest.TestCase):
    def test_draws_have_the_mean_and_the_covariance_of_the_closed_form(self) -> None:
        """Some windows of one row, and all packets but one, are known; the other rows follow."""
        windows, chance = 4, Chance(draws=40_000)
        seen = np.full((3, windows), np.nan)
        seen[0, :2] = (1.1, 0.4)
        seen[2, :3] = (-0.2, -0.6, 0.5)
        whole = covariance(ROWS, windows)
        mean = np.repeat([row.character.shift for row in ROWS], windows)
        known = np.flatnonzero(~np.isnan(seen.ravel()))
        asked = [number for number in range(2 * windows) if number not in known]
        gain = whole[np.ix_(asked, known)] @ np.linalg.inv(whole[np.ix_(known, known)])
        wanted = mean[asked] + gain @ (seen.ravel()[known] - mean[known])
        left = whole[np.ix_(asked, asked)] - gain @ whole[np.ix_(known, asked)]
        drawn = factors(ROWS, seen, (0, 1), "reef", chance).reshape(2 * windows, -1)
        np.testing.assert_allclose(drawn[asked].mean(axis=1), wanted, atol=0.02)
        np.testing.assert_allclose(np.cov(drawn[asked]), left, atol=0.02)
        np.testing.assert_allclose(drawn[known[known < 2 * windows]].std(axis=1), 0, atol=1e-12)

    def test_the_same_names_give_the_same_draws_and_films_share_their_kind_s_error(self) -> None:
        seen = np.full((3, 2), np.nan)
        one, again, other = (
            factors(ROWS, seen, (0,), film, Chance()).mean(axis=1)[0] for film in ("a", "a", "b")
        )
        np.testing.assert_array_equal(one, again)
        self.assertTrue(0.05 < np.corrcoef(one, other)[0, 1] < 0.6)

    def test_p10_to_p90_of_a_sum_covers_in_worlds_with_shared_and_independent_noise(self) -> None:
        """Truths drawn from the model, packets and a third of the windows seen: four of five lie within."""
        windows, dice = 6, np.random.default_rng(3)
        root = np.linalg.cholesky(covariance(ROWS, windows) + 1e-9 * np.eye(3 * windows))
        mean = np.repeat([row.character.shift for row in ROWS], windows)
        inside = 0
        for world in range(300):
            truth = (mean + root @ dice.standard_normal(3 * windows)).reshape(3, windows)
            seen = truth.copy()
            seen[0] = np.nan
            seen[1, dice.integers(0, 3) :] = np.nan
            drawn = np.exp(factors(ROWS, seen, (0,), f"film {world}", Chance())[0]).sum(axis=0)
            low, high = np.quantile(drawn, (0.1, 0.9))
            inside += low <= np.exp(truth[0]).sum() <= high
        self.assertTrue(0.74 <= inside / 300 <= 0.86, inside / 300)

    def test_other_films_move_the_shift_by_what_their_packets_do_not_explain(self) -> None:
        packets = ROWS[2].character
        hard = [FilmSeen("one", 1.3, 20, packets.shift + 1.0)] * 6
        plain = [FilmSeen("one", 1.3, 20, None)] * 6
        told, blind = (learned(ROWS[0], films, packets).character for films in (hard, plain))
        self.assertTrue(0.3 < told.shift < blind.shift < 1.3)
        self.assertLess(told.common, ROWS[0].character.common)


class Bands(unittest.TestCase):
    def test_bands_that_held_too_little_are_widened_until_four_of_five_lie_within(self) -> None:
        """Truths three times as far off as was forecast; the factor is learned on one half and tried on the other."""
        dice = np.random.default_rng(8)

        def outcome() -> Outcome:
            return Outcome(exp(-0.1 * Z90), 1.0, exp(0.1 * Z90), exp(0.3 * dice.standard_normal()))

        factor = width_factor([outcome() for _ in range(400)])
        self.assertTrue(2.2 < factor <= 3.0, factor)
        inside = [abs(log(outcome().fact)) <= 0.1 * Z90 * factor for _ in range(1000)]
        self.assertTrue(0.68 < np.mean(inside) < 0.88, np.mean(inside))

    def test_bands_that_were_made_right_stay_so(self) -> None:
        """A factor is learned from bands as they were before it: it isn't given up again once it works."""
        dice = np.random.default_rng(9)
        facts = [exp(0.3 * dice.standard_normal()) for _ in range(300)]
        plain = {"p10": exp(-0.15 * Z90), "likely": 1.0, "safe": exp(0.15 * Z90)}
        factor = width_factor([as_it_was(plain, fact, 1.0) for fact in facts])
        wide = {name: value**factor for name, value in plain.items()}
        again = width_factor([as_it_was(wide, fact, factor) for fact in facts])
        self.assertGreater(factor, 1.5)
        self.assertAlmostEqual(again, factor, 6)

    def test_few_outputs_change_little_and_exact_ones_nothing(self) -> None:
        self.assertEqual(width_factor([]), 1.0)
        self.assertEqual(width_factor([Outcome(5, 5, 5, 5)] * 50), 1.0)
        self.assertLess(width_factor([Outcome(0.9, 1, 1.1, 4.0)] * 2), 1.3)
        self.assertGreater(width_factor([Outcome(0.5, 1, 2, 1.01)] * 200), 0.55)

    def test_draws_are_spread_around_their_median_and_stay_positive(self) -> None:
        draws = np.exp(np.random.default_rng(1).normal(3, 0.5, (4, 401)))
        wide = widened(draws, 2.0)
        np.testing.assert_allclose(np.median(wide, axis=1), np.median(draws, axis=1))
        np.testing.assert_allclose(np.log(wide).std(axis=1), 2 * np.log(draws).std(axis=1), rtol=1e-6)
        self.assertTrue((widened(np.zeros(9), 2.0) == 0).all() and (wide > 0).all())


class Memory(unittest.TestCase):
    def test_a_flood_of_one_recipe_hides_no_other_s_experience(self) -> None:
        def fact(family: str, film: str = "reef", window: str = "w") -> PieceFact:
            return PieceFact(
                family, "pace " + family, film, 25, 10**7, 1.0, 1000, 2000, 1.0, 1.0, window=window
            )

        with tempfile.TemporaryDirectory() as folder:
            ledger = Ledger(Path(folder) / "ledger.sqlite")
            ledger.add_piece(fact("rare"))
            for number in range(NEWEST + 60):
                ledger.add_piece(fact("flood", "kelp" if number < 30 else "reef", f"w{number}"))
            known, asked = ledger.pieces(), ledger.pieces(["kelp"])
            ledger.close()
        self.assertEqual(sum(item.family == "rare" for item in known), 1)
        flood = [item.film for item in known if item.family == "flood"]
        self.assertEqual((len(flood), flood.count("kelp")), (NEWEST + OF_FILM, OF_FILM), "a few of each film")
        self.assertEqual(sum(item.film == "kelp" for item in asked), 30, "of a film that is asked about, all")

    def test_forecast_and_fact_are_told_and_a_pace_is_learned_anew_on_demand(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            ledger = Ledger(Path(folder) / "ledger.sqlite")
            fact = PieceFact("f", "p", "reef", 25, 10**7, 1.0, 1000, 2000, 1.0, 1.0, window="w", kind="k")
            ledger.add_piece(fact)
            band = {"p10": 90.0, "likely": 100.0, "safe": 120.0}
            for size in (95, 110, 150):
                ledger.add_made(
                    f"/out/{size}", MadeFile("d", size, 1, forecast={"bytes": band, "seconds": band})
                )
            told = calibration_of(ledger.outcomes()["bytes"])
            self.assertEqual(ledger.forget_pace(HERE), 1)
            left = learn_from(ledger.pieces())
            ledger.close()
        self.assertEqual(told[:3], (3, 1.1, 0.667))
        self.assertNotIn(HERE, left.stations)
        self.assertEqual(dict(left.films["reef"]["f"].windows), {"w": log(0.5)}, "bytes stay remembered")

    def test_records_written_together_are_there_in_order_once_anything_else_is_written(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "1.run"
            with RunJournal(path) as journal, RunJournal(path) as other:
                with self.assertRaises(ZeroDivisionError), journal.together():
                    journal.append("output", {"id": "a"})
                    with journal.together():
                        journal.append("output", {"id": "b"})
                    self.assertEqual(other.records(), [], "held back until all of them are there")
                    journal.set_now({"runner": {"pid": 1}})
                    self.assertEqual([r.body["id"] for r in other.records()], ["a", "b"])
                    journal.append("output", {"id": "c"})
                    raise ZeroDivisionError
                self.assertEqual([r.body["id"] for r in other.records()], ["a", "b", "c"], "nothing is lost")
                journal.append("output", {"id": "d"})
                self.assertEqual([(r.seq, r.body["id"]) for r in other.records(3)], [(4, "d")])

    def test_a_damaged_ledger_is_kept_aside_and_written_anew_from_the_runs(self) -> None:
        fact = PieceFact("f", "p", "reef", 25, 10**7, 1.0, 1000, 2000, 1.0, 1.0, window="w", packets=-2.0)
        for harm in ("no database", "cut short"):
            folder = Path(tempfile.mkdtemp())
            space = Workspace(folder / "data", folder / "state", folder / "config")
            journal = RunJournal(folder / "state" / "runs" / "batch" / "1.run")
            journal.append("finished", {"task": "x", "learned": asdict(fact)})
            journal.append("finished", {"task": "of an earlier version"})
            journal.append("made", {"path": "/out/a.mp4", "kept": asdict(MadeFile("d", 5, 6))})
            journal.close()
            with space.ledger() as ledger:
                for number in range(400):
                    ledger.add_piece(replace(fact, window=f"w{number}"))
            path = folder / "data" / "ledger.sqlite"
            whole = path.read_bytes()
            path.write_bytes(
                b"no database at all" * 99 if harm == "no database" else whole[: len(whole) // 2]
            )
            Path(f"{path}-wal").unlink(missing_ok=True)
            learned_again = learned_now(space)
            self.assertEqual(dict(learned_again.films["reef"]["f"].windows), {"w": log(0.5)}, harm)
            with space.ledger() as ledger:
                self.assertEqual(ledger.made("/out/a.mp4"), MadeFile("d", 5, 6))
            self.assertEqual(len(list(path.parent.glob("ledger-damaged-*.sqlite"))), 1, harm)


if __name__ == "__main__":
    unittest.main()
