"""Time against size, in plain Python: where points lie, what is asked to be kept, what the pointer is at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import hypot, log10
from typing import Literal, NamedTuple

from chronocast.forecast.band import Band
from chronocast.model.batch.batch import Batch
from chronocast.model.show import clock_text, db_text, rate_bits_text, size_text, time_text
from chronocast.preparation.asked.candidates import Candidate
from chronocast.preparation.forecast.outlook import Outlook

LineName = Literal["limit", "wanted", "line"]
REACH = 7.0
"""Pixels: the pointer is at a line or a point that is no farther away."""
LEAST_SECONDS, LEAST_BYTES = 0.5, 1e3


class Point(NamedTuple):
    """A file on the plot: its recipe, its forecast, whether it is the one spoken of."""

    name: str
    seconds: Band
    bytes: Band
    mine: bool


@dataclass(frozen=True)
class Kept:
    """What is asked to be kept, as it concerns one output.

    Parameters
    ----------
    limit
        Bytes that it should not be larger than.
    left
        Seconds of work that it may take to be in time, what is done before it left out.
    line
        Bit/s of the line it is sent by.
    wanted
        The time that was asked for; None while another one is being dragged to.
    """

    limit: float | None = None
    left: float | None = None
    line: float | None = None
    wanted: datetime | None = None


def kept_of(batch: Batch, view: Outlook, output: str) -> Kept:
    """What a batch asks of one of its outputs.

    Parameters
    ----------
    batch
        The batch.
    view
        Its forecast.
    output
        The output's id.
    """
    item = view.output(output)
    left = None
    if batch.wanted is not None and item is not None:
        wanted = batch.wanted if batch.wanted.tzinfo else batch.wanted.replace(tzinfo=view.at.tzinfo)
        left = (wanted - view.at).total_seconds() - waiting(view, output)
    return Kept(batch.size_limit, left, batch.line, batch.wanted)


def waiting(view: Outlook, output: str) -> float:
    """Seconds that an output waits for others, of its likely finish."""
    item = view.output(output)
    return max(0.0, item.finish.likely - item.seconds.likely) if item else 0.0


def moment_of(view: Outlook, output: str, left: float) -> datetime:
    """When all should be finished so that an output may take so many seconds of work, to the minute."""
    found = view.at + timedelta(seconds=max(0.0, left) + waiting(view, output))
    return (found + timedelta(seconds=30)).replace(second=0, microsecond=0)


@dataclass(frozen=True)
class Scales:
    """Logarithms of seconds across and of bytes up, onto an area of pixels."""

    seconds: tuple[float, float]
    bytes: tuple[float, float]
    left: float = 0.0
    top: float = 0.0
    width: float = 1.0
    height: float = 1.0

    def x(self, seconds: float) -> float:
        """Where a time lies."""
        low, high = self.seconds
        return self.left + self.width * (log10(max(seconds, LEAST_SECONDS)) - low) / (high - low)

    def y(self, size: float) -> float:
        """Where a size lies."""
        low, high = self.bytes
        return self.top + self.height * (1 - (log10(max(size, LEAST_BYTES)) - low) / (high - low))

    def seconds_at(self, x: float) -> float:
        """The time at a place."""
        low, high = self.seconds
        return float(10 ** (low + (high - low) * (x - self.left) / self.width))

    def bytes_at(self, y: float) -> float:
        """The size at a place."""
        low, high = self.bytes
        return float(10 ** (low + (high - low) * (1 - (y - self.top) / self.height)))


def scales_of(points: Sequence[Point], ways: Sequence[Candidate]) -> Scales:
    """Scales that hold all points with their bands, and other ways."""
    times = [log10(max(v, LEAST_SECONDS)) for p in points for v in (p.seconds.p10, p.seconds.safe)]
    sizes = [log10(max(v, LEAST_BYTES)) for p in points for v in (p.bytes.p10, p.bytes.safe)]
    times += [log10(max(way.seconds.likely, LEAST_SECONDS)) for way in ways]
    sizes += [log10(max(way.bytes.likely, LEAST_BYTES)) for way in ways]
    return Scales(_span(times, 0.08, 0.4), _span(sizes, 0.05, 0.5))


def _span(values: Sequence[float], around: float, least: float) -> tuple[float, float]:
    low, high = min(values, default=0.0) - around, max(values, default=1.0) + around
    short = max(0.0, least - (high - low)) / 2
    return low - short, high + short


@dataclass(frozen=True)
class Plot:
    """All that the plot shows of an output, or of several together: of these no line can be drawn, since each has its own."""

    points: tuple[Point, ...] = ()
    ways: tuple[Candidate, ...] = ()
    kept: Kept = Kept()
    several: bool = False

    def scales(self, left: float, top: float, width: float, height: float) -> Scales:
        """Its scales on an area of pixels."""
        found = scales_of(self.points, self.others)
        return replace(found, left=left, top=top, width=max(1.0, width), height=max(1.0, height))

    @property
    def others(self) -> tuple[Candidate, ...]:
        """The ways that are other than now."""
        return tuple(way for way in self.ways if not way.present)

    @property
    def now(self) -> Candidate | None:
        """The way it is made now."""
        return next((way for way in self.ways if way.present), None)

    def line_seconds(self, size: float) -> float | None:
        """Seconds of work that are left for a file of a size, when it has to be across the line in time."""
        kept = self.kept
        if kept.left is None or not kept.line:
            return kept.left
        return kept.left - size * 8 / kept.line

    def way_at(self, scales: Scales, x: float, y: float) -> Candidate | None:
        """The way that the pointer is at, the nearest."""
        near = [
            (hypot(scales.x(w.seconds.likely) - x, scales.y(w.bytes.likely) - y), n)
            for n, w in enumerate(self.others)
        ]
        distance, number = min(near, default=(REACH + 1, 0))
        return self.others[number] if distance <= REACH else None

    def line_at(self, scales: Scales, x: float, y: float) -> LineName | None:
        """The line that can be dragged from where the pointer is: one that stands there, or one at the edge to be drawn in."""
        if self.several:
            return None
        limit_y = scales.top if self.kept.limit is None else self._inside_y(scales, scales.y(self.kept.limit))
        if abs(y - limit_y) <= REACH and scales.left <= x <= scales.left + scales.width:
            return "limit"
        if self.kept.left is not None and self.kept.line:
            seconds = self.line_seconds(scales.bytes_at(y))
            if seconds is not None and seconds > 0 and abs(scales.x(seconds) - x) <= REACH:
                return "line"
        right = scales.left + scales.width
        wanted_x = right if self.kept.left is None else min(right, max(scales.left, scales.x(self.kept.left)))
        if abs(x - wanted_x) <= REACH and scales.top <= y <= scales.top + scales.height:
            return "wanted"
        return None

    @staticmethod
    def _inside_y(scales: Scales, y: float) -> float:
        return min(scales.top + scales.height, max(scales.top, y))


def dragged(plot: Plot, scales: Scales, name: LineName, x: float, y: float) -> Kept:
    """What is asked to be kept once a line is dragged to a place; beyond its edge there is no line.

    Parameters
    ----------
    plot
        As it is.
    scales
        Of its area.
    name
        The line.
    x, y
        Where the pointer is, in pixels.
    """
    kept = plot.kept
    if name == "limit":
        return replace(kept, limit=None if y <= scales.top - 2 * REACH else scales.bytes_at(y))
    if name == "wanted":
        beyond = x >= scales.left + scales.width + 2 * REACH
        return replace(kept, left=None if beyond else scales.seconds_at(x), wanted=None)
    assert kept.left is not None
    left = kept.left - scales.seconds_at(x)
    return replace(kept, line=scales.bytes_at(y) * 8 / left if left > 1 else kept.line)


FULL_DB, EMPTY_DB = 44.0, 28.0
"""XPSNR at which a ring is closed (nobody sees a difference), and at which nothing of it is left."""


def ring(worst: float) -> float:
    """How much of a ring is drawn for the XPSNR of the poorest shot, from 0 to 1."""
    return min(1.0, max(0.0, (worst - EMPTY_DB) / (FULL_DB - EMPTY_DB)))


def looks_told(way: Candidate) -> str:
    """How a way looks, in words."""
    if way.xpsnr is not None:
        return f"; poorest shot {db_text(way.xpsnr.worst.likely)} XPSNR, safe {db_text(way.xpsnr.worst.safe)}"
    return f"; looks like quality {way.looks:g} (reckoned)" if way.looks is not None else ""


def way_told(way: Candidate, now: Candidate | None = None) -> str:
    """A way in words, with what it takes, and that against another one."""
    told = f"{way.words}: {time_text(way.seconds.likely)}, safe {time_text(way.seconds.safe)}; {size_text(way.bytes.likely)}, safe {size_text(way.bytes.safe)}{looks_told(way)}{way.besides}"
    if now is not None:
        told += f". Against now: {way.against(now).partition(': ')[2]}"
    return told + (
        ". Another way is better in time, size and look." if way.dominated else ". Click to take it."
    )


def kept_told(view: Outlook, output: str, kept: Kept, name: LineName) -> str:
    """A line's value in words."""
    if name == "limit":
        return f"at most {size_text(kept.limit)}" if kept.limit is not None else "no size limit"
    if name == "line":
        return f"sent by {rate_bits_text(kept.line)}" if kept.line else "no line"
    if kept.left is None:
        return "no time wanted"
    moment = kept.wanted.astimezone() if kept.wanted else moment_of(view, output, kept.left)
    return f"wanted {clock_text(moment)}"
