"""Facts about a media file, read from it and nothing else."""

from __future__ import annotations

import contextlib
import itertools
import os
import re
import struct
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import partial
from typing import Any

import av
import numpy as np

from chronocast.media.errors import NotMedia
from chronocast.media.filter_graph import Filter, FilterGraph
from chronocast.media.source.damage import look_through
from chronocast.media.source.decode import luma, upright_turn
from chronocast.media.source.fingerprint import fingerprint
from chronocast.media.source.groups import GroupsWatch
from chronocast.media.source.images import Images, fingerprint_of, is_numbered
from chronocast.media.source.index import FrameIndex, index_of
from chronocast.media.source.opening import opened
from chronocast.media.source.scenes import scenes_of
from chronocast.model.errors import ModelError
from chronocast.model.paths import real_path, shown
from chronocast.model.source.facts import WEIGHED, ClipFacts, Damage, SoundFacts
from chronocast.model.source.origin import Alpha, samples_of
from chronocast.model.time.timing import Rate, parse_rate, rate_text


def _index_problems(index: FrameIndex) -> list[str]:
    """What of a film's pictures can't be shown, in sentences."""
    problems = []
    if index.hidden:
        problems.append(
            f"It begins in mid-film: its first {index.hidden} pictures build on others that are not in it and can't be "
            f"shown; the {len(index)} after them are used."
        )
    if index.repeated > 2:
        problems.append(
            f"Its times begin again in mid-film: {index.repeated} of its {len(index) + index.repeated} pictures "
            "can't be told apart by time and are left out. Wrap it anew, or cut it where it begins again."
        )
    return problems


@dataclass(frozen=True)
class PictureRead:
    """A picture track that was read to its end: what its file says of it (``said``: how many pictures), and what there is."""

    said: int
    rate: Fraction
    shape: Fraction
    looks: tuple[int, int, str, str]
    profile: str
    colour: tuple[str, str, str, str]
    index: FrameIndex
    first: FirstPictures
    groups: GroupsWatch


def _read(
    path: str,
    container: av.container.InputContainer,
    stream: av.VideoStream,
    hear: Callable[[av.Packet[Any]], object] | None,
) -> PictureRead:
    """Read all of a film once, pictures and sound together."""
    context = stream.codec_context
    colour = (context.color_primaries, context.color_trc, context.colorspace, context.color_range)
    primaries, transfer, matrix, range_ = (str(value) for value in colour)
    codec = context.codec.canonical_name
    watch, groups = FirstWatch(), GroupsWatch(codec)

    def see(packet: av.Packet[Any]) -> None:
        groups.see(packet)
        watch.see(packet)

    rate = stream.guessed_rate or stream.average_rate or Fraction(25)
    shape = stream.sample_aspect_ratio or Fraction(1)
    looks = (context.width, context.height, codec, context.pix_fmt or "")
    profile = str(context.profile or "")
    index = index_of(path, container, see, hear)
    return PictureRead(
        int(stream.frames or 0),
        rate,
        shape,
        looks,
        profile,
        (primaries, transfer, matrix, range_),
        index,
        watch.found(stream),
        groups,
    )


