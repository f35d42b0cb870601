"""Is a finished file what was promised?  Pure: what was found against what was expected."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from math import log10

from chronocast.media.files.prove import Found
from chronocast.model.cards.bucket import Bucket, run_through
from chronocast.model.messages.check import Check, Expected
from chronocast.model.picture.colour import same_tags, told
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.recipe.formats.languages import own_code
from chronocast.model.recipe.formats.layouts import layout_told
from chronocast.model.recipe.formats.level_codes import level_code
from chronocast.model.show import rate_bits_text, size_text
from chronocast.model.time.timing import parse_rate, rate_text

ONSET_SECONDS = 0.06
"""How far from its place sound may be first heard: a lossy codec spreads an onset over a packet or two."""
SILENT = 10 ** (-70 / 20)


def judge(found: Found, expected: Expected) -> list[Check]:
    """Every check, in the order a person would ask."""
    checks = [
        Check(
            "opens and decodes",
            not found.complaints,
            "no complaint of any decoder",
            "; ".join(found.complaints[:3]) or "no complaint",
            "a fresh process decoded it all"
            if found.processes == 1
            else f"{found.processes} fresh processes decoded it",
        ),
    ]
    there = expected.container in found.container.split(",")
    checks.append(
        Check(
            "container",
            there,
            expected.container,
            expected.container if there else found.container,
            "as opened",
        )
    )
    if expected.video_codec:
        checks += _picture(found, expected)
    else:
        checks.append(
            Check(
                "picture", not found.frames, "none, as asked", found.video_codec or "none", "streams listed"
            )
        )
    if expected.container != "images":
        checks += _sound(found, expected)
    if expected.sound_copied:
        told = "they are, and decode as there"
        checks.append(
            Check(
                "sound copied", True, "packets as they are in the source", told, "decoded when it was copied"
            )
        )
    if expected.source_damage:
        checks.append(
            Check(
                "damage of the source",
                True,
                "accepted by a person",
                "; ".join(expected.source_damage[:4]),
                "what decoders said of it",
            )
        )
    if expected.compared:
        told = "; ".join(expected.differences) or "nothing is lost or changed that this list knows"
        checks.append(
            Check("against its source", True, "as the recipe asks", told, "source and recipe compared")
        )
    return checks


def _copied(found: Found, expected: Expected) -> list[Check]:
    """That pictures which were copied from the source are in the file bit by bit."""
    if not expected.copied:
        return _instead(expected)
    told = dict(enumerate(found.packet_digests))
    runs = [(wanted, told.get(n)) for n, (_, wanted) in enumerate(expected.copied) if wanted]
    same = all(wanted == have for wanted, have in runs)
    frames = sum(count for count, digest in expected.copied if digest)
    checks = [
        Check(
            "copied",
            same,
            f"{frames} pictures as they are in the source, bit by bit",
            "they are" if same else f"{sum(a != b for a, b in runs)} of {len(runs)} pieces are not",
            "digests of the source's packets against the file's",
        )
    ]
    known = [
        (wanted, told) for (_, wanted), told in zip(expected.decoded, found.digests, strict=False) if wanted
    ]
    if known and len(found.digests) == len(expected.decoded):
        count = sum(frames for frames, wanted in expected.decoded if wanted)
        wrong = sum(a != b for a, b in known)
        checks.append(
            Check(
                "around joins",
                not wrong,
                f"{count} pictures decode as before they were joined",
                f"{wrong} of {len(known)} stretches don't" if wrong else "they do",
                "digests of decoded pictures, of the source and of pieces by themselves, against the file's",
            )
        )
    elif expected.decoded:
        checks.append(
            Check(
                "around joins",
                False,
                f"{len(expected.decoded)} stretches of pictures",
                f"{len(found.digests)} were decoded",
                "digests of decoded pictures",
            )
        )
    return [*checks, *_instead(expected)]


def _instead(expected: Expected) -> list[Check]:
    """That something was encoded that was to be copied, and why: nothing is wrong with it."""
    if not expected.instead:
        return []
    told = "; ".join(expected.instead[:3])
    return [
        Check(
            "encoded instead",
            True,
            "what can't be copied is encoded",
            told,
            "said by whoever tried to copy it",
        )
    ]


def _picture(found: Found, expected: Expected) -> list[Check]:
    rate = parse_rate(expected.rate)
    checks = [
        Check(
            "frames",
            found.frames == expected.frames,
            f"{expected.frames}",
            f"{found.frames}",
            "each decoded picture counted",
        ),
        Check(
            "frame size",
            (found.width, found.height) == (expected.width, expected.height),
            f"{expected.width}×{expected.height}",
            f"{found.width}×{found.height}",
            "from the decoder",
        ),
    ]
    if expected.container != "images":
        checks.append(
            Check(
                "frame rate",
                found.judged_at == rate and found.uneven == 0,
                f"{rate_text(rate)}, even",
                f"{rate_text(rate if not found.uneven and found.judged_at == rate else found.rate)}"
                + (f", {found.uneven} not in their place" if found.uneven else ", even")
                if found.rate
                else "none",
                "every picture's time lies within the container's clock of its place",
            )
        )
    checks.append(
        Check(
            "picture codec",
            found.video_codec == expected.video_codec,
            expected.video_codec,
            found.video_codec or "none",
            "from the stream",
        )
    )
    if expected.pixel_format:
        same = (
            found.pixel_format.replace("yuvj", "yuv") == expected.pixel_format
        )  # full range has a name of its own
        checks.append(Check("samples", same, expected.pixel_format, found.pixel_format, "from the decoder"))
    if expected.container != "images" and expected.colour is not None:
        checks.append(_colour(found, expected.colour))
    if expected.container != "images":
        checks.append(_scan(found, expected))
    if expected.container != "images" and (expected.shape != "1" or found.shape != 1):
        shape, have = Fraction(expected.shape), found.shape
        # a container may say the picture's shape instead, in whole pixels
        near = abs(float(have / shape) - 1) < 0.002
        checks.append(
            Check(
                "pixel shape",
                near,
                f"{shape.numerator}:{shape.denominator}",
                f"{have.numerator}:{have.denominator}",
                "from the stream",
            )
        )
    if expected.timecode:
        checks.append(
            Check(
                "start timecode",
                found.timecode == expected.timecode,
                expected.timecode,
                found.timecode or "none",
                "from the container",
            )
        )
    if expected.exact:
        wanted_digests = tuple(digest for _, digest in expected.exact)
        equal = sum(a == b for a, b in zip(wanted_digests, found.digests, strict=False))
        exact = found.digests == wanted_digests
        checks.append(
            Check(
                "lossless",
                exact,
                f"every sample of {expected.frames} pictures as it went in",
                "every sample is"
                if exact
                else f"{len(wanted_digests) - equal} of {len(wanted_digests)} pieces differ",
                "digests of what was encoded against what is decoded",
            )
        )
    checks += _copied(found, expected)
    if expected.profile:
        name = _PROFILES.get((expected.video_codec, expected.profile), expected.profile)
        same = found.profile.lower() == name.lower() or found.profile.lower().startswith(
            f"constrained {name}".lower()
        )
        checks.append(
            Check("profile", same, name, found.profile or "none", "from the stream's parameter sets")
        )
    if expected.level:
        wanted = level_code(expected.video_codec, expected.level, expected.profile)
        checks.append(
            Check(
                "level",
                found.level == wanted,
                f"{expected.level} (code {wanted})",
                f"code {found.level}",
                "from the stream's parameter sets",
            )
        )
    if expected.picture_bytes:
        got = sum(found.picture_sizes)
        off = got / expected.picture_bytes - 1
        checks.append(
            Check(
                "size of the picture",
                off <= expected.picture_bytes_off
                if expected.picture_bytes_most
                else abs(off) <= expected.picture_bytes_off,
                f"at most {size_text(expected.picture_bytes)}: at the best quality{' within the peak' if expected.peak else ''} these pictures take no more"
                if expected.picture_bytes_most
                else f"{size_text(expected.picture_bytes)} ± {expected.picture_bytes_off:.1%}",
                f"{size_text(got)} ({off:+.2%})",
                "bytes of all picture packets",
            )
        )
    if expected.peak:
        checks.append(_peak(found, expected, float(rate)))
    return checks


_PROFILES = {
    (codec.stream_name, profile): name
    for codec in PICTURE.values()
    for profile, name in codec.profile_names.items()
}
"""What the libraries call the profiles of streams."""


def _scan(found: Found, expected: Expected) -> Check:
    fields = expected.scan != "progressive"
    wanted = "every picture in fields, " + expected.scan if fields else "no picture in fields"
    order = found.field_order
    have = f"{found.fields} of {found.frames} in fields" + (f", {order}" if order and found.fields else "")
    right = found.fields == found.frames and order in ("", expected.scan) if fields else found.fields == 0
    return Check("scan", right, wanted, have, "flags of all pictures")


def _colour(found: Found, expected: tuple[int, int, int, int]) -> Check:
    return Check(
        "colour tags",
        same_tags(found.colour, expected),
        _tags(expected),
        _tags(found.colour),
        "primaries, transfer, matrix, range of the stream",
    )


def _peak(found: Found, expected: Expected, rate: float) -> Check:
    """The joined stream through the receiver's buffer."""
    bucket = Bucket(expected.peak, expected.buffer, rate, expected.full)
    state = run_through(bucket, found.picture_sizes)
    told = f"{rate_bits_text(expected.peak)} with a buffer of {expected.buffer / 1e6:.4g} Mbit"
    have = f"least fullness {state.lowest:.0%}" if state.holds else f"runs dry at picture {state.where + 1}"
    return Check("peak rate", state.holds, told, have, "the whole stream sent through the buffer")


