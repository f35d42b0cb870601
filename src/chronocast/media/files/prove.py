"""Read a finished file as a stranger would: decode everything, count, and tell what was there."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

import av

from chronocast.media.errors import NotMedia
from chronocast.media.files.reading import Part, Reading, Runs, Share, Wanted
from chronocast.media.filter_graph import Filter, FilterGraph
from chronocast.media.source.inspect import timecode_of
from chronocast.media.source.opening import listening, opened
from chronocast.model.paths import real_path
from chronocast.model.picture.colour import UNTAGGED, Colour, read_tags
from chronocast.model.recipe.formats.layouts import known_layout


@dataclass(frozen=True)
class Found:
    """What decoding a whole file showed.  Seconds are of what was decoded, not of what the header says.

    ``said_samples`` is the first sound track's length, by the container where it says one, else from the
    beginning of the picture to the end of what was decoded.  ``picture_sizes`` are bytes of the picture's
    packets in decoding order; ``fields`` counts pictures that were flagged as interlaced.
    ``judged_at`` is the rate that ``uneven`` was counted at.  ``shape`` is the aspect of its pixels, ``timecode`` of its first frame, ``layouts`` of its sound tracks;
    ``onset`` the second after its first picture at which sound is first heard; ``digests`` are of runs of
    pictures, as long as they were asked for.
    ``processes`` is how many decoded it between them.
    ``luma`` is the least and the greatest brightness code, in the stream's own depth, where it was asked for.
    """

    container: str
    bytes: int
    frames: int = 0
    width: int = 0
    height: int = 0
    rate: Fraction = Fraction(0)
    uneven: int = 0
    video_codec: str = ""
    sound_codec: str | None = None
    sound_samples: int = 0
    sample_rate: int = 0
    channels: int = 0
    sound_peak: float = 0.0
    said_samples: int = 0
    complaints: tuple[str, ...] = ()
    colour: Colour = UNTAGGED
    track_samples: tuple[int, ...] = ()
    picture_sizes: tuple[int, ...] = ()
    fields: int = 0
    field_order: str = ""
    profile: str = ""
    level: int = 0
    pixel_format: str = ""
    languages: tuple[str, ...] = ()
    luma: tuple[int, int] | None = None
    loudness: float | None = None
    true_peak: float | None = None
    images: tuple[str, ...] = field(default=(), repr=False)
    shape: Fraction = Fraction(1)
    timecode: str = ""
    layouts: tuple[str, ...] = ()
    onset: float | None = None
    digests: tuple[str, ...] = ()
    packet_digests: tuple[str, ...] = ()
    judged_at: Fraction = Fraction(0)
    processes: int = 1


WHOLE = Share(0, 1)
"""All of a file."""


def _tags(video: av.VideoStream) -> Colour:
    context = video.codec_context
    return read_tags(
        str(int(tag))
        for tag in (context.color_primaries, context.color_trc, context.colorspace, context.color_range)
    )


def prove(
    path: str,
    progress: Callable[[int], None] | None = None,
    luma: bool = False,
    *,
    loudness: bool = False,
    runs: Runs = (),
    packet_runs: Runs = (),
    rate: Fraction | None = None,
    share: Share = WHOLE,
    others: Callable[[], Sequence[Part]] = tuple,
) -> Found:
    """Decode every picture and every sample of a file; of a folder, every image in it.

    ``uneven`` counts pictures that don't lie where they belong at ``rate`` (the file's own where none is
    asked for), as near as the container's clock can say.
    ``track_samples`` is what was decoded of each track; decoders give
    whole packets, so ``sound_samples`` may be up to a packet or two more.
    ``luma`` and ``loudness`` are measured only where they are asked for, and digests only of ``runs``.

    Parameters
    ----------
    path
        The file's.
    progress
        Told now and then how far it is.
    luma
        Whether levels of brightness are measured.
    loudness
        Whether loudness and true peak are measured.
    runs
        Runs of pictures that digests are made of, one after another.
    packet_runs
        Runs of packets that digests are made of, as they are in the file.
    rate
        Frames a second that were asked for; the file's own if none.
    share
        What of it is decoded here, where other processes decode the rest.
    others
        Gives what those found, when they have.

    Raises
    ------
    NotMedia
        It can't be opened at all.
    """
    path = real_path(path)
    if os.path.isdir(path):
        return _prove_images(path, progress)
    reading = Reading(Wanted(luma, runs, packet_runs), share)
    with listening(everywhere=True) as told, opened(path) as container:
        reading.read(container, progress)
        found, sound_seconds = _described(container)
    part = reading.part
    part.complaints += told
    if loudness and found.sound_codec:
        found = replace(found, **_loudness(path))
    for other in others():
        part.take(other)
    found = replace(
        found,
        processes=share.of,
        bytes=os.path.getsize(path),
        complaints=tuple(part.complaints),
        **_heard(part, found, sound_seconds),
    )
    return replace(found, **_seen(part, rate or found.rate, runs)) if found.video_codec else found


def read_share(path: str, progress: Callable[[int], None] | None, wanted: Wanted, share: Share) -> Part:
    """Decode a share of a file's pictures for who proves it.

    Parameters
    ----------
    path
        The file's.
    progress
        Told now and then how far it is.
    wanted
        What is looked for besides.
    share
        Which of it.

    Raises
    ------
    NotMedia
        It can't be opened at all.
    """
    reading = Reading(wanted, share)
    with listening(everywhere=True) as told, opened(real_path(path)) as container:
        reading.read(container, progress)
    reading.part.complaints += told
    return reading.part


_ORDERS = {2: "top first", 3: "bottom first", 4: "top first", 5: "bottom first"}
"""AVFieldOrder: which field is shown first."""


def _rate(video: av.VideoStream) -> Fraction:
    """Pictures a second, by the container where it says so, else as its times have them."""
    return Fraction(video.average_rate or video.base_rate or video.guessed_rate or 0)


def _described(container: av.container.InputContainer) -> tuple[Found, Fraction | None]:
    """What a file is, as it says itself and its decoders found; and how long its sound is, if it says so."""
    videos, audios = container.streams.video, container.streams.audio
    found, seconds = Found(container.format.name, 0), None
    if videos:
        video = videos[0]
        context = video.codec_context
        found = replace(
            found,
            width=context.width,
            height=context.height,
            rate=_rate(video),
            video_codec=context.codec.canonical_name,
            colour=_tags(video),
            field_order=_ORDERS.get(int(context.field_order or 0), ""),
            profile=str(context.profile or ""),
            level=int(context.level or 0),
            pixel_format=context.pix_fmt or "",
            shape=Fraction(video.sample_aspect_ratio or 1) or Fraction(1),
            timecode=timecode_of(container),
        )
    if audios:
        audio = audios[0]
        if audio.duration and audio.time_base and container.format.name not in ("mpegts", "ogg", "mp3"):
            seconds = audio.duration * audio.time_base
        found = replace(
            found,
            sound_codec=audio.codec_context.codec.canonical_name,
            sample_rate=audio.rate,
            channels=audio.codec_context.channels,
            languages=tuple(stream.metadata.get("language", "") for stream in audios),
            layouts=tuple(
                known_layout(stream.codec_context.layout.name, stream.codec_context.channels)
                for stream in audios
            ),
        )
    return found, seconds


def _seen(part: Part, rate: Fraction, runs: Runs) -> dict[str, Any]:
    """What its pictures turned out to be."""
    return {
        "frames": part.frames,
        "uneven": part.uneven(rate),
        "judged_at": rate,
        "picture_sizes": tuple(part.sizes),
        "fields": part.fields,
        "digests": part.digests(runs),
        "packet_digests": tuple(part.packet_digests),
        "luma": part.luma,
    }


def _heard(part: Part, found: Found, seconds: Fraction | None) -> dict[str, Any]:
    """What its sound turned out to be; ``seconds`` is how long the file says that it is."""
    if not part.heard:
        return {}
    first = part.first or 0
    samples = tuple(part.heard.values())
    return {
        "sound_samples": samples[0],
        "sound_peak": part.peak,
        "said_samples": round((part.sound_end - first if seconds is None else seconds) * found.sample_rate),
        "track_samples": samples,
        "onset": None if part.onset is None else float(part.onset - first),
    }


def _loudness(path: str) -> dict[str, Any]:
    """Integrated loudness in LUFS and true peak in dBTP of the first track (ITU-R BS.1770-4)."""
    from math import log10

    with opened(path) as container:
        stream = container.streams.audio[0]
        graph = FilterGraph.of_sound(stream, [Filter("ebur128", "metadata=1:peak=true")])
        last: dict[str, str] = {}
        for frame in container.decode(stream):
            graph.push_sound(frame)
            for measured in graph.made():
                last.update(measured.metadata)
        graph.end()
        for measured in graph.made():
            last.update(measured.metadata)
    loud = last.get("lavfi.r128.I")
    peaks = [
        float(value) for key, value in last.items() if "true_peaks_ch" in key or key.endswith("true_peak")
    ]
    return {
        "loudness": float(loud) if loud not in (None, "nan", "-inf") else None,
        "true_peak": 20 * log10(max(peaks)) if peaks and max(peaks) > 0 else None,
    }


def _prove_images(path: str, progress: Callable[[int], None] | None) -> Found:
    """Every image in a folder, each decoded, all of one size."""
    names = sorted(name for name in os.listdir(path) if not name.startswith("."))
    complaints: list[str] = []
    looks: set[tuple[int, int, str, str]] = set()
    total = count = 0
    for name in names:
        file = os.path.join(path, name)
        total += os.path.getsize(file)
        try:
            with opened(file) as container:
                video = container.streams.video[0]
                for frame in container.decode(video):
                    looks.add(
                        (
                            frame.width,
                            frame.height,
                            video.codec_context.codec.canonical_name,
                            frame.format.name,
                        )
                    )
                    count += 1
                    break
        except (NotMedia, av.error.FFmpegError, IndexError) as error:
            complaints.append(f"{name}: {error}")
        if progress:
            progress(count)
    if len(looks) > 1:
        complaints.append(f"its images are of {len(looks)} kinds")
    width, height, codec, kind = next(iter(sorted(looks)), (0, 0, "", ""))
    return Found(
        "images",
        total,
        frames=count,
        width=width,
        height=height,
        video_codec=codec,
        complaints=tuple(complaints),
        pixel_format=kind,
        images=tuple(names),
    )
