"""What composing pictures costs against encoding them: reading by codec, scaling, fields, blending, motion, layers; and base pieces."""

from __future__ import annotations

import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from bench.pieces import pictures
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.picture.layers import piece_pictures
from chronocast.media.piece.base import base_job, base_pictures
from chronocast.media.piece.encode import encode_piece
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.picture.weight import Weight
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.model.source.cutlist import CutList, Layer
from chronocast.model.source.facts import ClipFacts
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.plan import plan_output
from chronocast.timeline.clip_layout import clip_cut_list

RATE, FRAMES = Fraction(25), 50
HD, UHD = (1280, 720), (2560, 1440)
FORMS = {
    "h264": Format(options={"preset": "veryfast"}),
    "hevc": Format(
        "libx265", options={"preset": "superfast", "x265-params": "log-level=error:pools=1:frame-threads=1"}
    ),
    "hevc 10 bit": Format(
        "libx265",
        "yuv420p10le",
        options={"preset": "superfast", "x265-params": "log-level=error:pools=1:frame-threads=1"},
    ),
    "mpeg2video": Format("mpeg2video", bit_rate=15_000_000),
    "prores": Format("prores_ks", "yuv422p10le", {"profile": "2"}),
    "dnxhd": Format("dnxhd", "yuv422p", {"profile": "dnxhr_sq"}),
    "interlaced": Format("mpeg2video", bit_rate=15_000_000, interlaced=True),
}


def clip(folder: Path, name: str, size: tuple[int, int]) -> ClipFacts:
    """A film of one kind, and what is known of it."""
    form = FORMS[name]
    ending = "mov" if name in ("prores", "dnxhd") else "mp4"
    path = folder / f"{name} {size[0]}.{ending}"
    if not path.exists():
        shown = pictures(7, FRAMES * (2 if form.interlaced else 1), *size)
        write_footage(str(path), shown, RATE, quality=20, form=form)
    return inspect_clip(str(path))


def recipe(size: tuple[int, int] | None = None, **told: object) -> Recipe:
    """H.264 at a constant quality."""
    frame = FrameSize(mode="fixed", width=size[0], height=size[1]) if size else FrameSize(mode="source")
    picture = PictureRecipe.model_validate(
        {"size": frame, "rate_control": RateControl(mode="quality", quality=22), **told}
    )
    return Recipe(id="r", name="r", sound=None, picture=picture)


def job_of(cut: CutList, asked: Recipe) -> PieceJob:
    """Its one piece."""
    (job,) = plan_output(cut, FrameRange(0, cut.frames), asked).pieces
    return job


def composing(job: PieceJob, target: Path) -> float:
    """Seconds of the processor a frame for composing alone."""
    with Readers() as readers:
        begin = time.process_time()
        count = sum(1 for _ in piece_pictures(job, readers))
        return (time.process_time() - begin) / count


def encoding(job: PieceJob, target: Path) -> float:
    """Seconds of the processor a frame for composing and encoding."""
    with Readers() as readers:
        begin = time.process_time()
        encode_piece(job.model_copy(update={"target": str(target)}), readers)
        return (time.process_time() - begin) / job.frames


def reading(job: PieceJob, target: Path) -> float:
    """Seconds of the processor a frame for reading its base piece."""
    begin = time.process_time()
    count = sum(1 for _ in base_pictures(job))
    return (time.process_time() - begin) / count


def best(measure: Callable[[PieceJob, Path], float], job: PieceJob, target: Path) -> float:
    """The quickest of three."""
    return min(measure(job, target) for _ in range(3))


