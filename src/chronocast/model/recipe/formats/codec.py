"""What a codec is, picture or sound, as a row of the table in ``codecs.py``."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from chronocast.model.picture.terms import Scan
from chronocast.model.recipe.formats.rate_controls import Mode
from chronocast.model.time.timing import Rate


@dataclass(frozen=True)
class Sampling:
    """Bits a sample and colour resolution; ``working`` is what pictures are composed in before the encoder's own.

    With ``alpha`` the pictures may be see-through.
    """

    depth: int
    chroma: str
    pixel_format: str
    working: str = ""
    alpha: bool = False

    @property
    def name(self) -> str:
        """What people call it."""
        return f"{self.depth} bit {self.chroma}" + (" with alpha" if self.alpha else "")

    @property
    def composed(self) -> str:
        """The pixel format pictures are composed in."""
        return self.working or self.pixel_format


@dataclass(frozen=True)
class Grade:
    """One strength of a mezzanine codec: what its encoder calls it, its FourCC, and about how many bits a pixel takes."""

    id: str
    name: str
    profile: str
    sampling: Sampling
    bits_a_pixel: float
    tag: str = ""
    with_alpha: Sampling | None = None


@dataclass(frozen=True)
class Typical:
    """What a typical picture takes at the codec's usual quality, over all kinds of content.

    ``bits`` a pixel at ``quality``.  They halve in so many steps (``halves``),
    or fall with a ``power`` of the step where the scale is of steps.  ``sd`` is
    of the logarithm.
    """

    bits: float
    quality: float
    halves: float = 6.0
    power: float = 0.0
    sd: float = 0.75


class QualityScale(NamedTuple):
    """A codec's own scale of constant quality."""

    best: float
    worst: float
    usual: float


class RateScale(NamedTuple):
    """Rates of a sound codec in bit/s."""

    least: int
    most: int
    usual: int


USUAL_RATES = RateScale(16_000, 512_000, 128_000)


