"""What is believed before anything is known, measured: writes ``forecast/picture/measured.py`` anew from real encodes.

Films by a fixed seed, all unlike those that ``./run bench forecast`` judges
by.  A run that was stopped goes on where it was.
"""

from __future__ import annotations

import os
import subprocess
import sys
from collections import defaultdict
from dataclasses import astuple, dataclass, replace
from datetime import date
from math import exp, hypot, log, sqrt
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bench.encodes import batch_of, encode, recipe, use_home
from bench.material import films
from chronocast.forecast.composing import READ_OTHER
from chronocast.forecast.container import container_bytes
from chronocast.forecast.learning.film_seen import HELD
from chronocast.forecast.picture.content import Character
from chronocast.forecast.picture.priors import halvings, quality_bits
from chronocast.forecast.work import PIECE_WORK
from chronocast.journal.workspace import Workspace
from chronocast.media.encoders.registry import ENCODERS
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.today import prepared

SEED, FILMS, FRAMES = 0xCA11, 15, 1000
RECIPES = (
    recipe("h264-q21", "h264", mode="quality", quality=21.0),
    recipe("h264-q27", "h264", mode="quality", quality=27.0),
    recipe("h264-small", "h264", (320, 180), mode="quality", quality=21.0),
    recipe("hevc-q27", "hevc", mode="quality", quality=27.0),
    recipe("mpeg2-q5", "mpeg2", mode="quality", quality=5.0),
    recipe("prores-lt", "prores", grade="lt"),
    recipe("dnxhr", "dnxhr"),
    recipe("ffv1", "ffv1", container="mkv"),
    recipe("h264-700k", "h264", mode="variable", target_bits_per_second=700_000),
    recipe("h264-3m", "h264", mode="variable", target_bits_per_second=3_000_000),
)
HOME = Path(os.environ.get("CHRONOCAST_BENCH_CACHE", "/var/tmp/chronocast-bench"))
TARGET = Path(__file__).parent.parent / "src" / "chronocast" / "forecast" / "picture" / "measured.py"
HARDER = 1.0
"""These films, many of them grained and shaken, are taken to be so much harder than what people deliver, in standard
deviations of how films differ: constant quality of clips that people had came out halfway between what a codec's row
calls typical and these."""
OTHER_MATERIAL = 0.35
"""How far off that may be, in the same measure."""


@dataclass
class Encoded:
    """An output's windows, in logs of bits a pixel and dB, the source's beside them, and what it took of the processor."""

    film: str
    recipe: str
    kind: str
    codec: str
    source: str
    encoder: str
    bits: NDArray[np.float64]
    packets: NDArray[np.float64]
    looks: NDArray[np.float64]
    cpu: float
    frames: int
    megapixels: float
    reading: float


def read(
    ready: OutputReady,
    space: Workspace,
    cpu: dict[tuple[str, str], float],
    looks: dict[tuple[str, str, str], float],
) -> Encoded | None:
    """What an output's pieces took; None where not all of them are in the stock."""
    plan, picture = ready.plan, ready.recipe.picture
    assert plan.settings is not None and picture is not None
    sizes = []
    for piece in plan.pieces:
        size = space.stock.size(piece.name)
        if size is None:
            return None
        around = container_bytes(plan.settings.piece, piece.frames, 0, whole=ready.whole_frames)
        sizes.append(max(1.0, size - around))
    frames = np.array([piece.frames for piece in plan.pieces], float)
    packets = np.array([np.nan if item.packets is None else item.packets for item in ready.content])
    source = next(iter(ready.source.facts.values()))
    return Encoded(
        ready.film,
        ready.recipe.id,
        ready.size_prior.kind,
        picture.codec,
        source.video_codec,
        plan.settings.encoder,
        np.log(np.array(sizes) * 8 / frames / (plan.width * plan.height)),
        packets,
        np.array([looks.get((ready.film, ready.family, item.window), np.nan) for item in ready.content]),
        cpu.get((ready.film, ready.family), 0.0),
        int(frames.sum()),
        plan.width * plan.height / 1e6,
        source.width * source.height / 1e6,
    )


