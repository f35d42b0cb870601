"""What is believed of each encoder before anything was measured here: bits and work, relative to one.

From our own measurements (``bench/paces.py``): 50 pictures of 1280×720 with
moving texture and grain, one thread, against x264 at medium effort.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, log

from chronocast.forecast.learn import Belief

WORK: dict[str, float | dict[str, float]] = {
    "libx264": {"fast": 0.62, "medium": 1.0, "slow": 1.9},
    "libx265": {"fast": 1.8, "medium": 2.0, "slow": 5.5},
    "libsvtav1": {"fast": 0.4, "medium": 0.75, "slow": 2.1},
    "libvpx-vp9": {"fast": 1.2, "medium": 1.35, "slow": 2.2},
    "mpeg2video": 0.14, "prores_aw": 0.42, "prores": 0.42, "prores_ks": 2.4, "dnxhd": 0.5, "cfhd": 0.3, "ffv1": 0.85,
    "qtrle": 0.36, "mjpeg": 0.4, "png": 3.2, "tiff": 0.9, "dpx": 0.18, "exr": 4.3,
}  # fmt: skip
"""Encoding time against x264 at medium effort, the conversion to the encoder's own pixel format included."""

LARGER = {"prores_aw": 1.18, "prores": 1.18}
"""Bytes against the format's other encoder at the same grade."""


def effort_factor(encoder: str, effort: str) -> float:
    """Encoding time of an encoder against x264 at medium effort."""
    found = WORK.get(encoder, 1.0)
    return found.get(effort, 1.0) if isinstance(found, dict) else found


@dataclass(frozen=True)
class SizePrior:
    """Bytes a frame at a factor of one, what is believed of the factor, its ceiling, and what it rests on in words.

    Outputs of one ``kind`` share what is wrong with it.
    """

    bytes_a_frame: float
    belief: Belief
    ceiling: float | None
    rests_on: str
    kind: str = ""


_RATED = {
    "variable": Belief(mean=log(0.94), sd=0.16, spread=0.30),
    "constant": Belief(mean=log(0.97), sd=0.05, spread=0.05),
    "two pass": Belief(mean=log(1.0), sd=0.004, spread=0.004),
}
"""Bytes against rate × length: in one pass easy content undershoots (down to 0.77 was measured)."""
_FILLED = Belief(mean=log(0.997), sd=0.006, spread=0.01)
"""H.264 at a constant rate is filled up to it."""

_TYPICAL = {"h264": 0.055, "hevc": 0.032, "av1": 0.028, "vp9": 0.032, "mpeg2": 0.22, "jpeg": 1.0}
"""Bits a pixel at each codec's usual quality, over all kinds of content."""
_USUAL = {"h264": 20.0, "hevc": 23.0, "av1": 30.0, "vp9": 31.0, "mpeg2": 4.0, "jpeg": 3.0}
_LOSSLESS = {
    "ffv1": (3.0, 0.8), "rle": (12.0, 1.0), "png": (8.0, 0.7), "tiff": (16.0, 0.45), "dpx": (32.0, 0.01), "exr": (24.0, 0.25),
}  # fmt: skip
_GRADES = {"prores": (-0.25, 0.4), "dnxhr": (0.0, 0.01), "cineform": (-0.15, 0.3)}
"""Mean and sd of the logarithm against the grade's usual rate: easy pictures take less, hard ones are held to it."""


def quality_bits(codec: str, quality: float) -> float:
    """Bits a pixel of a typical picture at a quality on the codec's own scale."""
    usual, typical = _USUAL.get(codec, 20.0), _TYPICAL.get(codec, 0.055)
    if codec in ("mpeg2", "jpeg"):
        return float(typical * (usual / max(1.0, quality)) ** 0.8)
    step = log(2) / (6 if codec in ("h264", "hevc") else 9)
    return float(typical * exp(step * (usual - quality)))


def size_prior(
    codec: str, mode: str, pixels: int, rate: float, target: float, peak: float | None, quality: float,
    grade_bits: float, encoder: str,
) -> SizePrior:  # fmt: skip
    """What is believed of a picture's bytes.

    ``mode`` is constant, variable, two pass, quality, grade or lossless; ``target`` and ``peak`` in bit/s;
    ``grade_bits`` are bits a pixel of a mezzanine grade.
    """
    if mode in _RATED:
        ceiling = {"variable": min(max(peak or target * 2, target) / target, 1.08), "two pass": 1.01}.get(
            mode, 1.02
        )
        words = "rate × length" if mode != "two pass" else "rate × length, met within 1 %"
        belief = _FILLED if (codec, mode) == ("h264", "constant") else _RATED[mode]
        return SizePrior(target / rate / 8, belief, ceiling, words, f"{codec} {mode}")
    if mode == "quality":
        return SizePrior(
            quality_bits(codec, quality) * pixels / 8, Belief(0.0, 0.75 if codec != "jpeg" else 0.5, 0.8), None,
            "a typical picture, nothing of this recipe measured yet", f"{codec} quality",
        )  # fmt: skip
    if mode == "grade":
        mean, sd = _GRADES.get(codec, (0.0, 0.3))
        bits = grade_bits * LARGER.get(encoder, 1.0)
        return SizePrior(
            bits * pixels / 8, Belief(mean, sd, min(sd, 0.3)), None, "its grade × frames", f"{codec} grade"
        )
    bits, sd = _LOSSLESS.get(codec, (8.0, 0.6))
    return SizePrior(
        bits * pixels / 8,
        Belief(0.0, sd, min(sd, 0.4)),
        None,
        "a typical picture, nothing of this recipe measured yet",
        f"{codec} lossless",
    )
