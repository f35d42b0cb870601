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
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bench.encodes import batch_of, encode, recipe, use_home
from bench.held_plot import Held, draw
from bench.material import films
from chronocast.forecast.band import Chance
from chronocast.forecast.container import container_bytes
from chronocast.forecast.learning.experience import Experience, PieceFact, learn_from
from chronocast.forecast.outputs import OutputAsk, forecast_outputs, output_looks
from chronocast.forecast.picture.quality import Looks, look_band, of_shots
from chronocast.journal.workspace import Workspace
from chronocast.model.recipe.recipe import Recipe
from chronocast.preparation.forecast.output_ask import output_ask
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.station.this import this_station
from chronocast.preparation.today import prepared

FILMS, FRAMES = 12, 1500
RECIPES = (
    recipe("h264-q22", "h264", mode="quality", quality=22.0),
    recipe("hevc-q26", "hevc", mode="quality", quality=26.0),
    recipe("h264-1m5", "h264", mode="variable", target_bits_per_second=1_500_000),
    recipe("h264-two-900k", "h264", mode="two pass", target_bits_per_second=900_000),
    recipe("prores-std", "prores", grade="standard"),
    recipe("h264-q28", "h264", mode="quality", quality=28.0),
    recipe("mpeg2-q4", "mpeg2", mode="quality", quality=4.0),
    recipe("dnxhr", "dnxhr"),
    recipe("h264-fast-q24", "h264", mode="quality", quality=24.0, effort="fast"),
)
LOOK = "h264-fast-q24"
"""The recipe that stands for a fast look at all of a film's content."""
LONG_FRAMES, LONG_SHARE = int(os.environ.get("CHRONOCAST_BENCH_LONG", "") or 15_000), 0.08
"""The long film (0 for none), and how much of it is probed."""
PLOT = Path(__file__).parent.parent / "docs" / "forecast-held.svg"
HOME = Path(os.environ.get("CHRONOCAST_BENCH_CACHE", "/var/tmp/chronocast-bench"))
PROBES = 4
FEW = {"h264-two-900k": 4}
"""Two passes take as long as all the others together: of the first films only."""


@dataclass(frozen=True)
class Judged:
    """One output: as it is asked about, and what it really took."""

    ready: OutputReady
    ask: OutputAsk
    sizes: NDArray[np.float64]
    bytes: float
    cpu: float
    cpu_of: dict[str, float]
    looks: dict[str, float]

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
    looks: dict[tuple[str, str], dict[str, float]] = defaultdict(dict)
    for fact in reversed(facts):  # the newest last: that is what the file is made of
        if fact.xpsnr is not None:
            looks[fact.film, fact.family][fact.window] = fact.xpsnr
    newer = None
    for fact in facts:
        if fact.family:
            cpu[fact.film, fact.family][fact.window] += fact.cpu_seconds
        elif newer is not None and (newer.film, newer.frames) == (fact.film, fact.frames):
            # what composing its pictures took is told right before a piece, and by itself
            cpu[newer.film, newer.family][newer.window] += fact.cpu_seconds
        newer = fact if fact.family else None
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
        seen = looks[ready.film, ready.family]
        found.append(Judged(ready, ask, np.array(sizes), float(sum(sizes)), sum(took.values()), took, seen))
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
    judged, facts = _made(home, films(seed, FILMS, FRAMES, HOME, "judged"), RECIPES, space)
    long: list[Judged] = []
    if LONG_FRAMES:
        drawn = films(seed ^ 0x10F, 1, LONG_FRAMES, HOME, "long")
        long, _ = _made(home, drawn, RECIPES[:1], space, name="long")
    rows = [
        ("films by the seed", f"{seed:08x}", ""),
        ("outputs encoded in full", f"{len(judged)} of a minute, {len(long)} of ten", "100"),
    ]
    found = figures(judged, facts, space)
    rows += [(name, told, aim_of(name)) for name, told, _ in found.rows]
    rows += ten_minutes(long, space)
    draw(found.held, PLOT)
    return rows


