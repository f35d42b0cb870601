"""What one encode of a film says of another: the closed form, and coverage in simulated worlds."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Chance
from chronocast.forecast.content import Character, FilmSeen, Row, factors, learned
from chronocast.forecast.experience import PieceFact
from chronocast.journal.ledger import NEWEST, Ledger

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
        self.assertEqual(sum(item.family == "flood" for item in known), NEWEST)
        self.assertEqual(sum(item.film == "kelp" for item in asked), 30, "of a film that is asked about, all")


if __name__ == "__main__":
    unittest.main()
