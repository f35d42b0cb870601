"""Facts about a media file, read from it and nothing else."""

from __future__ import annotations

import itertools
import os
from dataclasses import replace
from fractions import Fraction

import av

from chronocast.media.decode import upright_turn
from chronocast.media.errors import NotMedia
from chronocast.media.fingerprint import fingerprint
from chronocast.media.images import Images, fingerprint_of, is_numbered
from chronocast.media.index import FrameIndex, scan
from chronocast.media.opening import opened
from chronocast.model.errors import ModelError
from chronocast.model.facts import ClipFacts, SoundFacts
from chronocast.model.timing import Rate, parse_rate, rate_text


def inspect_clip(path: str) -> ClipFacts:
    """Facts of a media file.  Every packet is looked at once, so that the count of frames is true.

    Raises:
        NotMedia: nothing in it can be used.
    """
    path = os.path.abspath(path)
    if is_numbered(path):
        return _inspect_images(path)
    with opened(path) as container:
        videos = [s for s in container.streams.video if not _is_cover(s)]
        audios = list(container.streams.audio)
        if not videos and not audios:
            raise NotMedia(f"{path} holds neither picture nor sound.", "Choose another file.")
        sound = tuple(_sound(stream) for stream in audios)
        bit_rate = int(container.bit_rate or 0)
        length = float((container.duration or 0) / 1_000_000)
        said = 0
        if videos:
            stream = videos[0]
            context = stream.codec_context
            said = int(stream.frames or 0)
            rate_hint = stream.guessed_rate or stream.average_rate or Fraction(25)
            shape = stream.sample_aspect_ratio or Fraction(1)
            looks = (context.width, context.height, context.name, context.pix_fmt or "")
            colour = tuple(
                str(value)
                for value in (
                    context.color_primaries,
                    context.color_trc,
                    context.colorspace,
                    context.color_range,
                )
            )
            scan_name, turned = _first_pictures(path)
        chapters = _chapters(container)
        timecode = container.metadata.get("timecode") or next(
            (s.metadata["timecode"] for s in container.streams if "timecode" in s.metadata), None
        )
    size = os.path.getsize(path)
    mark = fingerprint(path)
    problems: list[str] = []
    if not videos:
        return ClipFacts(
            path, mark, size, 0, Fraction(25), 0, 0, Fraction(1), "none", "", "", sound, length,
            bit_rate or _rate(size, length), timecode, problems=("It has sound but no picture.",),
        )  # fmt: skip
    index = scan(path)
    if not index.times:
        raise NotMedia(
            f"{path} says it has a picture, but none can be read.", "Copy it again from where it came from."
        )
    rate = _true_rate(index, rate_hint)
    variable = _is_variable(index, rate)
    count = len(index)
    if index.repeated > 2:
        problems.append(
            f"Its times begin again in mid-film: {index.repeated} of its {len(index) + index.repeated} pictures "
            "can't be told apart by time and are left out. Wrap it anew, or cut it where it begins again."
        )
    jumps = _jumps(index)
    if jumps:
        rate, _ = _even_rate(index)
        variable = False
        problems.append(
            f"Its times jump {jumps} times; its pictures are taken one after another, and its sound may not fit them."
        )
    if variable:
        rate, count = _even_rate(index)
        problems.append(
            f"Its pictures come at uneven times; they are shown as they come, at {rate_text(rate)} frames per second."
        )
    if index.error or (
        said and len(index) < said * 0.98 and said - len(index) > 2 and _is_short(path, index, said)
    ):
        problems.append(f"It is cut short: {len(index)} of {max(said, len(index))} pictures can be read.")
    return ClipFacts(
        path, mark, size, count, rate, looks[0], looks[1], Fraction(shape) or Fraction(1), scan_name, looks[2],
        looks[3], sound, float(count / rate), _rate(size, count / rate), timecode, variable,
        (colour[0], colour[1], colour[2], colour[3]), tuple(problems), turned, chapters,
    )  # fmt: skip


def _is_cover(stream: av.VideoStream) -> bool:
    return bool(stream.disposition & av.stream.Disposition.attached_pic)


def _sound(stream: av.AudioStream) -> SoundFacts:
    context = stream.codec_context
    seconds = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else 0.0
    language = stream.metadata.get("language", "").lower()
    return SoundFacts(
        context.name, context.channels, context.sample_rate, context.layout.name, seconds,
        language if len(language) == 3 and language.isalpha() and language != "und" else "",
    )  # fmt: skip


