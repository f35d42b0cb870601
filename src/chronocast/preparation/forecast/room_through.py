"""Room on every drive through a run: what is written when, when a drive is full, and what would help."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from chronocast.forecast.band import Draws, band
from chronocast.forecast.outputs import OutputAsk, OutputsForecast
from chronocast.forecast.room import Room, Taking, runs_out
from chronocast.model.pauses import pause
from chronocast.model.show import counted, size_text
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.station.drives import existing_parent, room_on, roomiest_drive
from chronocast.schedule.clock import Finish

STEPS = 4
"""An output's pieces come into the stock in so many steps."""


@dataclass
class _Drive:
    """A drive, and what is written to it: where, what for, what when."""

    folder: Path
    purposes: list[str] = field(default_factory=list)
    takings: list[Taking] = field(default_factory=list)

    def needs(self, draws: int) -> Draws:
        """Bytes in all, shape (draws,)."""
        return np.sum([taking.bytes for taking in self.takings], axis=0) if self.takings else np.zeros(draws)


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
        drives.setdefault(drive_number(folder), _Drive(folder, ["files"]))
    drives.setdefault(home, _Drive(stock.folder)).purposes.append("pieces")
    for row, (ready, ask, finish) in enumerate(zip(outputs, asks, finishes, strict=True)):
        pause()
        if row not in still:
            continue
        name, size = ready.path.name, told.bytes[row]
        drives[drive_number(ready.path.parent)].takings.append(Taking(name, finish.end, size))
        # of qualities that are tried, pieces lie beside each other until the output is joined
        each = size * _share_left(ask) * (ready.times if ready.searching else 1.0) / STEPS
        length = finish.end - finish.begin
        drives[home].takings += [
            Taking(name, finish.begin + length * (step + 1) / (STEPS + 1), each) for step in range(STEPS)
        ]
        if ask.base_bytes:
            drives[home].takings.append(Taking(name, finish.begin, np.full(draws, float(ask.base_bytes))))
    rooms = []
    for drive in drives.values():
        room = room_on(drive.folder, band(drive.needs(draws)), " and ".join(drive.purposes))
        room = replace(room, runs_out=runs_out(drive.takings, room.usable) if room.writable else None)
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
    for taking in drive.takings:
        by_file[taking.output] = by_file.get(taking.output, 0.0) + float(np.quantile(taking.bytes, 0.9))
    over, moved = room.needs.safe - room.usable, 0.0
    names: list[str] = []
    for name, size in sorted(by_file.items(), key=lambda item: -item[1]):
        if moved >= over:
            break
        moved += size
        names.append(name)
    if not names or moved < over or not drive.takings:
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
