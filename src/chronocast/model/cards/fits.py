"""Does a file fit what its receiver requires?  The same sums before it is made, as a forecast, and after."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal, NamedTuple

from chronocast.model.cards.card import Limits, ReceiverCard, fits_name
from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.formats.levels import least_level, levels
from chronocast.model.show import rate_bits_text, size_text, time_text
from chronocast.model.time.timing import parse_rate, rate_text

State = Literal["fits", "tight", "breaks", "unknown"]


class Amount(NamedTuple):
    """A number that is forecast, or known: then it is thrice the same."""

    p10: float
    likely: float
    safe: float


@dataclass(frozen=True)
class Offer:
    """A file as it will be, or is.

    What isn't known yet is None: loudness, true peak and range before there is a file.
    """

    name: str
    container: str
    seconds: float
    bytes: Amount
    codec: str | None = None
    profile: str | None = None
    width: int = 0
    height: int = 0
    rate: Fraction = Fraction(0)
    scan: str = "progressive"
    peak: int | None = None
    buffer: int | None = None
    level: str | None = None
    sound_codec: str | None = None
    layout: str | None = None
    sample_rate: int | None = None
    loudness: float | None = None
    true_peak: float | None = None
    legal: bool | None = None


@dataclass(frozen=True)
class Verdict:
    """One requirement: ``use`` is the share of a ceiling that is used, where there is one."""

    what: str
    state: State
    wanted: str
    have: str
    use: float | None = None
    remedy: str = ""

    @property
    def told(self) -> str:
        """It in a line, with headroom as people say it."""
        if self.state == "unknown":
            return f"{self.what}: {self.wanted}; known once the file is made"
        if self.use is not None and self.state == "fits":
            return f"{self.what}: {self.have} of {self.wanted}; {headroom(self.use)}"
        mark = {"fits": "", "tight": " may not fit", "breaks": " doesn't fit"}[self.state]
        return f"{self.what}: {self.have}{mark}, wanted {self.wanted}"


def headroom(use: float) -> str:
    """How much of a limit is used: ``uses 21 % of the limit, room for 4.8×``.

    >>> headroom(0.21)
    'uses 21 % of the limit, room for 4.8×'
    """
    if use <= 0:
        return "uses none of the limit"
    room = 1 / use
    times = f"{room:.1f}×" if room < 10 else f"{room:.0f}×"
    return f"uses {use:.0%} of the limit, room for {times}".replace("%", " %")


def judge(card: ReceiverCard, offer: Offer) -> list[Verdict]:
    """Every requirement of a card against a file."""
    limits = card.limits
    return [*_amounts(limits, offer), *_picture(limits, offer), *_sound(limits, offer), *_name(limits, offer)]


def worst(verdicts: Sequence[Verdict]) -> State:
    """The state of all of them together."""
    order: tuple[State, ...] = ("breaks", "tight", "unknown")
    return next((state for state in order if any(item.state == state for item in verdicts)), "fits")


def _between(
    what: str,
    band: tuple[float, float, float],
    least: float | None,
    *,
    most: float | None,
    said: object,
    remedy: str,
) -> Iterator[Verdict]:
    """It breaks a limit when even the low side of its band does, and is tight when only the other side does."""
    say = said if callable(said) else str
    low, likely, safe = band
    have = say(likely)
    if most is not None:
        state: State = "breaks" if low > most else "tight" if safe > most else "fits"
        yield Verdict(
            what, state, f"at most {say(most)}", have, likely / most, remedy if state != "fits" else ""
        )
    if least is not None:
        state = "breaks" if safe < least else "tight" if low < least else "fits"
        yield Verdict(
            what, state, f"at least {say(least)}", have, None, "Ask for more" if state != "fits" else ""
        )


def _amounts(limits: Limits, offer: Offer) -> Iterator[Verdict]:
    seconds = max(offer.seconds, 1e-9)
    low, likely, safe = (value * 8 / seconds for value in offer.bytes)
    yield from _between(
        "size",
        offer.bytes,
        limits.bytes_least,
        most=limits.bytes_most,
        said=size_text,
        remedy=f"{rate_bits_text((limits.bytes_most or 0) * 8 / seconds)} in all would fit"
        if limits.bytes_most
        else "",
    )
    yield from _between(
        "length",
        (offer.seconds,) * 3,
        limits.seconds_least,
        most=limits.seconds_most,
        said=time_text,
        remedy="Choose another range",
    )
    yield from _between(
        "bit rate",
        (low, likely, safe),
        limits.bits_least,
        most=limits.bits_most,
        said=rate_bits_text,
        remedy="Ask for another rate",
    )
    if limits.peak_bits_most is not None and offer.codec:
        buffer = limits.buffer_bits or limits.peak_bits_most
        wanted = f"at most {rate_bits_text(limits.peak_bits_most)} through {buffer / 1e6:.4g} Mbit"
        if offer.peak is None:
            yield Verdict("peak rate", "breaks", wanted, "no peak is kept", None, "Give the recipe a peak")
        else:
            over = offer.peak > limits.peak_bits_most or (offer.buffer or offer.peak) > buffer
            have = f"{rate_bits_text(offer.peak)} through {(offer.buffer or offer.peak) / 1e6:.4g} Mbit"
            yield Verdict(
                "peak rate",
                "breaks" if over else "fits",
                wanted,
                have,
                offer.peak / limits.peak_bits_most,
                "Lower the recipe's peak or its buffer" if over else "",
            )
    if limits.free_bytes is not None:
        yield from _between(
            "room at the receiver",
            offer.bytes,
            None,
            most=limits.free_bytes or 1,
            said=size_text,
            remedy="Ask for less",
        )


def _one_of(what: str, have: str, wanted: Sequence[str], remedy: str) -> Iterator[Verdict]:
    if wanted:
        fits = have in wanted
        yield Verdict(
            what,
            "fits" if fits else "breaks",
            " or ".join(wanted),
            have or "none",
            None,
            "" if fits else remedy,
        )


def _picture(limits: Limits, offer: Offer) -> Iterator[Verdict]:
    yield from _one_of(
        "container",
        CONTAINERS[offer.container].name if offer.container in CONTAINERS else offer.container,
        [CONTAINERS[item].name for item in limits.containers],
        "Choose one of its containers",
    )
    if limits.codecs:
        yield from _one_of(
            "picture codec",
            PICTURE[offer.codec].name if offer.codec in PICTURE else offer.codec or "no picture",
            [PICTURE[item].name for item in limits.codecs],
            "Choose one of its codecs",
        )
    if offer.codec is None:
        return
    frame = f"{offer.width}×{offer.height}"
    yield from _one_of(
        "frame size",
        frame,
        [item.replace("x", "×") for item in limits.sizes],
        "Choose one of its frame sizes",
    )
    for what, value in (("width", offer.width), ("height", offer.height)):
        yield from _between(
            what,
            (value,) * 3,
            getattr(limits, f"{what}_least"),
            most=getattr(limits, f"{what}_most"),
            said=lambda n: f"{n:g} pixels",
            remedy="Choose another frame size",
        )
    if limits.rates:
        fits = any(parse_rate(item) == offer.rate for item in limits.rates)
        yield Verdict(
            "frame rate",
            "fits" if fits else "breaks",
            " or ".join(limits.rates),
            rate_text(offer.rate),
            None,
            "" if fits else "Convert the rate",
        )
    yield from _one_of("scan", offer.scan, list(limits.scans), "Choose another scan")
    if wanted := limits.level_most.get(offer.codec):
        yield _level(wanted, offer)
    if limits.legal_range:
        state: State = "unknown" if offer.legal is None else "fits" if offer.legal else "breaks"
        have = {None: "", True: "within", False: "beyond"}[offer.legal]
        yield Verdict("legal range", state, "brightness from 16 to 235", have)


def _level(wanted: str, offer: Offer) -> Verdict:
    codec = offer.codec or ""
    names = [item.name for item in levels(codec)]
    level = offer.level
    if level is None:
        least = least_level(
            codec,
            offer.profile,
            width=offer.width,
            height=offer.height,
            rate=offer.rate or Fraction(25),
            bits=offer.peak or 0,
            buffer=offer.buffer or 0,
            interlaced=offer.scan != "progressive",
        )
        level = least.name if least else None
    over = level is None or names.index(level) > names.index(wanted)
    return Verdict(
        "level",
        "breaks" if over else "fits",
        f"at most {wanted}",
        f"at least {level}" if level else "above every level",
        None,
        "Ask for a smaller frame size, rate or peak" if over else "",
    )


def _sound(limits: Limits, offer: Offer) -> Iterator[Verdict]:
    if limits.sound:
        there = offer.sound_codec is not None
        fits = there == (limits.sound == "needed")
        yield Verdict(
            "sound",
            "fits" if fits else "breaks",
            limits.sound,
            "there" if there else "none",
            None,
            "" if fits else "Give the recipe sound" if limits.sound == "needed" else "Take the sound out",
        )
    if offer.sound_codec is None:
        return
    codec = SOUND[offer.sound_codec].name if offer.sound_codec in SOUND else offer.sound_codec
    yield from _one_of(
        "sound codec",
        codec,
        [SOUND[item].name for item in limits.sound_codecs],
        "Choose one of its sound codecs",
    )
    yield from _one_of("sound layout", offer.layout or "", list(limits.layouts), "Choose another layout")
    yield from _one_of(
        "sampling rate",
        f"{offer.sample_rate or 0:,} Hz",
        [f"{item:,} Hz" for item in limits.sample_rates],
        "Choose another sampling rate",
    )
    if limits.loudness is not None:
        off = None if offer.loudness is None else abs(offer.loudness - limits.loudness)
        state: State = "unknown" if off is None else "fits" if off <= limits.loudness_within else "breaks"
        yield Verdict(
            "loudness",
            state,
            f"{limits.loudness:g} ± {limits.loudness_within:g} LUFS",
            "" if offer.loudness is None else f"{offer.loudness:.1f} LUFS",
            None,
            "Set the level of the source: it can't be changed here yet" if state == "breaks" else "",
        )
    if limits.true_peak_most is not None:
        peak = offer.true_peak
        state = "unknown" if peak is None else "fits" if peak <= limits.true_peak_most + 0.05 else "breaks"
        yield Verdict(
            "true peak",
            state,
            f"at most {limits.true_peak_most:g} dBTP",
            "" if peak is None else f"{peak:.1f} dBTP",
        )


def _name(limits: Limits, offer: Offer) -> Iterator[Verdict]:
    if limits.name:
        fits = fits_name(limits.name, offer.name)
        yield Verdict(
            "name",
            "fits" if fits else "breaks",
            limits.name,
            offer.name,
            None,
            "" if fits else "Name the file by its pattern",
        )
    if limits.name_longest is not None:
        yield from _between(
            "length of the name",
            (len(offer.name),) * 3,
            None,
            most=limits.name_longest,
            said=lambda n: f"{n:g} signs",
            remedy="Name it shorter",
        )


def contradictions(cards: Sequence[ReceiverCard]) -> list[str]:
    """What two cards on one output want that can't be had together, each as a sentence."""
    found = []
    for number, one in enumerate(cards):
        for two in cards[number + 1 :]:
            found += [
                f"{one.name} and {two.name} can't both be met: {told}."
                for told in _against(one.limits, two.limits)
            ]
    return found