def _tags(colour: Sequence[int]) -> str:
    """Tags in words, with their codes."""
    if tuple(colour[:3]) == (2, 2, 2):
        return f"untagged, {'full' if colour[3] == 2 else 'limited'} range"
    return (
        f"{told((colour[0], colour[1], colour[2], colour[3]))} ({'-'.join(str(code) for code in colour[:3])})"
    )


def _sound(found: Found, expected: Expected) -> list[Check]:
    if expected.sound_samples is None:
        have = found.sound_codec or "none"
        return [Check("sound", found.sound_codec is None, "none, as asked", have, "streams listed")]
    kind = f"{expected.sound_codec}, {expected.channels} ch, {expected.sample_rate} Hz"
    have = (
        f"{found.sound_codec}, {found.channels} ch, {found.sample_rate} Hz" if found.sound_codec else "none"
    )
    checks = [Check("sound", have == kind, kind, have, "from the stream")]
    packet, wanted = expected.sound_packet, expected.sound_samples
    near = expected.sample_rate / parse_rate(expected.rate) if expected.video_codec else packet
    slack = near if expected.container in ("mp4", "mov", "mxf", "wav", "flac") else max(near, 2 * packet)
    off = abs(found.said_samples - wanted)
    # some containers carry the codec's lead-in as samples: up to two packets more are decoded than there is sound
    decoded = (
        wanted - (packet if expected.container == "mp3" else 0) <= found.sound_samples <= wanted + 2 * packet
    )
    checks.append(
        Check(
            "sound length",
            off <= slack and decoded,
            f"{wanted} samples",
            f"{found.said_samples} samples",
            f"{found.sound_samples} decoded in whole packets",
        )
    )
    if expected.onset is not None and found.onset is not None:
        apart = found.onset - expected.onset
        checks.append(
            Check(
                "sound in place",
                abs(apart) <= ONSET_SECONDS,
                f"first heard at {expected.onset:.3f} s",
                f"at {found.onset:.3f} s ({apart:+.3f} s)",
                "the first sample above −40 dBFS, against the first picture",
            )
        )
    if expected.layouts and len(found.layouts) == len(expected.layouts):
        same_layouts = [layout_told(item) for item in found.layouts] == [
            layout_told(item) for item in expected.layouts
        ]
        checks.append(
            Check(
                "sound layout",
                same_layouts,
                ", ".join(map(layout_told, expected.layouts)),
                ", ".join(map(layout_told, found.layouts)),
                "from the streams",
            )
        )
    if expected.sound_tracks > 1 or len(found.track_samples) > 1:
        whole = [n for n in found.track_samples if wanted <= n <= wanted + 2 * packet]
        checks.append(
            Check(
                "sound tracks",
                len(whole) == len(found.track_samples) == expected.sound_tracks,
                f"{expected.sound_tracks}, each as long as the picture",
                f"{len(found.track_samples)}, {len(whole)} of them as long",
                "every track decoded",
            )
        )
    if any(expected.languages):
        have_languages = tuple(own_code(name) for name in found.languages)
        wanted_languages = tuple(own_code(name) for name in expected.languages)
        checks.append(
            Check(
                "languages",
                have_languages == wanted_languages,
                ", ".join(wanted_languages),
                ", ".join(have_languages),
                "tags of all tracks",
            )
        )
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
