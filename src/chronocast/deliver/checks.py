"""Is a finished file what was promised?  Pure: what was found against what was expected."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from math import log10

from chronocast.media.prove import Found
from chronocast.model.check import Check, Expected
from chronocast.model.colour import told
from chronocast.model.timing import parse_rate, rate_text

PACKET_SAMPLES = 1024
SILENT = 10 ** (-70 / 20)


def judge(found: Found, expected: Expected) -> list[Check]:
    """Every check, in the order a person would ask."""
    rate = parse_rate(expected.rate)
    proof = "a fresh process decoded it all"
    checks = [
        Check("opens and decodes", not found.complaints, "no complaint of any decoder",
              "; ".join(found.complaints[:3]) or "no complaint", proof),
        Check("frames", found.frames == expected.frames, f"{expected.frames}", f"{found.frames}", "each decoded picture counted"),
        Check("frame size", (found.width, found.height) == (expected.width, expected.height),
              f"{expected.width}×{expected.height}", f"{found.width}×{found.height}", "from the decoder"),
        Check("frame rate", found.rate == rate and found.uneven == 0, f"{rate_text(rate)}, even",
              f"{rate_text(found.rate) if found.rate else 'none'}" + (f", {found.uneven} uneven" if found.uneven else ", even"),
              "times of all pictures"),
        Check("picture codec", found.video_codec == expected.video_codec, expected.video_codec, found.video_codec or "none",
              "from the stream"),
        Check("container", expected.container in found.container.split(","), expected.container,
              expected.container if expected.container in found.container.split(",") else found.container, "as opened"),
    ]  # fmt: skip
    if expected.colour is not None:
        same = tuple(found.colour[:3]) == tuple(expected.colour[:3]) and (found.colour[3] or 1) == (
            expected.colour[3] or 1
        )
        checks.append(
            Check(
                "colour tags",
                same,
                _tags(expected.colour),
                _tags(found.colour),
                "primaries, transfer, matrix, range of the stream",
            )
        )
    return checks + _sound(found, expected, rate)


def _tags(colour: Sequence[int]) -> str:
    """Tags in words, with their codes."""
    if tuple(colour[:3]) == (2, 2, 2):
        return f"untagged, {'full' if colour[3] == 2 else 'limited'} range"
    return (
        f"{told((colour[0], colour[1], colour[2], colour[3]))} ({'-'.join(str(code) for code in colour[:3])})"
    )


def _sound(found: Found, expected: Expected, rate: Fraction) -> list[Check]:
    if expected.sound_samples is None:
        return [
            Check(
                "sound",
                found.sound_codec is None,
                "none, as asked",
                found.sound_codec or "none",
                "streams listed",
            )
        ]
    kind = f"{expected.sound_codec}, {expected.channels} ch, {expected.sample_rate} Hz"
    have = (
        f"{found.sound_codec}, {found.channels} ch, {found.sample_rate} Hz" if found.sound_codec else "none"
    )
    checks = [Check("sound", have == kind, kind, have, "from the stream")]
    frame_samples = expected.sample_rate / rate
    off = abs(found.said_samples - expected.sound_samples)
    decoded = expected.sound_samples <= found.sound_samples <= expected.sound_samples + 2 * PACKET_SAMPLES
    checks.append(
        Check("sound length", off <= frame_samples and decoded, f"{expected.sound_samples} samples",
              f"{found.said_samples} samples", f"{found.sound_samples} decoded in whole packets")
    )  # fmt: skip
    if expected.sound_tracks > 1 or len(found.track_samples) > 1:
        whole = [
            n
            for n in found.track_samples
            if expected.sound_samples <= n <= expected.sound_samples + 2 * PACKET_SAMPLES
        ]
        checks.append(
            Check("sound tracks", len(whole) == len(found.track_samples) == expected.sound_tracks,
                  f"{expected.sound_tracks}, each as long as the picture", f"{len(found.track_samples)}, {len(whole)} of them as long",
                  "every track decoded")
        )  # fmt: skip
    if not expected.sound_is_silent:
        level = 20 * log10(max(found.sound_peak, 1e-9))
        checks.append(
            Check(
                "sound is not silent",
                found.sound_peak > SILENT,
                "above −70 dBFS",
                f"peak {level:.1f} dBFS",
                "all samples",
            )
        )
    return checks
