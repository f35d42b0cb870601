"""The forecast against real encodes of films that nothing was tuned to, from nothing known to a fifth of it made.

Films follow from the commit's hash.  What is learned from is never what is
judged: the bench fails if they share a fingerprint.  A run that was stopped
goes on where it was.
"""

from __future__ import annotations

import os
import subprocess
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from math import log
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.encodes import batch_of, encode, recipe, use_home
from bench.material import films
from chronocast.forecast.band import Chance
from chronocast.forecast.container import container_bytes
from chronocast.forecast.learning.experience import Experience, PieceFact, learn_from
from chronocast.forecast.outputs import OutputAsk, forecast_outputs
from chronocast.journal.workspace import Workspace
from chronocast.model.recipe.recipe import Recipe
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.output_ask import output_ask
from chronocast.preparation.station.this import this_station
from chronocast.preparation.today import prepared

FILMS, FRAMES = 12, 1500
RECIPES = (
    recipe("h264-q22", "h264", mode="quality", quality=22.0),
    recipe("hevc-q26", "hevc", mode="quality", quality=26.0),
    recipe("h264-1m5", "h264", mode="variable", target_bits_per_second=1_500_000),
    recipe("h264-two-900k", "h264", mode="two pass", target_bits_per_second=900_000),
    recipe("prores-std", "prores", grade="standard"),
)
HOME = Path(os.environ.get("CHRONOCAST_BENCH_CACHE", "/var/tmp/chronocast-bench"))
PROBES = 4


@dataclass(frozen=True)
class Judged:
    """One output: as it is asked about, and what it really took."""

    ready: OutputReady
    ask: OutputAsk
    sizes: NDArray[np.float64]
    bytes: float
    cpu: float
    cpu_of: dict[str, float]

    def cpu_left(self, ask: OutputAsk) -> float:
        """Seconds of the processor for the pieces that aren't known."""
        assert ask.picture is not None
        names = zip(ask.picture.window_names, ask.picture.kept, strict=True)
        known = sum(self.cpu_of.get(window, 0.0) for window, size in names if size is not None)
        return self.cpu - known


class _Nothing:
    """A stock that has nothing."""

    def size(self, _name: str) -> None:
        return None


def without_packets(ask: OutputAsk) -> OutputAsk:
    """As if the source had not been looked at."""
    assert ask.picture is not None
    return replace(ask, picture=replace(ask.picture, packets=(), source_kind=""))


def with_pieces(ask: OutputAsk, sizes: NDArray[np.float64], known: Sequence[int]) -> OutputAsk:
    """As if some pieces were in the stock."""
    assert ask.picture is not None
    kept = [round(sizes[n]) if n in known else None for n in range(len(sizes))]
    still = tuple(size is None for size in kept)
    return replace(ask, picture=replace(ask.picture, kept=kept), open=still)


def spread(ask: OutputAsk, count: int) -> list[int]:
    """Pieces to probe: at equal shares of the source's own bytes."""
    assert ask.picture is not None
    told = [0.0 if value is None else value for value in ask.picture.packets] or [0.0] * len(ask.pieces)
    mass = np.cumsum(np.exp(told) * np.array(ask.picture.pieces))
    at = (np.arange(count) + 0.5) / count * mass[-1]
    return sorted({int(n) for n in np.searchsorted(mass, at)})


def read(outputs: Sequence[OutputReady], space: Workspace, facts: Sequence[PieceFact]) -> list[Judged]:
    """Outputs with what they took: bytes of their pictures, seconds of the processor."""
    cpu: dict[tuple[str, str], dict[str, float]] = defaultdict(lambda: defaultdict(float))
    for fact in facts:
        cpu[fact.film, fact.family][fact.window] += fact.cpu_seconds
    found = []
    for ready in outputs:
        plan = ready.plan
        assert plan.settings is not None
        sizes = []
        for piece in plan.pieces:
            size = space.stock.size(piece.name)
            if size is None:
                break
            sizes.append(
                size - container_bytes(plan.settings.piece, piece.frames, 0, whole=ready.whole_frames)
            )
        if len(sizes) < len(plan.pieces):
            continue
        ask = output_ask(ready, _Nothing(), None)  # type: ignore[arg-type]
        # what the ledger has of a piece is without looking at it
        ask = replace(ask, pieces=tuple(replace(piece, measured=0.0) for piece in ask.pieces))
        if ready.twice:  # as before it was begun
            ask = replace(ask, pieces=tuple(replace(piece, times=2.2) for piece in ask.pieces))
        took = cpu[ready.film, ready.family]
        found.append(Judged(ready, ask, np.array(sizes), float(sum(sizes)), sum(took.values()), took))
    return found


