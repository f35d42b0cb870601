"""One common quality over pieces against an unsplit two-pass encode: size, mean and worst XPSNR, and the work.

Both are given the same composed pictures and the same rate; for quality the
unsplit encode is given the rate at which it comes out as large.  The worst
piece is compared with the worst stretch of the same bounds.
"""

from __future__ import annotations

import itertools
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.filter import Graph

from chronocast.demo.copy import copy_demo
from chronocast.journal.documents import load_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.picture.layers import piece_pictures
from chronocast.media.piece.encode import encode_pictures
from chronocast.media.piece.settings import encoder_settings
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import EncoderSettings
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.plan import OutputPlan, plan_output
from chronocast.pieces.rounds import TYPICAL_BITS, Made, Rounds, first_quality, sample, settle
from chronocast.preparation.today import prepared

SECONDS = 32
SOURCES = ("Hall of Tides, opening film", "Tide walk", "Night round", "Old reel, grain", "Feeding hour")
WIDTH, HEIGHT = 640, 360


def _recipe(codec: str, bits: int) -> Recipe:
    control = RateControl(mode="two pass", target_bits_per_second=bits)
    size = FrameSize(mode="fixed", width=WIDTH, height=HEIGHT)
    return Recipe(
        id="bench",
        name="Bench",
        sound=None,
        picture=PictureRecipe(codec=codec, size=size, rate_control=control),
    )


def _unsplit(
    pictures: list[av.VideoFrame], settings: EncoderSettings, bits: int, folder: Path
) -> tuple[Path, float]:
    """The encoder's own two passes over all of it; the file, and seconds of processor time."""
    key = "x264-params" if settings.encoder == "libx264" else "x265-params"
    begin = time.process_time()
    target = folder / "unsplit.mp4"
    for number in (1, 2):
        options = {name: value for name, value in settings.options.items() if name != "crf"}
        options[key] = f"{options[key]}:pass={number}:stats={folder}/passes.log"
        one = settings.model_copy(update={"options": options, "bits_per_second": bits})
        encode_pictures(iter(pictures), str(target), Fraction(25), width=WIDTH, height=HEIGHT, settings=one)
    return target, time.process_time() - begin


def _split(
    plan: OutputPlan, pictures: list[av.VideoFrame], recipe: Recipe, bits: int, folder: Path
) -> tuple[list[Path], int, float]:
    """One common quality over the pieces; their files, how many rounds, seconds of processor time."""
    begin = time.process_time()
    assert recipe.picture and plan.settings
    frames = [piece.frames for piece in plan.pieces]
    starts = np.cumsum([0, *frames])
    codec = recipe.picture.kind
    typical = codec.typical.bits if codec.typical else TYPICAL_BITS
    usual = codec.quality[2] if codec.quality else 20
    rounds = Rounds(quality=first_quality(bits, WIDTH * HEIGHT, 25, usual=usual, typical_bits=typical))
    files = [folder / f"piece-{n}.mp4" for n in range(len(frames))]
    while not rounds.settled:
        settings = encoder_settings(
            recipe.picture,
            WIDTH,
            HEIGHT,
            rate=Fraction(25),
            colour=plan.settings.colour,
            quality=rounds.quality,
        )
        sizes: dict[int, int] = {}
        quantizers: dict[int, float] = {}
        for number in sample(len(frames)) if rounds.sampling else range(len(frames)):
            part = pictures[starts[number] : starts[number + 1]]
            made = encode_pictures(
                iter(part), str(files[number]), Fraction(25), width=WIDTH, height=HEIGHT, settings=settings
            )
            sizes[number], quantizers[number] = sum(made.packets), made.quantizer or 0.0
        rounds = settle(
            rounds, Made(sizes, quantizers), frames, target_bytes=bits * sum(frames) / 25 / 8
        ).rounds
    return files, len(rounds.tried), time.process_time() - begin


def _bytes(file: Path) -> int:
    with av.open(str(file)) as container:
        return sum(packet.size for packet in container.demux(container.streams.video[0]))


def _xpsnr(pictures: list[av.VideoFrame], files: list[Path]) -> list[float]:
    """XPSNR of the luma of each picture, at most 100 dB."""
    graph = Graph()
    sides = [
        graph.add_buffer(
            width=WIDTH, height=HEIGHT, format=av.VideoFormat("yuv420p"), time_base=Fraction(1, 25)
        )
        for _ in range(2)
    ]
    node = graph.add("xpsnr")
    for number, side in enumerate(sides):
        side.link_to(node, 0, number)
    node.link_to(graph.add("buffersink"))
    graph.configure()
    found, at = [], 0
    for file in files:
        with av.open(str(file)) as container:
            for picture in container.decode(container.streams.video[0]):
                original = pictures[at]
                for frame, side in ((original, sides[0]), (picture, sides[1])):
                    frame.pts, frame.time_base = at, Fraction(1, 25)
                    side.push(frame)
                told = float(graph.vpull().metadata["lavfi.xpsnr.xpsnr.y"])
                found.append(min(100.0, told))
                at += 1
    return found


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Rows of what, measured, aim."""
    path = copy_demo(folder)
    prospect = prepared(load_batch(path), path, Workspace())
    by_name = {ready.source.name: ready for ready in prospect.sources.values()}
    rows, readers = [], Readers()
    for codec, names, share in (("h264", SOURCES, 0.05), ("hevc", SOURCES[:2], 0.03)):
        for name in names:
            ready = by_name[name]
            part = FrameRange(0, min(ready.cut.frames, round(SECONDS * ready.cut.rate)))
            bits = round(share * WIDTH * HEIGHT * 25 / 1000) * 1000
            recipe = _recipe(codec, bits)
            plan = plan_output(ready.cut, part, recipe)
            pictures = [frame for piece in plan.pieces for frame in piece_pictures(piece, readers)]
            with tempfile.TemporaryDirectory() as place:
                assert plan.settings
                one, one_cpu = _unsplit(pictures, plan.settings, bits, Path(place))
                ours, count, cpu = _split(plan, pictures, recipe, bits, Path(place))
                target = bits * len(pictures) / 25 / 8
                size, own = (sum(_bytes(file) for file in files) for files in (ours, [one]))
                off, own_off = size / target - 1, own / target - 1
                asked = bits
                for _ in range(
                    3
                ):  # quality is compared at the same size, whatever the encoder made of its rate
                    if abs(own / size - 1) < 0.004:
                        break
                    asked = round(asked * size / own)
                    one, _cpu = _unsplit(pictures, plan.settings, asked, Path(place))
                    own = _bytes(one)
                a, b = _xpsnr(pictures, ours), _xpsnr(pictures, [one])
            starts = np.cumsum([0, *(piece.frames for piece in plan.pieces)])
            means = [[float(np.mean(q[i:j])) for i, j in itertools.pairwise(starts)] for q in (a, b)]
            rows += [
                (
                    f"{codec}, {name}, {len(plan.pieces)} pieces: size against the rate (unsplit two pass)",
                    f"{off:+.2%} ({own_off:+.2%})",
                    "±1 %",
                ),
                (
                    f"  mean XPSNR against it at the same size ({own / size - 1:+.1%})",
                    f"{np.mean(a) - np.mean(b):+.2f} dB",
                    "≥ −0.1 dB",
                ),
                (
                    "  worst piece against its worst piece",
                    f"{min(means[0]) - min(means[1]):+.2f} dB",
                    "no worse",
                ),
                ("  rounds; work against its two passes", f"{count}; {cpu / one_cpu:.2f} ×", "told"),
            ]
    readers.close()
    return rows
