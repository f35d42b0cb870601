"""Plans over many stations: how near to the bound, how quick, how much memory; nights rehearsed."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from chronocast.forecast.stage import Stage, Work
from chronocast.model.stages import CHECK, ENCODE, HERE, JOIN
from chronocast.schedule.bound import lower_bound
from chronocast.schedule.clock import simulate
from chronocast.schedule.closing import closing_bound
from chronocast.schedule.placement import Evening, place_works, typical, typical_help
from chronocast.schedule.pool import Help
from chronocast.schedule.rehearsal import Hazard, Mishaps, rehearse

DAY = 86_400.0
SEEDS = 3


def outputs(count: int, draws: int, dice: np.random.Generator) -> list[Work]:
    """Outputs of about twenty pieces of about eight seconds each, a join and a check that takes an eighth of the work."""
    found = []
    for number in range(count):
        pieces = max(1, int(dice.poisson(20)))
        seconds = np.sort(np.exp(dice.normal(np.log(8), 0.6, pieces)))[::-1]  # as forecast and run have them
        spread = seconds[:, None] * np.exp(0.25 * dice.standard_normal((pieces, draws)))
        name = f"o{number}"
        check = np.full((1, draws), 0.12 * seconds.sum())
        stages = (
            Stage(ENCODE, HERE, tuple(f"{name}-{n}" for n in range(pieces)), spread),
            Stage(JOIN, HERE, (name,), np.ones((1, draws))),
            Stage(CHECK, HERE, (name,), check),
        )
        found.append(Work(name, stages))
    return found


def stations(count: int, draws: int, dice: np.random.Generator, nights: bool) -> list[Help]:
    """Stations of four slots, some half as quick as others; with ``nights`` every other one is open from five to seven."""
    hours = tuple((max(0.0, day * DAY + 3600.0), day * DAY + 15 * 3600.0) for day in range(8))
    return [
        Help(
            f"s{number}",
            4,
            np.exp(dice.normal(np.log(1 + number % 4 * 0.5), 0.12, draws)),
            windows=hours if nights and number % 2 else (),
        )
        for number in range(count)
    ]


def best(do: Callable[[], object], times: int = 3) -> float:
    """Wall seconds, the least of some tries."""
    found = []
    for _ in range(times):
        begin = time.perf_counter()
        do()
        found.append(time.perf_counter() - begin)
    return min(found)


def over_bound(count: int, there: int, nights: bool) -> str:
    """How much later than the bound the plan ends that is to end earliest, over some seeds."""
    found = []
    for seed in range(SEEDS):
        dice = np.random.default_rng(seed)
        works, helping = outputs(count, 1, dice), stations(there, 1, dice, nights)
        end = float(place_works(works, {HERE: 4}, 1, helping, wish="finish").end[0])
        found.append(end / closing_bound(works, {HERE: 4}, helping) - 1)
    return f"{min(found):.1%} to {max(found):.1%}".replace("%", " %")


def measure(_folder: Path) -> list[tuple[str, str, str]]:
    """Ratios to the bound; wall seconds, the best of some tries; one process."""
    rows = [
        (f"{count} outputs over {there} stations: later than the bound", over_bound(count, there, False), aim)
        for count, there, aim in ((12, 5, "< 10 %"), (50, 5, "< 3 %"), (1000, 20, "< 1 %"))
    ]
    rows.append(("1,000 over 20, half of them at night only", over_bound(1000, 20, True), "< 1 %"))
    dice = np.random.default_rng(7)
    works, helping = outputs(1000, 1, dice), stations(19, 1, dice, False)
    plan = best(lambda: place_works(works, {HERE: 4}, 1, helping, wish="finish"))
    rows.append(("1,000 outputs, 20,000 pieces, 20 stations: plan", f"{plan:.2f} s", "< 1 s"))
    drawn, there = outputs(1000, 500, dice), stations(19, 500, dice, False)
    clock = best(lambda: simulate(drawn, {HERE: 4}, 500, helping=there), 2)
    rows.append(("the same, finishes in 500 draws", f"{clock:.2f} s", "< 1.5 s"))
    bound = best(lambda: lower_bound(typical(drawn), {HERE: 4}, typical_help(there)))
    rows.append(("the same, the bound alone", f"{bound:.2f} s", ""))
    night = Evening(outputs(50, 400, dice), {HERE: 4}, 400, stations(4, 400, dice, False))
    mishaps = Mishaps(tuple(Hazard(f"s{number}", 4.0) for number in range(4)))
    rehearsed = best(lambda: rehearse(night, mishaps), 1)
    rows.append(("50 outputs, 5 stations: 400 nights rehearsed", f"{rehearsed:.2f} s", ""))
    many, wide = outputs(5000, 1, dice), stations(199, 1, dice, True)
    large = best(lambda: place_works(many, {HERE: 4}, 1, wide, wish="finish"), 1)
    rows.append(("5,000 outputs, 100,000 pieces, 200 stations: plan", f"{large:.2f} s", "< 10 s"))
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    rows.append(("memory of all this", f"{memory:.2f} GB", "< 1 GB"))
    return rows