def percentile_row(name: str, facts: list[float], drawn: list[NDArray[np.float64]]) -> tuple[str, str, str]:
    """How far likely lies from what came, and how often P10 to P90 holds it."""
    truth, likely = np.array(facts), np.array([np.median(d) for d in drawn])
    low, high = (np.array([np.quantile(d, q) for d in drawn]) for q in (0.1, 0.9))
    error = np.abs(likely / truth - 1)
    inside = np.mean((low <= truth) & (truth <= high))
    loss = np.mean([
        np.mean([max(q * (t - np.quantile(d, q)), (q - 1) * (t - np.quantile(d, q))) for q in (0.1, 0.5, 0.9)]) / t
        for t, d in zip(truth, drawn, strict=True)
    ])  # fmt: skip
    ratio = float(np.median(likely / truth))
    told = (
        f"median {np.median(error):.1%}, P90 {np.quantile(error, 0.9):.1%}, likely ÷ fact {ratio:.2f}, "
        f"P10–P90 holds {inside:.0%} with factor {np.median(high / low):.2f}, pinball {loss:.3f}"
    )
    return (name, told, "")


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Encode in full what is forecast, then forecast it as if less were known."""
    mark = subprocess.run(
        ["git", "rev-parse", "HEAD"], capture_output=True, text=True, check=True
    ).stdout.strip()
    seed = int(os.environ.get("CHRONOCAST_BENCH_SEED", "") or int(mark[:7], 16))
    home = HOME / f"judged-{seed:08x}"
    use_home(home)
    space = Workspace()
    if not space.paces.of().calibrated:
        from chronocast.crew.local.calibrate import calibrate

        calibrate(space.paces)
    path = home / "judged.batch.json"
    batch = batch_of(films(seed, FILMS, FRAMES, HOME, "judged"), RECIPES, path)
    encode(batch, path)
    prospect = prepared(batch, path, space)
    with space.ledger() as ledger:
        facts = ledger.pieces({ready.film for ready in prospect.outputs})
    judged = read(prospect.outputs, space, facts)
    rows = [("films by the seed", f"{seed:08x}", ""), ("outputs encoded in full", f"{len(judged)}", "60")]
    return [*rows, *((name, told, aim_of(name)) for name, told, _ in figures(judged, facts, space))]


def aim_of(name: str) -> str:
    """What is aimed at, where something is."""
    aims = {
        f"size, quality: {PROBES} probes": "≤ 5 %, P90 ≤ 12 %, holds 75–85 %",
        "size, quality: a sibling": "≤ 2 %",
        "size, two passes: nothing known": "≤ 1 %",
        "processor seconds left: packet scan, other films learned": "≤ 6 % on a quiet machine",
        "processor seconds left: a fifth of the pieces, other films learned": "≤ 3 % on a quiet machine",
    }
    return aims.get(name, "")


def figures(judged: list[Judged], facts: list[PieceFact], space: Workspace) -> list[tuple[str, str, str]]:
    """Every state of knowledge, for bytes and for seconds."""
    station, chance = this_station(space, 2), Chance()

    def others(one: Judged) -> Experience:
        known = [fact for fact in facts if fact.film != one.ready.film]
        if {fact.film for fact in known} & {one.ready.film}:
            raise SystemExit("a learned piece is of a judged film")
        return learn_from(known)

    def begun(one: Judged, ask: OutputAsk) -> Experience:
        assert ask.picture is not None
        made = {w for w, size in zip(ask.picture.window_names, ask.picture.kept, strict=True) if size}
        return learn_from(
            [
                fact
                for fact in facts
                if fact.film != one.ready.film or (fact.family == one.ready.family and fact.window in made)
            ]
        )

    def sibling(one: Judged) -> Experience:
        return learn_from(
            [fact for fact in facts if fact.film != one.ready.film or fact.family != one.ready.family]
        )

    def only_sibling(one: Judged) -> Experience:
        return learn_from([f for f in facts if f.film == one.ready.film and f.family != one.ready.family])

    ways: list[tuple[str, Callable[[Judged], tuple[OutputAsk, Experience]]]] = [
        ("nothing known", lambda one: (without_packets(one.ask), Experience())),
        ("packet scan", lambda one: (one.ask, Experience())),
        ("packet scan, other films learned", lambda one: (one.ask, others(one))),
        (
            f"{PROBES} probes",
            lambda one: (with_pieces(one.ask, one.sizes, spread(one.ask, PROBES)), Experience()),
        ),
        ("a sibling", lambda one: (one.ask, only_sibling(one))),
        ("siblings, other films learned", lambda one: (one.ask, sibling(one))),
        (
            "a fifth of the pieces, other films learned",
            lambda one: (
                fifth := with_pieces(one.ask, one.sizes, list(range(0, len(one.sizes), 5))),
                begun(one, fifth),
            ),
        ),
    ]
    groups: list[tuple[str, Callable[[Recipe], bool]]] = [
        (
            "quality",
            lambda r: r.picture is not None and not r.picture.steering.rated and bool(r.picture.kind.modes),
        ),
        ("one pass to a rate", lambda r: r.id == "h264-1m5"),
        ("two passes", lambda r: r.id == "h264-two-900k"),
        ("mezzanine", lambda r: r.id == "prores-std"),
    ]
    found: list[tuple[str, str, str]] = []
    told: dict[tuple[str, str], tuple[NDArray[np.float64], NDArray[np.float64], float]] = {}
    for name, way in ways:
        for one in judged:
            ask, learned = way(one)
            drawn = forecast_outputs([ask], station, learned, chance)
            encodes = [stage.seconds for stage in drawn.work[0].stages if stage.kind.id == "encode"]
            # seconds without what others take just now: the processor's
            stretch = station.load.draws(chance)
            around = float(np.median(drawn.bytes[0])) - _pictures(ask, learned, chance)
            told[name, one.ready.output.id] = (
                drawn.bytes[0] - around,
                encodes[0] / stretch,
                one.cpu_left(ask),
            )
    for group, belongs in groups:
        members = [one for one in judged if belongs(one.ready.recipe)]
        for name, _ in ways:
            drawn_sizes = [told[name, one.ready.output.id][0] for one in members]
            found.append(
                percentile_row(f"size, {group}: {name}", [one.bytes for one in members], drawn_sizes)
            )
        found.append(thumb(f"size, {group}: rule of thumb", members))
    for name, _ in ways:
        mine = [told[name, one.ready.output.id] for one in judged]
        found.append(
            percentile_row(
                f"processor seconds left: {name}",
                [left for _, _, left in mine],
                [drawn for _, drawn, _ in mine],
            )
        )
    found.append(real_time(judged))
    return found


def _pictures(ask: OutputAsk, learned: Experience, chance: Chance) -> float:
    from chronocast.forecast.outputs import picture_draws

    return float(np.median(picture_draws([ask], chance, learned)[0]))


def thumb(name: str, members: list[Judged]) -> tuple[str, str, str]:
    """Rate × length; where there is no rate, the typical picture's."""
    error = [
        abs(log(one.ready.size_prior.bytes_a_frame * one.ready.plan.frames / one.bytes)) for one in members
    ]
    return (
        name,
        f"median off by a factor {np.exp(np.median(error)):.2f}, P90 {np.exp(np.quantile(error, 0.9)):.2f}",
        "",
    )


def real_time(judged: list[Judged]) -> tuple[str, str, str]:
    """A fixed multiple of real time for each recipe: what the other films took."""
    error = []
    for one in judged:
        rest = [
            o.cpu / o.ready.plan.seconds
            for o in judged
            if o.ready.recipe.id == one.ready.recipe.id and o is not one
        ]
        error.append(abs(float(np.median(rest)) * one.ready.plan.seconds / one.cpu - 1))
    return (
        "processor seconds: rule of thumb (the other films' multiple of real time)",
        f"median {np.median(error):.1%}, P90 {np.quantile(error, 0.9):.1%}",
        "",
    )