def inspect_clip(path: str) -> ClipFacts:
    """Facts of a media file.  Every packet is looked at once, so that the count of frames is true.

    Raises
    ------
    NotMedia
        Nothing in it can be used.
    """
    path = os.path.abspath(path)
    if is_numbered(path):
        return _inspect_images(path)
    gaps = GapsWatch()
    with opened(path) as container:
        videos = [s for s in container.streams.video if not _is_cover(s)]
        audios = list(container.streams.audio)
        if not videos and not audios:
            raise NotMedia(f"{shown(path)} holds neither picture nor sound.", "Choose another file.")
        sound = tuple(_sound(stream) for stream in audios)
        bit_rate = int(container.bit_rate or 0)
        length = float((container.duration or 0) / 1_000_000)
        chapters = _chapters(container)
        timecode = timecode_of(container) or None
        read = _read(path, container, videos[0], gaps.see if audios else None) if videos else None
        if read is None:
            gaps.read(container)
    size = os.path.getsize(real_path(path))
    mark = fingerprint(path)
    problems: list[str] = []
    if gaps.found:
        problems.append(_gaps_told(gaps.found))
    if read is None:
        problems.append("It has sound but no picture: recipes with a picture show black.")
        return ClipFacts(
            path=path,
            fingerprint=mark,
            bytes=size,
            frames=0,
            rate=Fraction(25),
            width=0,
            height=0,
            pixel_aspect=Fraction(1),
            scan="none",
            video_codec="",
            pixel_format="",
            audio=sound,
            seconds=length,
            bit_rate=bit_rate or _rate(size, length),
            timecode=timecode,
            problems=tuple(problems),
            sound_gaps=tuple(gaps.found),
        )
    index, first, looks = read.index, read.first, read.looks
    if not index.times:
        raise NotMedia(
            f"{path} says it has a picture, but none can be read.", "Copy it again from where it came from."
        )
    rate = _true_rate(index, read.rate)
    variable = _is_variable(index, rate)
    count = len(index)
    if first.scan == "unknown":
        raise NotMedia(
            f"{shown(path)} says it has a picture, but none of it can be decoded.",
            "It is damaged, or was cut where nothing can be shown: copy it again from where it came from.",
        )
    problems += _index_problems(index)
    jumps = _jumps(index)
    if jumps:
        rate, _, _ = _even_rate(index, rate)
        variable = False
        problems.append(
            f"Its times jump {jumps} times; its pictures are taken one after another, and its sound may not fit them."
        )
    if variable:
        rate, count, keeping = _even_rate(index, read.rate)
        problems.append(
            f"Its pictures come at uneven times: {keeping} of {len(index)} keep {rate_text(rate)} frames per second; "
            "all are shown when they come, at that rate."
        )
    if index.error or (
        read.said
        and len(index) + index.hidden < read.said * 0.98
        and read.said - len(index) - index.hidden > 2
        and _is_short(path, index, read.said)
    ):
        problems.append(
            f"It is cut short: {len(index)} of {max(read.said, len(index))} pictures can be read."
        )
    damage: tuple[Damage, ...] = ()
    through = False
    if index.corrupt or index.error or len(index) * looks[0] * looks[1] <= AT_ONCE:
        damage, through = look_through(path, index), True
    return ClipFacts(
        path,
        mark,
        size,
        count,
        rate,
        looks[0],
        looks[1],
        Fraction(read.shape) or Fraction(1),
        first.scan,
        looks[2],
        looks[3],
        sound,
        float(count / rate),
        _rate(size, count / rate),
        timecode,
        variable,
        read.colour,
        tuple(problems),
        first.turned,
        chapters,
        first.order,
        alpha_of(looks[2], looks[3]),
        damage,
        through,
        index.hidden,
        tuple(gaps.found),
        first.mastering,
        first.light,
        weights_of(index),
        read.profile,
        first.tags,
        read.groups.found(index),
        () if variable else scenes_of(index),
    )


def weights_of(index: FrameIndex) -> tuple[int, ...]:
    """Bytes of a film's packets, a block of pictures each."""
    sizes = index.packet_bytes
    return tuple(sum(sizes[at : at + WEIGHED]) for at in range(0, len(sizes), WEIGHED))


AT_ONCE = 300_000_000
"""Pixels: a film of no more is decoded to its end at the first look, to see whether it is damaged."""


def alpha_of(codec: str, pixel_format: str) -> Alpha:
    """How a clip's pictures are see-through: OpenEXR's are multiplied by their alpha by its own rule, others are not."""
    if not samples_of(pixel_format).alpha or pixel_format == "pal8":
        return ""
    return "premultiplied" if codec == "exr" else "straight"


