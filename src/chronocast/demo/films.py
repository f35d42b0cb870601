"""The demo's sequences: three films and an edit list, cut from its clips."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

from chronocast.demo.clips import RATE, SCENES
from chronocast.timeline.described import Cross, Marker, Placed, Timeline, Track

OPENING, WALK, NIGHT, TOUR = "hall-opening.otio", "tide-walk.otio", "night-round.otio", "guided-tour.edl"
SEQUENCES = (OPENING, WALK, NIGHT, TOUR)
SIZE = (1280, 720)
HOUR = 25 * 3600

_BY_NUMBER = {scene.number: scene for scene in SCENES}

# (scene number or None for a gap, first frame of it, frames): 26 s in all.
_OPENING: tuple[tuple[int | None, int, int], ...] = (
    (1, 40, 130),
    (5, 25, 80),
    (3, 12, 45),
    (4, 30, 60),
    (None, 0, 15),
    (2, 50, 90),
    (3, 110, 30),
    (5, 150, 75),
    (4, 120, 60),
    (1, 170, 65),
)


class _Row:
    """One track being filled; everything in frames of the sequence."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.at = folder, 0
        self.placed: list[Placed] = []
        self.crosses: list[Cross] = []

    def gap(self, frames: int) -> _Row:
        self.placed.append(Placed(start=self.at / RATE, seconds=frames / RATE))
        self.at += frames
        return self

    def clip(self, number: int, first: int, frames: int, **more: Any) -> _Row:
        """``first`` counts in pictures of the clip, at its own rate."""
        scene = _BY_NUMBER[number]
        zero = _zero(scene.form.timecode)
        self.placed.append(
            Placed(
                start=self.at / RATE,
                seconds=frames / RATE,
                kind="media",
                name=Path(scene.file).stem,
                media=str(self.folder / scene.file),
                source_start=zero + first / scene.rate,
                media_zero=zero,
                media_seconds=scene.frames / scene.rate,
                **more,
            )
        )
        self.at += frames
        return self

    def fill(self, fill: str, frames: int) -> _Row:
        self.placed.append(
            Placed(start=self.at / RATE, seconds=frames / RATE, kind="fill", fill=fill, name=fill)
        )
        self.at += frames
        return self

    def nest(self, name: str, frames: int, *inner: Track, first: int = 0) -> _Row:
        self.placed.append(
            Placed(
                start=self.at / RATE,
                seconds=frames / RATE,
                kind="nest",
                name=name,
                source_start=first / RATE,
                inner=inner,
            )
        )
        self.at += frames
        return self

    def cross(self, before: int, after: int) -> _Row:
        """A dissolve over the cut that comes now."""
        self.crosses.append(Cross(at=self.at / RATE, before=before / RATE, after=after / RATE))
        return self

    def picture(self, name: str) -> Track:
        return Track(kind="picture", name=name, placed=tuple(self.placed), crosses=tuple(self.crosses))

    def sound(self, name: str) -> Track:
        return Track(kind="sound", name=name, placed=tuple(self.placed), crosses=tuple(self.crosses))


def _zero(timecode: str) -> Fraction:
    hours = int(timecode[:2]) if timecode else 0
    return Fraction(hours * 3600)


def _film(name: str, tracks: Sequence[Track], markers: Sequence[tuple[int, int, str]] = ()) -> Timeline:
    told = tuple(Marker(at=frame / RATE, seconds=frames / RATE, name=text) for frame, frames, text in markers)
    return Timeline(
        path="", name=name, rate=RATE, size=SIZE, tracks=tuple(tracks), start_timecode=10 * HOUR, markers=told
    )


def opening(folder: Path) -> Timeline:
    """26 s of cuts and a gap, on one track."""
    row, heard = _Row(folder), _Row(folder)
    for number, first, frames in _OPENING:
        for track in (row, heard):
            if number:
                track.clip(number, first, frames)
            else:
                track.gap(frames)
    return _film("Hall of Tides, opening film", [row.picture("V1"), heard.sound("A1")])


