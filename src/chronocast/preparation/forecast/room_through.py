"""Room on every drive through a run: what is written when, when a drive is full, and what would help."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import NamedTuple

import numpy as np

from chronocast.forecast.band import Draws, band, bands
from chronocast.forecast.outputs import OutputAsk, OutputsForecast
from chronocast.forecast.room import SELDOM, Room, RunsOut, Taking, runs_out
from chronocast.model.pauses import pause
from chronocast.model.show import counted, size_text
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.station.drives import existing_parent, room_on, roomiest_drive
from chronocast.schedule.clock import Finish

IN_STEPS = (0.2, 0.4, 0.6, 0.8)
"""An output's pieces come into the stock a quarter at a time, at these shares of the time that it takes."""


class _Part(NamedTuple):
    """What is written of one output: ``share`` of ``size``, as much at each of ``moments``, shares of its time from 0 to 1."""

    output: str
    finish: Finish
    size: Draws
    share: float
    moments: tuple[float, ...]

    @property
    def bytes(self) -> Draws:
        """In all, shape (draws,)."""
        return self.size * self.share

    def takings(self) -> list[Taking]:
        """One after another."""
        pause()
        begin, length = self.finish.begin, self.finish.end - self.finish.begin
        each = self.bytes / len(self.moments)
        return [Taking(self.output, begin + length * moment, each) for moment in self.moments]


@dataclass
class _Drive:
    """A drive, where on it is written, and what for; ``parts`` are what is written, ``needs`` its bytes in all, shape (draws,)."""

    folder: Path
    needs: Draws
    purposes: list[str] = field(default_factory=list)
    parts: list[_Part] = field(default_factory=list)

    def take(self, part: _Part) -> None:
        """Have something more written."""
        self.parts.append(part)
        self.needs += part.bytes

    def runs_out(self, usable: int) -> RunsOut | None:
        """When it is full; what is written when is worked out only where that may be."""
        if (self.needs > usable).mean() <= SELDOM:
            return None
        return runs_out([taking for part in self.parts for taking in part.takings()], usable)


def rooms_through(
    outputs: Sequence[OutputReady],
    asks: Sequence[OutputAsk],
    told: OutputsForecast,
    finishes: Sequence[Finish],
    *,
    stock: Stock,
    target: Path,
) -> tuple[Room, ...]:
    """Room on every drive involved, through the run: files where they go, pieces in the stock.

    Parameters
    ----------
    outputs, asks
        The outputs, and as they were asked about.
    told
        What they take.
    finishes
        When each begins and ends.
    stock
        Where pieces are kept.
    target
        Where files go if nothing else is said.
    """
    draws = told.bytes.shape[1]
    home = _drive(stock.folder)
    still = {row: None for row, work in enumerate(told.work) if work.stages}
    numbers: dict[Path, int] = {}

    def drive_number(folder: Path) -> int:
        if folder not in numbers:
            numbers[folder] = _drive(folder)
        return numbers[folder]

    drives: dict[int, _Drive] = {}
    for folder in [outputs[row].path.parent for row in still] or [target]:
        drives.setdefault(drive_number(folder), _Drive(folder, np.zeros(draws), ["files"]))
    drives.setdefault(home, _Drive(stock.folder, np.zeros(draws))).purposes.append("pieces")
    for row, (ready, ask, finish) in enumerate(zip(outputs, asks, finishes, strict=True)):
        pause()
        if row not in still:
            continue
        name, size = ready.path.name, told.bytes[row]
        drives[drive_number(ready.path.parent)].take(_Part(name, finish, size, 1.0, (1.0,)))
        # of qualities that are tried, pieces lie beside each other until the output is joined
        share = _share_left(ask) * (ready.times if ready.searching else 1.0)
        drives[home].take(_Part(name, finish, size, share, IN_STEPS))
        if ask.base_bytes:
            drives[home].take(_Part(name, finish, np.ones(draws), float(ask.base_bytes), (0.0,)))
    rooms = []
    for drive in drives.values():
        room = room_on(drive.folder, band(drive.needs), " and ".join(drive.purposes))
        room = replace(room, runs_out=drive.runs_out(room.usable) if room.writable else None)
        rooms.append(replace(room, remedies=_remedies(room, drive)) if not room.fits else room)
    return tuple(rooms)


def _share_left(ask: OutputAsk) -> float:
    """How much of an output's picture is still to be encoded or copied, by its frames; 1 where it has none."""
    if ask.picture is None or not ask.picture.pieces:
        return 1.0
    left = sum(frames for frames, still in zip(ask.picture.pieces, ask.open, strict=True) if still)
    left += sum(copy.packets for copy in ask.copies)
    return left / sum(ask.picture.pieces)


def _remedies(room: Room, drive: _Drive) -> tuple[str, ...]:
    """What would make it fit: the fewest files that would have to go elsewhere, and where there is room for them."""
    if not room.writable:
        return ()
    by_file: dict[str, float] = {}
    safe = (told.safe for told in bands([part.bytes for part in drive.parts]))
    for part, size in zip(drive.parts, safe, strict=True):
        by_file[part.output] = by_file.get(part.output, 0.0) + size
    over, moved = room.needs.safe - room.usable, 0.0
    names: list[str] = []
    for name, size in sorted(by_file.items(), key=lambda item: -item[1]):
        if moved >= over:
            break
        moved += size
        names.append(name)
    if not names or moved < over or not drive.parts:
        return (f"Free {size_text(over)} on it.",)
    first = (
        f"“{names[0]}”" if len(names) == 1 else f"“{names[0]}” and {counted(len(names) - 1, 'other file')}"
    )
    where = roomiest_drive(drive.folder, moved)
    place = f"; {where.folder} has {size_text(where.free)} free" if where else ""
    return (f"Free {size_text(over)} on it, or send {first} ({size_text(moved)}) to another drive{place}.",)


def _drive(folder: Path) -> int:
    try:
        return os.stat(existing_parent(folder)).st_dev
    except OSError:
        return -1