def one_factor(columns: dict[str, NDArray[np.float64]]) -> tuple[dict[str, float], NDArray[np.float64]]:
    """Loadings of columns on what they have most in common, and its scores."""
    names = [name for name, values in columns.items() if values.std() > 0.02]
    table = np.array([(columns[n] - columns[n].mean()) / max(columns[n].std(), 1e-9) for n in names])
    correlation = np.corrcoef(table)
    value, vector = np.linalg.eigh(correlation)
    first = vector[:, -1] * np.sign(vector[:, -1].sum())
    loadings = np.clip(first * sqrt(value[-1]), 0.3, 0.985)
    scores = first @ table / sqrt(value[-1])
    found = dict.fromkeys(columns, 0.3)  # of what is always the same, nothing follows
    return found | dict(zip(names, map(float, loadings), strict=True)), scores


def characters(rows: dict[str, list[Encoded]]) -> tuple[dict[str, Character], dict[str, float]]:
    """The character of each recipe that isn't held by a rate, and how hard each film is."""
    names = [name for name, items in rows.items() if not items[0].kind.endswith(("variable", "two pass"))]
    order = [item.film for item in rows[names[0]]]
    means = {n: np.array([item.bits.mean() for item in rows[n]]) for n in names}
    loadings, scores = one_factor(means)
    within = {n: np.concatenate([item.bits - item.bits.mean() for item in rows[n]]) for n in names}
    of_windows, _ = one_factor(within)
    found = {}
    for name in names:
        pieces = float(np.mean([len(item.bits) for item in rows[name]]))
        window = float(within[name].std() * sqrt(pieces / (pieces - 1)))
        film = sqrt(max(0.01, float(means[name].var(ddof=1)) - window**2 / pieces))
        alone = window * sqrt(1 - of_windows[name] ** 2)
        own = max(0.03, alone * 0.6)
        kept = sqrt(max(1e-4, window**2 - own**2))
        picture = next(item for item in RECIPES if item.id == name).picture
        assert picture is not None
        typical = typical_bits(name)
        found[name] = Character(
            shift=float(means[name].mean()) - log(typical) - HARDER * film * loadings[name],
            common=hypot(film / sqrt(len(order)), max(0.06, OTHER_MATERIAL * film)),
            film=film,
            window=kept,
            own=own,
            film_content=loadings[name],
            window_content=min(0.985, of_windows[name] * window / kept),
        )
    return found, dict(zip(order, map(float, scores), strict=True))


def typical_bits(name: str) -> float:
    """Bits a pixel that a factor of one stands for, before small pictures are thought of."""
    picture = next(item for item in RECIPES if item.id == name).picture
    assert picture is not None
    codec = picture.kind
    if codec.typical is not None:
        return quality_bits(codec.typical, picture.rate_control.quality)
    if grade := codec.grade(picture.grade):
        return grade.bits_a_pixel
    return codec.lossless[0]


def packet_characters(rows: list[Encoded], hard: dict[str, float]) -> dict[str, Character]:
    """What sources' packets say: by codec the usual, by all of them how far they follow what is shown."""
    by_codec: dict[str, list[Encoded]] = defaultdict(list)
    for item in rows:
        if not np.isnan(item.packets).any() and item.packets.std() >= HELD:
            by_codec[item.source].append(item)
    off, score, window, windows_off, windows_bits = [], [], [], [], []
    means = {
        codec: float(np.mean([item.packets.mean() for item in items])) for codec, items in by_codec.items()
    }
    hard_of = {
        codec: float(np.mean([hard[item.film] for item in items])) for codec, items in by_codec.items()
    }
    for codec, items in by_codec.items():
        for item in items:
            off.append(float(item.packets.mean()) - means[codec])
            score.append(hard[item.film] - hard_of[codec])
            window.append(float((item.packets - item.packets.mean()).std(ddof=1)))
            windows_off.append(item.packets - item.packets.mean())
            windows_bits.append(item.bits - item.bits.mean())
    follows = float(np.clip(np.corrcoef(off, score)[0, 1], 0.2, 0.95))
    windows = float(
        np.clip(np.corrcoef(np.concatenate(windows_off), np.concatenate(windows_bits))[0, 1], 0.2, 0.95)
    )
    film = max(0.5, float(np.std(off, ddof=1)) * 1.2)
    shared = Character(0.0, 0.3, film, float(np.median(window)), 0.1, follows, windows)
    found = {}
    for codec, items in by_codec.items():
        # a codec's films may happen to be hard: what they are by their encodes is taken off
        harder = hard_of[codec] * len(items) / (len(items) + 2) + HARDER
        shift = means[codec] - film * follows * harder
        found[codec] = replace(shared, shift=shift)
    long = [found[c].shift for c in found if c in ("h264", "hevc", "mpeg2video")]
    found["long"] = replace(shared, shift=float(np.mean(long)), common=0.6, film=film * 1.2)
    found.setdefault("grade", replace(shared, shift=1.0, common=0.5))
    found.setdefault("lossless", replace(shared, shift=2.0, common=0.5, film_content=0.7))
    return found