@dataclass(frozen=True)
class PictureCodec:
    """A picture codec as a person chooses it.

    ``quality`` is its constant-quality scale; ``encoders`` are
    the libraries' names, the first the usual one, ``hardware`` those that run on devices; ``without`` says why a rate control can't be had;
    with ``peaks`` a peak is kept through a buffer.  ``tags``: *all* colour tags are carried, only *limited* range,
    limited range with tags that must be *said*, or *none*.  ``containers`` hold it; ``stream`` is what the libraries
    call it, ``stands_for`` streams that aren't written here and are nearest to it; ``file_tag`` the FourCC in MP4 and MOV where it isn't the usual one (``own_tag``: that of its grade).
    ``profile_of`` says which profile holds a sampling: the first whose key is part of its name.  ``rates`` are the
    only ones it has; ``light``: HDR10's static data are carried.  ``typical``, ``graded`` and ``lossless`` are what
    pictures take, measured over all kinds of content: the first by quality, the others as the mean and the sd of the
    logarithm against a grade's usual rate, and as bits a pixel with the sd of their logarithm.
    ``fills_constant``: a constant rate is filled up to it.  ``keeps_peak``: a peak is kept through the receiver's buffer
    to the bit; with the others it is a wish.
    """

    id: str
    name: str
    use: str
    kind: Literal["long", "intra", "lossless", "images"]
    encoders: tuple[str, ...]
    samplings: tuple[Sampling, ...]
    modes: tuple[Mode, ...] = ()
    quality: QualityScale | None = None
    grades: tuple[Grade, ...] = ()
    scans: tuple[Scan, ...] = ("progressive",)
    profiles: tuple[str, ...] = ()
    without: Mapping[str, str] = field(default_factory=dict)
    peaks: tuple[Mode, ...] = ()
    tags: Literal["all", "limited", "said", "none"] = "all"
    multiple: int = 2
    least: tuple[int, int] = (16, 16)
    piece: Literal["mp4", "mov"] = "mp4"
    containers: tuple[str, ...] = ()
    stream: str = ""
    stands_for: tuple[str, ...] = ()
    file_tag: str = ""
    own_tag: bool = False
    profile_names: Mapping[str, str] = field(default_factory=dict)
    profile_of: Mapping[str, str] = field(default_factory=dict)
    rates: frozenset[Rate] | None = None
    efforts: bool = True
    light: bool = False
    keeps_peak: bool = False
    hardware: tuple[str, ...] = ()
    typical: Typical | None = None
    fills_constant: bool = False
    graded: tuple[float, float] = (0.0, 0.3)
    lossless: tuple[float, float] = (8.0, 0.6)

    @property
    def stream_name(self) -> str:
        """What the libraries call its stream."""
        return self.stream or self.id

    def profile(self, sampling: Sampling) -> str | None:
        """The profile that holds a sampling, where the codec has profiles."""
        for name, profile in self.profile_of.items():
            if name in sampling.name:
                return profile
        return None

    def grade(self, identifier: str | None) -> Grade | None:
        """The grade of that id; the usual one for none."""
        if not self.grades:
            return None
        usual = self.grades[min(2, len(self.grades) - 1)]
        return next((item for item in self.grades if item.id == identifier), usual)

    def sampling(
        self, depth: int | None, chroma: str | None, grade: str | None = None, alpha: bool = False
    ) -> Sampling:
        """What is encoded for a depth and a chroma asked for; the usual one where nothing is said.

        Parameters
        ----------
        depth
            Bits a sample; None for as usual.
        chroma
            Colour resolution; empty for as usual.
        grade
            The strength of a mezzanine codec.
        alpha
            Whether it is to be see-through.
        """
        if chosen := self.grade(grade):
            return (chosen.with_alpha or chosen.sampling) if alpha else chosen.sampling
        fits = [
            item
            for item in self.samplings
            if (depth is None or item.depth == depth) and (chroma is None or item.chroma == chroma)
        ]
        fits = [item for item in fits if item.alpha == alpha] or fits
        return fits[0] if fits else self.samplings[0]

    @property
    def choices(self) -> tuple[Sampling, ...]:
        """The depths and colour resolutions a person chooses from; alpha is a choice of its own."""
        return tuple(item for item in self.samplings if not item.alpha)

    def nearest(self, depth: int, chroma: str, alpha: bool) -> Sampling:
        """The sampling that holds all of a source's, at the least cost; where none does, the one that loses least.

        Parameters
        ----------
        depth
            Bits a sample; None for as usual.
        chroma
            Colour resolution; empty for as usual.
        alpha
            Whether it is to be see-through.
        """
        fineness = {"gray": 0, "4:2:0": 1, "4:2:2": 2, "4:4:4": 3, "RGB": 3}

        def loss(item: Sampling) -> tuple[bool, bool, int, int, bool, int, int]:
            wanted, have = fineness[chroma], fineness[item.chroma]
            other_kind = (item.chroma == "RGB") != (chroma == "RGB")
            return (
                alpha and not item.alpha,
                item.depth < depth,
                max(0, wanted - have),
                max(0, depth - item.depth),
                other_kind,
                max(0, have - wanted) + (item.alpha and not alpha),
                item.depth,
            )

        return min(self.samplings, key=loss)


@dataclass(frozen=True)
class SoundCodec:
    """A sound codec; ``rates`` in Hz, none for any; ``lossless`` ones have depths instead of a rate.

    ``stands_for`` are streams that aren't written here and are nearest to it.
    ``share`` is what it takes of the same in PCM, over all kinds of sound.
    """

    id: str
    name: str
    use: str
    lossless: bool = False
    rates: tuple[int, ...] = (44100, 48000)
    channels: tuple[int, ...] = (1, 2, 6)
    bits: RateScale = USUAL_RATES
    depths: tuple[int, ...] = ()
    packet: int = 1024
    stands_for: tuple[str, ...] = ()
    share: float = 1.0
    any_layout: bool = False
    containers: tuple[str, ...] = ()

    def nearest_rate(self, wanted: int, allowed: tuple[int, ...] = ()) -> int:
        """The sampling rate it is written at for a source of ``wanted`` Hz: the same if it can be, else the next above."""
        able = self.source_rates
        if allowed and allowed != (44100, 48000):  # a container that takes only some
            able = tuple(rate for rate in able if rate in allowed) or allowed
        return wanted if wanted in able else min((r for r in able if r >= wanted), default=max(able))

    @property
    def source_rates(self) -> tuple[int, ...]:
        """Rates that a source's own may be kept at."""
        if self.id == "opus":
            return (48000,)
        if self.id == "mp3":
            return (32000, 44100, 48000)
        return (
            8000,
            16000,
            22050,
            32000,
            44100,
            48000,
            88200,
            96000,
            *((176400, 192000) if self.lossless else ()),
        )