def _first_pictures(path: str) -> tuple[str, int]:
    """Scan and turn of the first few pictures (decoded: containers often say nothing)."""
    seen = []
    try:
        with opened(path) as container:
            for frame in container.decode(container.streams.video[0]):
                seen.append((frame.interlaced_frame, upright_turn(frame)))
                if len(seen) == 4:
                    break
    except av.error.FFmpegError:
        pass
    if not seen:
        return "unknown", 0
    return ("interlaced" if any(mixed for mixed, _ in seen) else "progressive"), seen[0][1]


def _inspect_images(path: str) -> ClipFacts:
    """Facts of numbered images: those of the first, and that none is missing."""
    images = Images(path)
    if missing := images.missing:
        names = ", ".join(str(number) for number in missing[:4]) + (" and more" if len(missing) > 4 else "")
        raise NotMedia(
            f"{images.file(0)} and those after it: {len(missing)} of {len(images)} images are missing (number {names}).",
            "Put them back, or relink the source.",
        )
    first = inspect_clip(images.file(0))
    size = sum(os.path.getsize(images.file(index)) for index in range(len(images)))
    seconds = float(len(images) / images.rate)
    return replace(
        first, path=path, fingerprint=fingerprint_of(path), bytes=size, frames=len(images), rate=images.rate,
        seconds=seconds, bit_rate=_rate(size, seconds), timecode=None, variable_timing=False, problems=(),
    )  # fmt: skip


JUMP_SECONDS = 10


def _chapters(container: av.container.InputContainer) -> tuple[tuple[str, str, str], ...]:
    """Chapters as (name, first second, last second), counted from the beginning of the file."""
    found = []
    zero = Fraction(max(0, container.start_time or 0), 1_000_000)
    for item in container.chapters():
        base = Fraction(item["time_base"] or 1)
        first, last = (Fraction(item[side]) * base - zero for side in ("start", "end"))
        found.append((str(item["metadata"].get("title", ""))[:80], str(first), str(last)))
    return tuple(found)


def _jumps(index: FrameIndex) -> int:
    """How often there are more than 10 s from one picture to the next: a clock set anew, not a long picture."""
    limit = JUMP_SECONDS / index.time_base
    return sum(b - a > limit for a, b in itertools.pairwise(index.times))


_USUAL = tuple(
    Fraction(*pair)
    for pair in (
        (24000, 1001),
        (24, 1),
        (25, 1),
        (30000, 1001),
        (30, 1),
        (48, 1),
        (50, 1),
        (60000, 1001),
        (60, 1),
        (100, 1),
        (120, 1),
    )
)


def _even_rate(index: FrameIndex) -> tuple[Rate, int]:
    """For uneven timing: the usual rate nearest to the mean interval, pauses left out, and how many frames last as long at it."""
    steps = sorted(b - a for a, b in itertools.pairwise(index.times))
    short = [step for step in steps if step <= 2 * steps[len(steps) // 2]]
    middle = Fraction(sum(short), len(short)) * index.time_base
    rate = min(_USUAL, key=lambda usual: abs(float(usual * middle) - 1))
    if abs(float(rate * middle) - 1) > 0.1:
        rate = Fraction(round(1 / middle)) or Fraction(1)
    length = (index.times[-1] - index.times[0]) * index.time_base + middle
    return rate, max(1, round(length * rate))


def _rate(size: int, seconds: Fraction | float) -> int:
    return int(size * 8 / float(seconds)) if seconds else 0


def _true_rate(index: FrameIndex, hint: Fraction) -> Rate:
    try:
        rate = parse_rate(Fraction(hint).limit_denominator(1_000_000))
    except (ModelError, ZeroDivisionError):
        rate = Fraction(25)
    if len(index) > 1:
        span = (index.times[-1] - index.times[0]) * index.time_base
        measured = (len(index) - 1) / span if span else rate
        if abs(measured / rate - 1) > Fraction(1, 50) and Fraction(1, 1000) <= measured <= 1000:
            return parse_rate(Fraction(round(measured * 1000), 1000))
    return rate


def _is_variable(index: FrameIndex, rate: Rate) -> bool:
    first = index.times[0]
    step = Fraction(1) / rate / index.time_base
    return any(abs(time - first - n * step) > step * Fraction(3, 5) + 1 for n, time in enumerate(index.times))


def _is_short(path: str, index: FrameIndex, said: int) -> bool:
    """Whether packets are really missing, rather than hidden by an edit list."""
    with opened(path) as container:
        try:
            read = sum(1 for packet in container.demux(container.streams.video[0]) if packet.size)
        except av.error.FFmpegError:
            return True
    return read < said * 0.98