class Seconds(NamedTuple):
    """Log seconds a million pixels at the usual bits, these, how far the one follows the other, and what is left (sd)."""

    usual: float
    bits: float
    slope: float
    left: float


def seconds_by_bits(rows: list[Encoded], frame: float, at: float | None = None) -> Seconds:
    """How long an encoder's pieces take, at the usual bits or ``at`` others."""
    known = [item for item in rows if item.cpu > 0]
    if len(known) < 5:
        return Seconds(0.0, USUAL, 0.15, 0.0)
    work = np.array([_work(item, frame) for item in known])
    cpu = np.log([item.cpu for item in known]) - np.log(work)
    bits = np.log([float((np.exp(item.bits)).mean()) for item in known])
    # where all take about the same bits, they say nothing of it
    slope = float(np.clip(np.polyfit(bits, cpu, 1)[0], 0.0, 0.6)) if bits.std() > 0.3 else 0.1
    usual = round(float(bits.mean()), 2) if at is None else at
    left = cpu - slope * (bits - usual)
    return Seconds(float(left.mean()), usual, slope, float(left.std(ddof=2)))


class Look(NamedTuple):
    """XPSNR in dB at a codec's usual quality, what halving the bits takes of it, and how it varies."""

    usual: float
    per_halving: float
    character: Character


GRADED_HALVING = 4.0
"""dB: what halving the bits takes of a mezzanine codec, of which one grade alone is measured."""


def looks_of(rows: dict[str, list[Encoded]], hard: dict[str, float]) -> dict[str, Look]:
    """How like the original each codec's pictures came out, and how that varies with what is shown."""
    known = {name: items for name, items in rows.items() if not any(np.isnan(i.looks).any() for i in items)}
    means = {name: np.array([item.looks.mean() for item in items]) for name, items in known.items()}
    slope = float(np.median(means["h264-q21"] - means["h264-q27"]))  # these are one halving apart
    found = {}
    for name in ("h264-q21", "hevc-q27", "mpeg2-q5", "prores-lt", "dnxhr"):
        if name not in known:
            continue
        items, picture = known[name], next(item for item in RECIPES if item.id == name).picture
        assert picture is not None
        codec = picture.kind
        if grade := codec.grade(picture.grade) if not codec.modes else None:
            per, up = GRADED_HALVING, log(grade.bits_a_pixel) / log(2)
        else:
            per, up = slope, halvings(codec, picture.rate_control.quality)
        scores = np.array([hard[item.film] for item in items])
        film = max(0.5, float(means[name].std(ddof=1)))
        follows = float(np.clip(np.corrcoef(means[name], scores)[0, 1], -0.95, 0.95))
        within = np.concatenate([item.looks - item.looks.mean() for item in items])
        bits = np.concatenate([item.bits - item.bits.mean() for item in known["h264-q21"]])
        pieces = float(np.mean([len(item.looks) for item in items]))
        window = max(0.2, float(within.std() * sqrt(pieces / (pieces - 1))))
        own = max(0.15, 0.3 * window)
        kept = sqrt(window**2 - own**2)
        found[codec.id] = Look(
            float(means[name].mean()) - per * up - HARDER * film * follows,
            per,
            Character(
                0.0,
                hypot(film / sqrt(len(items)), OTHER_MATERIAL * film),
                film,
                kept,
                own,
                follows,
                float(np.clip(np.corrcoef(within, bits)[0, 1] * window / kept, -0.95, 0.95)),
            ),
        )
    return found