def layered(cut: CutList, count: int) -> CutList:
    """The same picture several times, each over the one before by a share."""
    (span,) = cut.picture
    (layer,) = span.layers
    share = Fraction(1, count)
    layers: tuple[Layer, ...] = tuple(
        layer.model_copy(update={"weight": Weight.constant(share)}) for _ in range(count)
    )
    return cut.model_copy(update={"picture": (span.model_copy(update={"layers": layers}),)})


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Rows of the report."""
    target, rows = folder / "piece.mp4", []
    hd = HD[0] * HD[1] / 1e6
    plain = clip_cut_list(clip(folder, "h264", HD))
    whole = best(encoding, job_of(plain, recipe()), target)
    read = best(composing, job_of(plain, recipe()), target)
    unit = (whole - read) / hd  # encoding a million pixels by x264 at medium effort
    rows.append(("encoding a million pixels by x264, medium", f"{unit * 1e3:.1f} ms", ""))
    for name in FORMS:
        if name == "interlaced":
            continue
        taken = best(composing, job_of(clip_cut_list(clip(folder, name, HD)), recipe()), target)
        rows.append((f"reading {name}, a million pixels", f"{taken / hd / unit:.3f} of that", ""))
    uhd = UHD[0] * UHD[1] / 1e6
    large = clip_cut_list(clip(folder, "h264", UHD))
    whole_size = best(composing, job_of(large, recipe()), target)
    for other in (HD, (640, 360)):
        smaller = best(composing, job_of(large, recipe(other)), target)
        rows.append(
            (
                f"scaling {UHD[1]} to {other[1]} lines, a million pixels read",
                f"{(smaller - whole_size) / uhd / unit:.3f}",
                "",
            )
        )
    larger = best(composing, job_of(plain, recipe(UHD)), target)
    rows.append(
        (
            f"scaling {HD[1]} to {UHD[1]} lines, a million pixels made",
            f"{(larger - read) / uhd / unit:.3f}",
            "",
        )
    )
    deep = best(composing, job_of(plain, recipe(depth=10, codec="hevc")), target)
    rows.append(("another depth, a million pixels made", f"{(deep - read) / hd / unit:.3f}", ""))
    woven = clip_cut_list(clip(folder, "interlaced", HD))
    flat = best(composing, job_of(clip_cut_list(clip(folder, "mpeg2video", HD)), recipe()), target)
    for told, rate in (("a picture each frame", None), ("a picture each field", "50")):
        job = job_of(woven, recipe(rate=rate))
        taken = best(composing, job, target) * job.frames / FRAMES
        rows.append(
            (f"fields taken apart, {told}, a million pixels read", f"{(taken - flat) / hd / unit:.3f}", "")
        )
    for retime in ("blend", "motion"):
        job = job_of(plain, recipe(rate="30", retime=retime))
        job = job.model_copy(update={"spans": tuple(span.part(FrameRange(0, 18)) for span in job.spans)})
        taken = best(composing, job, target)
        rows.append((f"{retime}, a million pixels made", f"{(taken - read * 25 / 30) / hd / unit:.3f}", ""))
    for count in (2, 3):
        taken = best(composing, job_of(layered(plain, count), recipe()), target)
        rows.append(
            (
                f"{count} layers, a million pixels of each",
                f"{(taken - read * count) / hd / unit / count:.3f}",
                "",
            )
        )
    for words, asked in (("8 bits", recipe()), ("10 bits", recipe(depth=10, codec="hevc"))):
        job = job_of(plain, asked)
        base = base_job(job)
        assert base is not None
        base_file = folder / "base.nut"
        written = best(encoding, base, base_file) - best(composing, job, target)
        with Readers() as readers:
            digest = encode_piece(base.model_copy(update={"target": str(base_file)}), readers).digest
        read_again = best(
            reading, job.model_copy(update={"base": str(base_file), "base_digest": digest}), target
        )
        rows.append((f"writing a base piece of {words}, a million pixels", f"{written / hd / unit:.3f}", ""))
        rows.append((f"reading it again, {words}, a million pixels", f"{read_again / hd / unit:.3f}", ""))
        size = base_file.stat().st_size / base.frames / (hd * 1e6)
        rows.append((f"a base piece of {words}", f"{size:.2f} bytes a pixel", ""))
    return rows