def timecode_of(container: av.container.InputContainer) -> str:
    """The start timecode that a file says, wherever it says it and however it is spelt; nothing without one."""
    said = [container.metadata, *(stream.metadata for stream in container.streams)]
    return next((str(tags[key]) for tags in said for key in tags if key.lower() == "timecode"), "")


def _is_cover(stream: av.VideoStream) -> bool:
    return bool(stream.disposition & av.stream.Disposition.attached_pic)


def _sound(stream: av.AudioStream) -> SoundFacts:
    context = stream.codec_context
    seconds = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else 0.0
    language = stream.metadata.get("language", "").lower()
    return SoundFacts(
        context.codec.canonical_name,
        context.channels,
        context.sample_rate,
        context.layout.name,
        seconds,
        language if len(language) == 3 and language.isalpha() and language != "und" else "",
        _sound_depth(context),
        str(stream.metadata.get("title", ""))[:80],
    )


def _sound_depth(context: av.AudioCodecContext) -> int:
    """Bits a sample of sound that loses nothing; 0 of codecs that do."""
    name = context.codec.canonical_name
    if pcm := re.match(r"pcm_[suf](\d+)", name):
        return int(pcm[1])
    if name not in ("flac", "alac", "wavpack", "tta", "truehd", "mlp", "ape"):
        return 0
    return {"u8": 8, "s16": 16, "s32": 24, "flt": 32, "dbl": 64}.get(context.format.name.rstrip("p"), 16)


GAP_SECONDS = 0.02
"""Shorter ones are how containers round their times."""


class GapsWatch:
    """Sees every packet of a sound track; ``found`` are gaps in its times: (where, how long), in seconds from its beginning."""

    def __init__(self) -> None:
        self.found: list[tuple[float, float]] = []
        self._zero: Fraction | None = None
        self._end = Fraction(0)

    def see(self, packet: av.Packet[Any]) -> None:
        """The next packet."""
        if not packet.size or packet.pts is None or not packet.duration:
            return
        base = Fraction(packet.stream.time_base or Fraction(1, packet.stream.rate))
        now = packet.pts * base
        if self._zero is None:
            self._zero = self._end = now
        if now - self._end > GAP_SECONDS:
            self.found.append((round(float(self._end - self._zero), 3), round(float(now - self._end), 3)))
        self._end = max(self._end, now + packet.duration * base)

    def read(self, container: av.container.InputContainer) -> None:
        """See all of a file that has sound alone."""
        with contextlib.suppress(av.error.FFmpegError):
            for packet in container.demux(container.streams.audio[0]):
                self.see(packet)


def _gaps_told(gaps: Sequence[tuple[float, float]]) -> str:
    where, length = gaps[0]
    more = f", and {len(gaps) - 1} more" if len(gaps) > 1 else ""
    return f"Its sound has a gap of {length:.2g} s at {where:.2f} s{more}; there is silence there."


FIRST = 4
"""So many pictures are decoded to see what they say."""


@dataclass(frozen=True)
class FirstPictures:
    """What the first few pictures say of a film: containers often say nothing."""

    scan: str = "unknown"
    turned: int = 0
    order: str = ""
    mastering: str = ""
    light: str = ""
    tags: tuple[str, str, str, str] = ("", "", "", "")


class FirstWatch:
    """Sees packets of a picture track from the first on, and decodes a few."""

    def __init__(self) -> None:
        self._seen: list[av.VideoFrame] = []
        self._ended = False

    def see(self, packet: av.Packet[Any]) -> None:
        """The next packet."""
        if len(self._seen) < FIRST and not self._ended:
            self._take(packet.decode)

    def _take(self, decode: Callable[[], list[Any]]) -> None:
        try:
            self._seen += decode()
        except av.error.FFmpegError:
            self._ended = True

    def found(self, stream: av.VideoStream) -> FirstPictures:
        """What the first pictures say."""
        if len(self._seen) < FIRST and not self._ended:
            self._take(partial(stream.codec_context.decode, None))
        seen = self._seen[:FIRST]
        if not seen:
            return FirstPictures()
        woven = [frame for frame in seen if frame.interlaced_frame]
        mastering, light = high_dynamic_range(seen[0])
        return FirstPictures(
            "interlaced" if woven else "progressive",
            upright_turn(seen[0]),
            field_order(woven) if woven else "",
            mastering,
            light,
            tags_in(seen[0]),
        )


