"""How like an encoded picture is to the one it was made from, by the libraries' own measures."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import av

from chronocast.media.filter_graph import FilterGraph, PairGraph

CAP = 100.0
"""dB: two pictures that are the same are infinitely alike."""
SMALLEST = 2025
"""Pixels.  XPSNR weighs blocks as large as an eye sees at once, and a smaller picture has none: there it is plain PSNR."""


class Likeness(NamedTuple):
    """How like two pictures are, by their luma.

    Parameters
    ----------
    ssim
        Structural similarity, 1 for the same.
    psnr
        Peak signal to noise in dB.
    xpsnr
        The same, errors weighed as they are seen (XPSNR), in dB.
    """

    ssim: float
    psnr: float
    xpsnr: float


def likeness(pairs: Iterable[tuple[av.VideoFrame, av.VideoFrame]]) -> list[Likeness]:
    """How like pictures are to those they were made from.

    Parameters
    ----------
    pairs
        Each the original and what became of it; of the same size.

    Raises
    ------
    av.error.FFmpegError
        Two of them don't fit each other.
    """
    graphs: dict[str, PairGraph] = {}
    found = []
    for original, made in pairs:
        if made.format.name != original.format.name:
            made = made.reformat(format=original.format.name)
        if not graphs:
            weighed = ("xpsnr",) if original.width * original.height >= SMALLEST else ()
            graphs = {name: FilterGraph.of_pairs(original, name) for name in ("ssim", "psnr", *weighed)}
        told: dict[str, str] = {}
        for graph in graphs.values():
            told |= graph.compare(original, made)
        ssim = float(told["lavfi.ssim.Y" if "lavfi.ssim.Y" in told else "lavfi.ssim.All"])
        psnr = min(CAP, float(told.get("lavfi.psnr.psnr.y", told.get("lavfi.psnr.psnr_avg", "inf"))))
        xpsnr = min(CAP, float(told.get("lavfi.xpsnr.xpsnr.y", "inf"))) if "xpsnr" in graphs else psnr
        found.append(Likeness(ssim, psnr, xpsnr))
    return found