def _made(
    home: Path, made: Sequence[Path], recipes: Sequence[Recipe], space: Workspace, name: str = "judged"
) -> tuple[list[Judged], list[PieceFact]]:
    """Every film by every recipe, really encoded, and what that took."""
    path = home / f"{name}.batch.json"
    batch = batch_of(made, recipes, path, FEW)
    encode(batch, path)
    prospect = prepared(batch, path, space)
    with space.ledger() as ledger:
        facts = ledger.pieces({ready.film for ready in prospect.outputs})
    return read(prospect.outputs, space, facts), facts


def aim_of(name: str) -> str:
    """What is aimed at, where something is."""
    aims = {
        f"size, quality: {PROBES} probes": "≤ 5 %, P90 ≤ 12 %, holds 75–85 %",
        "size, quality: siblings of the same codec": "≤ 2 %",
        "size, two passes: nothing known": "≤ 1 %",
        "processor seconds left: packet scan, other films learned": "≤ 6 % on a quiet machine",
        "processor seconds left: a fifth of the pieces, other films learned": "≤ 3 % on a quiet machine",
    }
    return aims.get(name, "")


class Figures(NamedTuple):
    """Rows for the report, and what the plot shows."""

    rows: list[tuple[str, str, str]]
    held: list[Held]


def figures(judged: list[Judged], facts: list[PieceFact], space: Workspace) -> Figures:
    """Every state of knowledge, for bytes, for seconds and for looks."""
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

    codec_of = {
        one.ready.family: one.ready.recipe.picture.codec for one in judged if one.ready.recipe.picture
    }
    fast_look = {one.ready.family for one in judged if one.ready.recipe.id == LOOK}

    def only_sibling(one: Judged, same: bool) -> Experience:
        mine = codec_of[one.ready.family]
        return learn_from(
            [
                f
                for f in facts
                if f.film == one.ready.film
                and f.family != one.ready.family
                and (codec_of.get(f.family) == mine) == same
            ]
        )

    def looked_at(one: Judged) -> Experience:
        return learn_from([f for f in facts if f.film == one.ready.film and f.family in fast_look])

    ways: list[tuple[str, Callable[[Judged], tuple[OutputAsk, Experience]]]] = [
        ("nothing known", lambda one: (without_packets(one.ask), Experience())),
        ("packet scan", lambda one: (one.ask, Experience())),
        ("packet scan, other films learned", lambda one: (one.ask, others(one))),
        (
            f"{PROBES} probes",
            lambda one: (with_pieces(one.ask, one.sizes, spread(one.ask, PROBES)), Experience()),
        ),
        ("siblings of other codecs", lambda one: (one.ask, only_sibling(one, False))),
        ("siblings of the same codec", lambda one: (one.ask, only_sibling(one, True))),
        ("a fast look at all of it", lambda one: (one.ask, looked_at(one))),
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
    alike: dict[tuple[str, str], Looks | None] = {}
    for name, way in ways:
        for one in judged:
            ask, learned = way(one)
            drawn = forecast_outputs([ask], station, learned, chance)
            (alike[name, one.ready.output.id],) = output_looks([ask], chance, learned)
            encodes = [stage.seconds for stage in drawn.work[0].stages if stage.kind.id == "encode"]
            # seconds without what others take just now: the processor's
            stretch = station.load.draws(chance)
            around = float(np.median(drawn.bytes[0])) - _pictures(ask, learned, chance)
            told[name, one.ready.output.id] = (
                drawn.bytes[0] - around,
                encodes[0] / stretch,
                one.cpu_left(ask),
            )

    def has(one: Judged, name: str) -> bool:
        """Whether there is a sibling of that kind at all; nothing is judged by itself."""
        if "fast look" in name and one.ready.recipe.id == LOOK:
            return False
        return "same codec" not in name or bool(only_sibling(one, True).films)

    for group, belongs in groups:
        everyone = [one for one in judged if belongs(one.ready.recipe)]
        for name, _ in ways:
            members = [one for one in everyone if has(one, name)]
            if not members:
                continue
            drawn_sizes = [told[name, one.ready.output.id][0] for one in members]
            found.append(
                percentile_row(f"size, {group}: {name}", [one.bytes for one in members], drawn_sizes)
            )
        found.append(thumb(f"size, {group}: rule of thumb", everyone))
    for name, _ in ways:
        mine = [told[name, one.ready.output.id] for one in judged if has(one, name)]
        found.append(
            percentile_row(
                f"processor seconds left: {name}",
                [left for _, _, left in mine],
                [drawn for _, drawn, _ in mine],
            )
        )
    found.append(real_time(judged))
    measured = [one for one in judged if len(one.looks) == len(set(one.ask.picture.window_names))]  # type: ignore[union-attr]
    for name, _ in ways:
        found += looks_rows(
            name, [(one, alike[name, one.ready.output.id]) for one in measured if has(one, name)]
        )
    cost = sum(o.cpu for o in judged if o.ready.recipe.id == LOOK) / sum(
        o.cpu for o in judged if o.ready.recipe.id == "h264-q22"
    )
    found.append(
        ("a fast look at all of a film, against encoding it once at medium effort", f"{cost:.0%}", "")
    )
    held = [
        Held.of(name, told[name, one.ready.output.id][0], one.bytes)
        for name, _ in ways
        for one in judged
        if groups[0][1](one.ready.recipe) and has(one, name)
    ]
    return Figures(found, held)


def looks_rows(name: str, known: list[tuple[Judged, Looks | None]]) -> list[tuple[str, str, str]]:
    """How far XPSNR lies from what came, and how often it is no less than safe; of all, and of poorest shots."""
    off: list[tuple[float, float]] = []
    safe: list[tuple[bool, bool]] = []
    for one, looks in known:
        if looks is None or one.ask.picture is None:
            continue
        came = np.array([[one.looks[window]] for window in one.ask.picture.window_names])
        mean, worst = (float(value[0]) for value in of_shots(came, one.ask.picture.pieces))
        off.append((abs(float(np.median(looks.mean)) - mean), abs(float(np.median(looks.worst)) - worst)))
        safe.append((mean >= look_band(looks.mean).safe, worst >= look_band(looks.worst).safe))
    if not off:
        return []
    return [
        (
            f"looks, {what}: {name}",
            f"median off by {np.median(np.array(off)[:, n]):.1f} dB, P90 {np.quantile(np.array(off)[:, n], 0.9):.1f} dB, "
            f"no less than safe in {np.mean(np.array(safe)[:, n]):.0%}",
            "90 % no less than safe",
        )
        for n, what in enumerate(("all of a film", "its poorest shot"))
    ]


def ten_minutes(long: list[Judged], space: Workspace) -> list[tuple[str, str, str]]:
    """The ten-minute film: nothing known, its packets, and so much of it probed."""
    station, chance, rows = this_station(space, 2), Chance(), []
    for one in long:
        count = max(6, round(LONG_SHARE * len(one.sizes)))
        for name, ask in (
            ("nothing known", without_packets(one.ask)),
            ("packet scan", one.ask),
            (
                f"{count} of {len(one.sizes)} pieces probed",
                with_pieces(one.ask, one.sizes, spread(one.ask, count)),
            ),
        ):
            drawn = forecast_outputs([ask], station, Experience(), chance).bytes[0]
            around = float(np.median(drawn)) - _pictures(ask, Experience(), chance)
            low, likely, high = np.quantile(drawn - around, (0.1, 0.5, 0.9))
            rows.append(
                (
                    f"ten minutes, size, quality: {name}",
                    f"likely ÷ fact {likely / one.bytes:.3f}, P10–P90 {low / one.bytes:.2f} to {high / one.bytes:.2f}",
                    "within 2 %" if "probed" in name else "",
                )
            )
    return rows


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