def _against(one: Limits, two: Limits) -> Iterator[str]:
    for what, words, say in (
        ("bytes", "a size of", size_text),
        ("seconds", "a length of", time_text),
        ("bits", "a rate of", rate_bits_text),
        ("width", "a width of", str),
        ("height", "a height of", str),
    ):
        for a, b in ((one, two), (two, one)):
            least, most = getattr(a, f"{what}_least"), getattr(b, f"{what}_most")
            if least is not None and most is not None and least > most:
                yield f"one wants {words} at least {say(least)}, the other at most {say(most)}"
    for what, words in (
        ("codecs", "picture codecs"),
        ("containers", "containers"),
        ("sizes", "frame sizes"),
        ("scans", "scans"),
        ("sound_codecs", "sound codecs"),
        ("layouts", "sound layouts"),
        ("sample_rates", "sampling rates"),
    ):
        these, those = set(getattr(one, what)), set(getattr(two, what))
        if these and those and not these & those:
            yield f"they allow no {words} in common"
    rates = [{parse_rate(item) for item in limits.rates} for limits in (one, two)]
    if rates[0] and rates[1] and not rates[0] & rates[1]:
        yield "they allow no frame rates in common"
    if one.sound and two.sound and one.sound != two.sound:
        yield "one needs sound, the other wants none"
    loud = (one.loudness, two.loudness)
    if (
        loud[0] is not None
        and loud[1] is not None
        and abs(loud[0] - loud[1]) > one.loudness_within + two.loudness_within
    ):
        yield f"one wants {loud[0]:g} LUFS, the other {loud[1]:g}"
