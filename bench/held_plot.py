"""Forecast against fact as a picture, for the report."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray


class Held(NamedTuple):
    """A forecast of bytes and the fact: the state of knowledge, P10, likely, safe, fact."""

    known: str
    p10: float
    likely: float
    safe: float
    fact: float

    @classmethod
    def of(cls, known: str, drawn: NDArray[np.float64], fact: float) -> Held:
        """As draws of it have it."""
        low, likely, high = np.quantile(drawn, (0.1, 0.5, 0.9))
        return cls(known, float(low), float(likely), float(high), fact)


def draw(held: Sequence[Held], path: Path) -> None:
    """Forecast against fact as a picture: a column for each state of knowledge, a stroke for each file."""
    names = list(dict.fromkeys(item.known for item in held))
    wide, high, left, top = 1000, 420, 60, 20
    column = (wide - left) / len(names)

    def y(ratio: float) -> float:
        return float(top + high * (1 - (np.log10(np.clip(ratio, 0.1, 10)) + 1) / 2))

    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {wide} {high + 90}" font-family="sans-serif" font-size="12">',
        f'<rect width="{wide}" height="{high + 90}" fill="#fffdf8"/>',
    ]
    for ratio in (0.1, 0.2, 0.5, 1, 2, 5, 10):
        lines.append(
            f'<line x1="{left}" x2="{wide}" y1="{y(ratio):.1f}" y2="{y(ratio):.1f}" stroke="#d9cfbd" '
            f'stroke-width="{2 if ratio == 1 else 1}"/><text x="8" y="{y(ratio) + 4:.1f}" fill="#5c6a72">× {ratio:g}</text>'
        )
    for number, name in enumerate(names):
        mine = sorted((item for item in held if item.known == name), key=lambda item: item.fact / item.likely)
        for place, item in enumerate(mine):
            x = left + column * (number + 0.1 + 0.8 * (place + 0.5) / len(mine))
            color = "#1f776b" if item.p10 <= item.fact <= item.safe else "#a83a30"
            lines.append(
                f'<line x1="{x:.1f}" x2="{x:.1f}" y1="{y(item.p10 / item.fact):.1f}" y2="{y(item.safe / item.fact):.1f}" '
                f'stroke="{color}" stroke-opacity="0.5"/><circle cx="{x:.1f}" cy="{y(item.likely / item.fact):.1f}" r="2" fill="{color}"/>'
            )
        for row, word in enumerate(_wrapped(name)):
            lines.append(
                f'<text x="{left + column * (number + 0.5):.0f}" y="{high + 44 + 14 * row}" text-anchor="middle" fill="#1d2a33">{word}</text>'
            )
    path.write_text("\n".join([*lines, "</svg>"]) + "\n")


def _wrapped(words: str) -> list[str]:
    found = [""]
    for word in words.split():
        if len(found[-1]) + len(word) > 14:
            found.append("")
        found[-1] = f"{found[-1]} {word}".strip()
    return found