def tags_in(picture: av.VideoFrame) -> tuple[str, str, str, str]:
    """A decoded picture's colour tags, as inspection writes them."""
    told = (picture.color_primaries, picture.color_trc, picture.colorspace, picture.color_range)
    first, second, third, fourth = (str(int(value)) for value in told)
    return first, second, third, fourth


def field_order(pictures: Sequence[av.VideoFrame]) -> str:
    """Which field of interlaced pictures is shown first, *top first* or *bottom first*, as their flags say.

    The flag itself can't be read from here: the fields are taken apart, the
    one that is to be shown first comes first, and its lines are looked for.
    """
    for picture in pictures:
        lines = luma(picture).astype(np.int16)
        if lines.shape[0] < 2 or not (lines[0::2][: len(lines) // 2] != lines[1::2][: len(lines) // 2]).any():
            continue
        graph = FilterGraph.of_pictures(picture, [Filter("separatefields")])
        graph.push(picture, 0)
        graph.end()
        first = luma(next(graph.made())).astype(np.int16)
        return "top first" if np.array_equal(first, lines[0::2][: len(first)]) else "bottom first"
    return "top first"


def high_dynamic_range(picture: av.VideoFrame) -> tuple[str, str]:
    """HDR10's mastering display and light levels (SMPTE ST 2086, CTA-861.3) as encoders take them; "" where not said."""
    mastering = light = ""
    display: Any = picture.side_data.get("MASTERING_DISPLAY_METADATA")
    if display is not None and len(data := bytes(display)) >= 88:
        parts = struct.unpack("=22i", data[:88])
        value = [Fraction(n, d or 1) for n, d in zip(parts[0:20:2], parts[1:20:2], strict=True)]
        if parts[20] and parts[21]:
            xy = [round(item * 50000) for item in value[:8]]
            low, high = (round(item * 10000) for item in value[8:10])
            # primaries come as red, green, blue; encoders want green, blue, red
            mastering = (
                f"G({xy[2]},{xy[3]})B({xy[4]},{xy[5]})R({xy[0]},{xy[1]})WP({xy[6]},{xy[7]})L({high},{low})"
            )
    levels: Any = picture.side_data.get("CONTENT_LIGHT_LEVEL")
    if levels is not None and len(data := bytes(levels)) >= 8:
        most, average = struct.unpack("=2I", data[:8])
        light = f"{most},{average}"
    return mastering, light


def _inspect_images(path: str) -> ClipFacts:
    """Facts of numbered images: those of the first, and that none is missing."""
    images = Images(path)
    if missing := images.missing:
        names = ", ".join(str(number) for number in missing[:4]) + (" and more" if len(missing) > 4 else "")
        raise NotMedia(
            f"{shown(images.file(0))} and those after it: {len(missing)} of {len(images)} images are missing (number {names}).",
            "Put them there, or bring in the images before and after by themselves.",
        )
    first = inspect_clip(images.file(0))
    size = sum(os.path.getsize(real_path(images.file(index))) for index in range(len(images)))
    seconds = float(len(images) / images.rate)
    return replace(
        first,
        path=path,
        fingerprint=fingerprint_of(path),
        bytes=size,
        frames=len(images),
        rate=images.rate,
        seconds=seconds,
        bit_rate=_rate(size, seconds),
        timecode=None,
        variable_timing=False,
        problems=(),
        damage=(),
    )


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


def _even_rate(index: FrameIndex, hint: Fraction) -> tuple[Rate, int, int]:
    """For uneven timing: the rate that most pictures keep.

    Returns the rate, how many frames last as long as the film at it, and how
    many of its pictures keep it.  Regular steps are those within a tick of the
    commonest, or where they jitter all that are no pause; they are added up
    over runs of them, so that a coarse clock rounds each run once and not each
    picture.  Where the container says a usual rate that the steps allow, it is
    that one.
    """
    steps = [b - a for a, b in itertools.pairwise(index.times)]
    if not steps:
        return parse_rate(Fraction(25)), 1, 1
    near: Counter[int] = Counter()
    for step, often in Counter(steps).items():
        for around in (step - 1, step, step + 1):
            near[around] += often
    common = max(near, key=lambda step: (near[step], -abs(step)))
    middling = sorted(steps)[len(steps) // 2]
    regular = [abs(step - common) <= 1 for step in steps]
    short = [0.4 * middling <= step <= 1.6 * middling for step in steps]
    if sum(regular) < 0.8 * sum(
        short
    ):  # none is common enough: they jitter, and their mean is what they keep
        regular = short
    runs = [sum(1 for _ in group) for kept, group in itertools.groupby(regular) if kept]
    middle = Fraction(sum(step for step, kept in zip(steps, regular, strict=True) if kept), sum(runs))
    middle *= index.time_base
    unsure = Fraction(2, max(runs)) * index.time_base / middle + Fraction(1, 5000)
    fits = [usual for usual in _USUAL if abs(usual * middle - 1) <= unsure]
    said = min(_USUAL, key=lambda usual: abs(float(usual / hint) - 1)) if hint > 0 else None
    if said in fits and hint > 0 and abs(float(said / hint) - 1) < 0.0004:
        rate = said
    elif fits:
        whole = [usual for usual in fits if usual.denominator == 1]
        rate = min(whole or fits, key=lambda usual: abs(float(usual * middle) - 1))
    else:
        rate = min(_USUAL, key=lambda usual: abs(float(usual * middle) - 1))
        if abs(float(rate * middle) - 1) > 0.01:
            rate = max(Fraction(1), Fraction(round(1 / middle)))
    length = (index.times[-1] - index.times[0]) * index.time_base + 1 / rate
    return rate, max(1, round(length * rate)), sum(regular) + 1


def _rate(size: int, seconds: Fraction | float) -> int:
    return int(size * 8 / float(seconds)) if seconds else 0


def _true_rate(index: FrameIndex, hint: Fraction) -> Rate:
    """The rate of a film's pictures: what its container says, checked against their times.

    Containers with a coarse clock say 19001/317 where 59.94 is meant: a usual
    rate that all times keep within a tick is taken for what was meant.
    """
    try:
        rate = parse_rate(Fraction(hint).limit_denominator(1_000_000))
    except (ModelError, ZeroDivisionError):
        rate = Fraction(25)
    if len(index) < 2:
        return rate
    span = (index.times[-1] - index.times[0]) * index.time_base
    measured = (len(index) - 1) / span if span else rate
    near = [usual for usual in _USUAL if abs(float(usual / measured) - 1) < 0.005]
    for usual in sorted(near, key=lambda usual: abs(float(usual / rate) - 1)):
        if usual != rate and _keeps(index, usual, 1):
            if _keeps(index, rate, 1) and abs(float(usual / rate) - 1) > 0.0004:
                continue  # both fit a short film; the container has said which
            return usual
    if abs(measured / rate - 1) > Fraction(1, 50) and Fraction(1, 1000) <= measured <= 1000:
        return parse_rate(Fraction(round(measured * 1000), 1000))
    return rate


def _keeps(index: FrameIndex, rate: Rate, ticks: int) -> bool:
    """Whether every picture lies within some ticks of its exact place at a rate."""
    first, step = index.times[0], 1 / rate / index.time_base
    return all(abs(time - first - n * step) <= ticks for n, time in enumerate(index.times))


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