USUAL = -2.9
"""Log of the bits that a pixel is taken to get from an encoder that wasn't measured."""


def _work(item: Encoded, frame: float) -> float:
    share = READ_OTHER / ENCODERS[item.encoder].effort("medium")
    return item.frames * (item.megapixels + frame + share * item.reading) + PIECE_WORK * len(item.bits)


def frame_work(rows: dict[str, list[Encoded]]) -> float:
    """What a frame costs whatever its size: with it, small and large pictures have the same pace."""

    def apart(frame: float) -> float:
        large = seconds_by_bits(rows["h264-q21"], frame)
        return abs(large.usual - seconds_by_bits(rows["h264-small"], frame, large.bits).usual)

    return float(min(np.arange(0.0, 0.12, 0.004), key=apart))


def fit(outputs: list[OutputReady], space: Workspace) -> list[tuple[str, str, str]]:
    """Everything that follows from the encodes, written down; rows for the report."""
    with space.ledger() as ledger:
        facts = ledger.pieces({ready.film for ready in outputs})
    cpu: dict[tuple[str, str], float] = defaultdict(float)
    looks = {(f.film, f.family, f.window): f.xpsnr for f in facts if f.xpsnr is not None}
    for fact in facts:
        cpu[fact.film, fact.family] += fact.cpu_seconds
    rows: dict[str, list[Encoded]] = defaultdict(list)
    for ready in outputs:
        if (item := read(ready, space, cpu, looks)) is not None:
            rows[item.recipe].append(item)
    whole = max(len(items) for items in rows.values())
    rows = {name: items for name, items in rows.items() if len(items) == whole}
    found, hard = characters(rows)
    kinds = {
        rows[name][0].kind: character for name, character in reversed(found.items()) if name != "h264-small"
    }
    means = {n: float(np.mean([item.bits.mean() for item in rows[n]])) for n in ("h264-small", "h264-q21")}
    measured_power = (means["h264-small"] - means["h264-q21"]) / log(0.25)
    # grain goes when a picture is made small; what people deliver has less of it, so nothing is made of that
    size_power = min(0.0, measured_power)
    for kind, character in kinds.items():  # said of pictures of 1280×720
        if kind.endswith("quality"):
            kinds[kind] = replace(character, shift=character.shift - size_power * log(640 * 360 / PIXELS))
    packets = packet_characters(rows["h264-q21"], hard)
    frame = frame_work(rows)
    paces = {
        items[0].encoder: seconds_by_bits(items, frame)
        for name, items in rows.items()
        if name not in ("h264-small", "h264-700k", "h264-3m")
    }
    seen = looks_of(rows, hard)
    kinds |= {f"{codec} look": look.character for codec, look in seen.items()}
    write(
        kinds,
        packets,
        paces,
        seen,
        size_power=size_power,
        frame=frame,
    )
    reference = paces["libx264"].usual
    report = [
        (f"{kind}: shift, film, window", f"{c.shift:+.2f}, {c.film:.2f}, {c.window:.2f}", "")
        for kind, c in kinds.items()
    ]
    report += [
        (
            f"{name}: seconds against x264 (believed), by bits, left",
            f"{exp(pace.usual - reference):.2f} ({ENCODERS[name].effort('medium'):.2f}), {pace.slope:.2f}, {pace.left:.2f}",
            "",
        )
        for name, pace in paces.items()
    ]
    report += [
        (
            f"{codec}: XPSNR at its usual quality, dB a halving; film, window",
            f"{look.usual:.1f}, {look.per_halving:.1f}; {look.character.film:.1f}, {look.character.window:.1f}",
            "",
        )
        for codec, look in seen.items()
    ]
    report += [
        ("a small picture's bits a pixel, power of its pixels", f"{measured_power:+.2f}", ""),
        ("a frame whatever its size, million pixels", f"{frame:.3f}", ""),
        (
            "packets follow films, windows",
            f"{packets['long'].film_content:.2f}, {packets['long'].window_content:.2f}",
            "",
        ),
    ]
    return report