def walk(folder: Path) -> Timeline:
    """30 s along the tanks: two picture tracks, dissolves, other speeds, a tape and a mezzanine clip, two sound tracks."""
    low = (
        _Row(folder)
        .clip(1, 30, 80)
        .cross(12, 12)
        .clip(6, 20, 100)
        .clip(7, 10, 50)
        .cross(10, 10)
        .clip(8, 12, 40)
        .clip(3, 20, 60, speed=Fraction(2))
        .clip(5, 40, 100)
        .cross(25, 25)
        .clip(2, 60, 80, speed=Fraction(1, 2))
        .clip(12, 10, 50, speed=Fraction(-1))
        .clip(11, 20, 60)
        .cross(12, 12)
        .clip(4, 60, 90)
        .clip(10, 20, 40)
    )
    high = (
        _Row(folder)
        .gap(20)
        .clip(13, 10, 40, opacity=Fraction(3, 4))
        .gap(125)
        .clip(9, 30, 50)
        .gap(370)
        .clip(13, 205, 25)
        .cross(25, 0)
        .gap(120)
    )
    heard = (
        _Row(folder).clip(1, 30, 180).cross(25, 25).clip(5, 40, 160).gap(280).clip(4, 60, 90).clip(10, 20, 40)
    )
    over = _Row(folder).gap(185).clip(9, 30, 50, opacity=Fraction(1, 2)).gap(85).clip(12, 0, 80)
    return _film(
        "Tide walk",
        [low.picture("V1"), high.picture("V2"), heard.sound("A1"), over.sound("A2")],
        [(80, 100, "Kelp and light"), (230, 0, "tape"), (520, 0, "storm")],
    )


def night(folder: Path) -> Timeline:
    """26 s at night: a nested sequence, freezes, fades from and to black, bars at the end."""
    inside = _Row(folder).clip(11, 0, 120).picture("V1")
    inside_over = _Row(folder).gap(30).clip(5, 100, 60, opacity=Fraction(1, 2)).picture("V2")
    low = (
        _Row(folder)
        .gap(25)
        .cross(0, 25)
        .clip(5, 60, 100)
        .nest("the night tank", 80, inside, inside_over, first=20)
        .clip(12, 20, 60)
        .clip(8, 40, 40, speed=Fraction(0))
        .cross(10, 10)
        .clip(6, 60, 80)
        .clip(2, 100, 100)
        .cross(25, 0)
        .gap(40)
        .clip(1, 100, 100)
        .fill("bars", 25)
    )
    heard = (
        _Row(folder)
        .gap(25)
        .cross(0, 25)
        .clip(5, 60, 100)
        .clip(3, 0, 80)
        .clip(12, 20, 60)
        .gap(40)
        .clip(6, 60, 80)
        .clip(2, 100, 100)
    )
    return _film("Night round", [low.picture("V1"), heard.sound("A1")])


TOUR_TEXT = """TITLE: Guided tour
FCM: NON-DROP FRAME

001  AX       V     C        00:00:02:00 00:00:06:00 01:00:00:00 01:00:04:00
* FROM CLIP NAME: still-water.mp4
002  AX       V     C        00:00:01:00 00:00:04:00 01:00:04:00 01:00:07:00
* FROM CLIP NAME: kelp-forest.mp4
003  AX       V     C        00:00:04:00 00:00:04:00 01:00:07:00 01:00:07:00
003  AX       V     D    025 00:00:02:00 00:00:07:00 01:00:07:00 01:00:12:00
* FROM CLIP NAME: kelp-forest.mp4
* TO CLIP NAME: jelly-drift.mp4
004  AX       V     C        10:00:00:12 10:00:02:12 01:00:12:00 01:00:14:00
* FROM CLIP NAME: seal-master.mov
005  AX       V     C        00:00:00:00 00:00:06:00 01:00:14:00 01:00:17:00
M2   AX       050.0                      00:00:00:00
* FROM CLIP NAME: plankton.mp4
006  AX       V     C        00:00:02:00 00:00:07:00 01:00:17:00 01:00:22:00
* FROM CLIP NAME: feeding-hour.mp4
007  AX       V     C        00:00:02:00 00:00:06:00 01:00:22:00 01:00:26:00
* FROM CLIP NAME: reef-pan.mp4
"""
