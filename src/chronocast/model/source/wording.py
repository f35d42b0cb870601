"""A clip's picture in words, the same wherever it is told."""

from __future__ import annotations

from fractions import Fraction

from chronocast.model.picture.geometry import PictureSize
from chronocast.model.source.facts import ClipFacts


def upright_size(facts: ClipFacts) -> PictureSize:
    """A clip's size as it is looked at: in square pixels, turned upright, both sides even."""
    width = max(2, round(facts.width * facts.pixel_aspect / 2) * 2)
    height = max(2, facts.height // 2 * 2)
    return PictureSize(height, width) if facts.turned in (90, 270) else PictureSize(width, height)


def pixels_told(shape: Fraction) -> str:
    """The shape of pixels that aren't square: ``pixels 16:15``; "" for those that are."""
    return "" if shape == 1 else f"pixels {shape.numerator}:{shape.denominator}"


def size_told(facts: ClipFacts) -> str:
    """A clip's size as it is looked at, and as it is kept where that differs: ``1024×576 (720×576, pixels 64:45)``."""
    shown = upright_size(facts)
    words = f"{shown.width}×{shown.height}"
    turned = f"turned {facts.turned}°" if facts.turned else ""
    apart = [pixels_told(facts.pixel_aspect), turned]
    if (facts.width, facts.height) == tuple(shown) and not any(apart):
        return words
    return f"{words} ({', '.join(filter(None, [f'{facts.width}×{facts.height}', *apart]))})"


def scan_told(facts: ClipFacts) -> str:
    """How a clip's pictures are scanned: ``progressive``, or ``interlaced, top field first``."""
    if not facts.interlaced:
        return facts.scan
    order = facts.field_order.partition(" ")[0]
    return f"interlaced, {order} field first" if order else "interlaced"