PIXELS = 921_600


def write(
    kinds: dict[str, Character],
    packets: dict[str, Character],
    paces: dict[str, Seconds],
    looks: dict[str, Look],
    *,
    size_power: float,
    frame: float,
) -> None:
    """Write the module that the forecast reads."""
    looks = {"": Look(looks["h264"].usual, looks["h264"].per_halving, looks["h264"].character), **looks}
    looks["grade"] = looks["prores"]

    def told(characters: dict[str, Character]) -> str:
        lines = [
            f"    {name!r}: Character({', '.join(f'{value:.3f}' for value in astuple(character))}),"
            for name, character in sorted(characters.items())
        ]
        return "{\n" + "\n".join(lines) + "\n}"

    quality = [c for kind, c in kinds.items() if kind.endswith("quality")]
    usual = Character(*np.mean([astuple(c) for c in quality], axis=0))
    grades = [c for kind, c in kinds.items() if kind.endswith("grade")]
    graded = Character(*np.mean([astuple(c) for c in grades], axis=0))
    lossless = [c for kind, c in kinds.items() if kind.endswith("lossless")]
    without = Character(*np.mean([astuple(c) for c in lossless], axis=0))
    look = Character(*np.mean([astuple(item.character) for item in looks.values()], axis=0))
    classes = {
        "look": replace(look, shift=0.0, common=2.5),
        "quality": replace(usual, common=0.35),
        "grade": replace(graded, shift=0.0, common=0.2),
        "lossless": replace(without, shift=0.0, common=0.35),
    }
    TARGET.write_text(
        f'''"""How bytes and seconds of each kind of encode vary.  Made by ``./run bench priors``; not to be edited.

{FILMS} films of {FRAMES} frames at 640×360, photographs moved as a camera would and drawn pictures, each by
{len(RECIPES)} recipes, really encoded, {date.today().isoformat()}.  Characters are shift, common, film, window, own,
film_content and window_content.
"""

from __future__ import annotations

from chronocast.forecast.picture.content import Character

CLASSES = {told(classes)}
"""Of encodes that weren't measured, by the last word of their kind."""
MEASURED: dict[str, Character] = {told(kinds)}
"""By kind: against what its codec's row calls typical, for pictures of 1280×720."""
LOOKS = {{
{chr(10).join(f'    "{name}": ({item.usual:.1f}, {item.per_halving:.1f}),' for name, item in sorted(looks.items()))}
}}
"""By codec: XPSNR in dB at its usual quality (of a mezzanine codec, at one bit a pixel), and what halving the bits takes."""
PACKETS = {told(packets)}
"""Log of bits a pixel of sources, by their codec, else by its class."""
SIZE_POWER = {size_power:.3f}
"""Bits a pixel follow a picture's pixels by this power: a small picture shows more in each."""
USUAL_PIXELS = {PIXELS}
SECONDS_BY_BITS = {{
    "": (0.15, {USUAL}),
{chr(10).join(f'    "{name}": ({pace.slope:.3f}, {pace.bits}),' for name, pace in sorted(paces.items()))}
}}
"""By encoder: how far the log of seconds follows the log of the bits that a pixel gets, and the usual bits."""
FRAME_WORK = {frame:.3f}
"""What a frame costs whatever its size, in millions of pixels."""
'''
    )
    subprocess.run([sys.executable, "-m", "ruff", "format", "-q", str(TARGET)], check=False)


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Encode, fit, write."""
    use_home(HOME / "calibration")
    made = films(SEED, FILMS, FRAMES, HOME, "film")
    path = HOME / "calibration" / "priors.batch.json"
    batch = batch_of(made, RECIPES, path)
    encode(batch, path)
    space = Workspace()
    prospect = prepared(batch, path, space)
    return fit(prospect.outputs, space)
