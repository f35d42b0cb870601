"""The forecast of a whole batch: what is prepared, the stock, the ledger and this station's pace, put together."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from chronocast.forecast.band import Band, Chance, Draws, band, exact
from chronocast.forecast.room import Room
from chronocast.forecast.size import (
    CONTAINER_UNSURE,
    CONTAINER_UNSURE_BYTES,
    PictureAsk,
    container_bytes,
    picture_bytes,
    sound_bytes,
    why,
)
from chronocast.forecast.work import Load, Pace, PieceAsk, other_seconds, piece_seconds
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.messages.jobs import PieceJob, SoundJob
from chronocast.model.recipe.codecs import SOUND
from chronocast.model.recipe.layouts import channels_of
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.differences import differences_from_source
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.preparation.problem import Problem
from chronocast.preparation.station.drives import existing_parent, room_on
from chronocast.schedule.clock import Span, Work, simulate, typical_spans

FLAC_SHARE = 0.6
"""Of PCM, over all kinds of sound."""


@dataclass(frozen=True)
class OutputOutlook:
    """The forecast of one output.  ``begin`` and ``finish`` are seconds from now.

    ``draws`` are what the bands of seconds and bytes come from, shape (2, draws): several outputs together are
    the sum of theirs.
    """

    ready: OutputReady
    seconds: Band
    bytes: Band
    begin: Band
    finish: Band
    pieces_total: int
    pieces_kept: int
    sound_bytes: float
    parts: dict[str, float]
    basis: str
    made: bool = False
    kept_names: frozenset[str] = frozenset()
    draws: NDArray[np.float32] | None = field(default=None, compare=False, repr=False)

    @property
    def kept_share(self) -> float:
        """How much of the picture is in the stock, by frames."""
        return self.parts.get("kept_share", 0.0)


def together(outputs: Sequence[OutputOutlook]) -> tuple[Band, Band]:
    """Seconds of work and bytes of several outputs: what they have in common is in error together."""
    drawn = [item.draws for item in outputs if item.draws is not None]
    if not drawn:
        return exact(0.0), exact(0.0)
    whole = np.array(drawn, np.float64).sum(axis=0)
    return band(whole[0]), band(whole[1])


@dataclass(frozen=True)
class Outlook:
    """The forecast of a batch.  ``at`` is the moment it was made; ``slots`` how many pieces at once.

    ``spans`` are what each slot does in a typical draw.
    """

    at: datetime
    outputs: tuple[OutputOutlook, ...]
    seconds: Band
    bytes: Band
    finish: Band
    fan: tuple[tuple[float, float, float], ...]
    room: tuple[Room, ...]
    problems: tuple[Problem, ...]
    slots: int
    calibrated: bool
    kept_share: float
    saved_seconds: float
    source_bytes: int
    spans: tuple[Span, ...] = ()

    def output(self, identifier: str) -> OutputOutlook | None:
        return next((item for item in self.outputs if item.ready.output.id == identifier), None)


@dataclass(frozen=True)
class Experience:
    """What the ledger has taught: factors of bytes by family and film, seconds a million pixels by pace."""

    size: Mapping[str, Mapping[str, Sequence[float]]] = field(default_factory=dict)
    pace: Mapping[str, Sequence[float]] = field(default_factory=dict)


def experience(rows: Mapping[str, Sequence[Mapping[str, Any]]]) -> Experience:
    """Turn the ledger's rows into the numbers a forecast learns from.

    A row's ``target`` holds the bytes that a factor of one stands for.
    """
    size: dict[str, dict[str, list[float]]] = {}
    pace: dict[str, list[float]] = {}
    for key, group in rows.items():
        what, name = key.split(":", 1)
        for row in group:
            if what == "family" and row["target"] and row["bytes"]:
                films = size.setdefault(name, {})
                films.setdefault(row.get("film") or "", []).append(row["bytes"] / row["target"])
            elif what == "pace" and row["pixels"] and (row["cpu_seconds"] or row["wall_seconds"]):
                # the processor's seconds: what others took of the machine then says nothing of now
                seconds = row["cpu_seconds"] or row["wall_seconds"]
                pace.setdefault(name, []).append(seconds / (row["pixels"] / 1e6))
    return Experience(size, pace)


def sound_rate(sound: SoundJob) -> float:
    """Bit/s of one track of sound."""
    if not sound.depth:
        return sound.bits_per_second
    tracks = range(len(sound.each_track))
    channels = sum(channels_of(sound.layout_of(n)) for n in tracks) / len(tracks)
    return sound.sample_rate * channels * sound.depth * (FLAC_SHARE if sound.codec == "flac" else 1.0)


def picture_ask(
    ready: OutputReady, stock: Stock, seen: Mapping[str, Sequence[float]] | None = None
) -> PictureAsk:
    """An output's picture as the forecast of bytes asks for it."""
    plan = ready.plan
    sizes = [(piece.frames, stock.size(piece.name)) for piece in plan.pieces]
    whole = bool(ready.recipe.picture and ready.recipe.picture.kind.kind != "long")
    box = plan.settings.piece if plan.settings else "mp4"
    kept = [
        None if size is None else max(0, size - round(container_bytes(box, frames, 0, whole=whole)))
        for frames, size in sizes
    ]
    if ready.searching:  # what is there now is of qualities that are being tried
        kept = [None] * len(kept)
    return PictureAsk(
        ready.output.id, ready.family, ready.size_prior, [piece.frames for piece in plan.pieces], kept, seen or {},
        ready.film,
    )  # fmt: skip


def outlook(
    prospect: Prospect, stock: Stock, pace: Pace, slots: int, learned: Experience | None = None,
    done: Mapping[str, int] | None = None, drives: bool = True, load: Load | None = None,
    reserve: bool = True,
) -> Outlook:  # fmt: skip
    """Forecast a batch.  ``done`` has the bytes of outputs that are made already; held ones are left out.

    ``load`` is what others take of the machine now.
    """
    learned, done = learned or Experience(), done or {}
    chance = Chance()
    stretch = (load or Load()).draws(chance)
    works: list[Work] = []
    sizes: list[Draws] = []
    drafts: list[dict[str, Any]] = []
    total_kept = total_frames = 0.0
    saved = 0.0
    for ready in prospect.outputs:
        if ready.output.held:
            continue
        plan, name = ready.plan, ready.output.id
        made = name in done
        ask = picture_ask(ready, stock, learned.size.get(ready.family)) if plan.settings else None
        tracks = len(plan.sound.each_track) if plan.sound else 0
        heard = tracks * sound_bytes(plan.seconds, sound_rate(plan.sound)) if plan.sound else 0.0
        sound_kept = stock.size(plan.sound.name) if plan.sound else None
        packets = tracks * -(-plan.sound.samples // SOUND[plan.sound.codec].packet) if plan.sound else 0
        if made:
            size: Draws = np.full(chance.draws, float(done[name]))
        else:
            picture = picture_bytes(ask, chance) if ask else np.zeros(chance.draws)
            whole = bool(ready.recipe.picture and ready.recipe.picture.kind.kind != "long")
            if sound_kept is not None and plan.sound:  # without what its own file takes
                sound_kept -= round(container_bytes("m4a", 0, packets))
            put_in = picture + (heard if sound_kept is None else sound_kept)
            around = container_bytes(
                ready.recipe.container, plan.frames if ask else 0, packets, plan.seconds, float(np.median(put_in)), whole, True, bool(ready.timecode)
            )  # fmt: skip
            unsure = chance.normal("container " + ready.recipe.container)
            size = put_in + around * np.exp(CONTAINER_UNSURE * unsure)
            if ready.recipe.container != "images":
                size = size + CONTAINER_UNSURE_BYTES * unsure
        there = [None if ready.searching else stock.size(p.name) for p in plan.pieces]
        open_pieces = [p for p, kept in zip(plan.pieces, there, strict=True) if kept is None and not made]
        times = ready.times
        if ready.searching:  # what of this round is there already
            times = max(
                0.05, times - sum(p.frames for p in plan.pieces if stock.size(p.name)) / max(1, plan.frames)
            )
        asks = [_piece_ask(ready, piece, times) for piece in open_pieces]
        seconds = piece_seconds(asks, pace, learned.pace, chance, name) * stretch
        megapixels = plan.width * plan.height * plan.frames / 1e6 if ask else 0.0
        sound, join, check = (
            part * stretch
            for part in other_seconds(
                plan.seconds, megapixels, (plan.frames if ask else 0) + packets, size, pace, chance
            )
        )
        need_sound = plan.sound is not None and sound_kept is None and not made
        nothing = np.zeros(chance.draws)
        works.append(
            Work(
                name, [p.name for p in open_pieces], seconds, sound if need_sound else None,
                nothing if made else join, nothing if made else check, plan.sound.name if plan.sound else "",
            )
        )  # fmt: skip
        kept_frames = plan.frames if made else plan.frames - sum(piece.frames for piece in open_pieces)
        if ask is None:
            kept_frames = plan.frames if made or sound_kept is not None else 0
        all_seconds = stretch * piece_seconds(
            [_piece_ask(ready, p, 1.0) for p in plan.pieces], pace, learned.pace, chance, name
        )
        encode = seconds.sum(axis=0)
        saved += max(0.0, float(np.median(all_seconds.sum(axis=0)) - np.median(encode)))
        total_kept += kept_frames
        total_frames += plan.frames
        spent = encode + (sound if need_sound else 0) + (0 if made else join + check)
        sizes.append(size)
        drafts.append(
            {
                "ready": ready, "spent": spent if not made else nothing, "size": size, "heard": sound_kept or heard,
                "kept": len(plan.pieces) - len(open_pieces),
                "kept_names": frozenset(p.name for p in plan.pieces) - {p.name for p in open_pieces}, "basis": "made and proved" if made else why(ask) if ask else "its rate × length", "made": made,
                "parts": {
                    "encode": float(np.median(encode)), "sound": float(np.median(sound)) if need_sound else 0.0,
                    "join": 0.0 if made else float(np.median(join)), "check": 0.0 if made else float(np.median(check)),
                    "kept_share": kept_frames / plan.frames,
                },
            }
        )  # fmt: skip
    finishes = simulate(works, slots, chance.draws)
    outputs = tuple(
        OutputOutlook(
            draft["ready"], band(draft["spent"]), band(draft["size"]), band(finish.begin), band(finish.end),
            len(draft["ready"].plan.pieces), draft["kept"], float(draft["heard"]), draft["parts"], draft["basis"], draft["made"],
            draft["kept_names"], np.array([draft["spent"], draft["size"]], np.float32),
        )
        for draft, finish in zip(drafts, finishes, strict=True)
    )  # fmt: skip
    total = np.sum(sizes, axis=0) if sizes else np.zeros(chance.draws)
    ends = np.max([finish.end for finish in finishes], axis=0) if finishes else np.zeros(chance.draws)
    spent = np.sum([draft["spent"] for draft in drafts], axis=0) if drafts else np.zeros(chance.draws)
    still = [size for size, draft in zip(sizes, drafts, strict=True) if not draft["made"]]
    new = np.sum(still, axis=0) if still else np.zeros(chance.draws)
    # pieces of qualities that are being tried lie beside each other until their output is joined
    tried = [
        size * (draft["ready"].times - 1)
        for size, draft in zip(sizes, drafts, strict=True)
        if not draft["made"] and draft["ready"].searching
    ]
    most = np.max(tried, axis=0) * max(1, slots) if tried else np.zeros(chance.draws)
    goes = [
        (draft["ready"].path.parent, size)
        for size, draft in zip(sizes, drafts, strict=True)
        if not draft["made"]
    ]
    if not goes:
        goes = [(prospect.target, np.zeros(chance.draws))]
    room = _room(stock, goes, band(new), most, reserve) if drives else ()
    media = {path: facts.bytes for item in prospect.sources.values() for path, facts in item.facts.items()}
    return Outlook(
        datetime.now().astimezone(), outputs, band(spent), band(total), band(ends) if finishes else exact(0.0),
        _fan(finishes), room, tuple(prospect.problems), slots, pace.calibrated,
        total_kept / total_frames if total_frames else 0.0, saved / max(1, slots), sum(media.values()),
        typical_spans(works, finishes, slots),
    )  # fmt: skip


def _piece_ask(ready: OutputReady, piece: PieceJob, times: float) -> PieceAsk:
    return PieceAsk(
        ready.work(piece), ENCODERS[piece.settings.encoder].effort(ready.effort), ready.pace, times
    )  # fmt: skip


def _fan(finishes: Sequence[Any]) -> tuple[tuple[float, float, float], ...]:
    """How many outputs are finished by when: for each, (P10, likely, safe) seconds of the n-th finish."""
    if not finishes:
        return ()
    ends = np.sort(np.array([finish.end for finish in finishes]), axis=0)
    rows = np.quantile(ends, (0.1, 0.5, 0.9), axis=1)
    return tuple((float(a), float(b), float(c)) for a, b, c in rows.T)


def _room(
    stock: Stock, files: Sequence[tuple[Path, Draws]], pieces: Band, most: Draws, reserve: bool
) -> tuple[Room, ...]:
    """Room on every drive involved: those that files go to, and the stock's, where pieces lie beside them.

    ``files`` are folders and draws of the bytes that go there; ``pieces`` the
    bytes of pieces, with those of qualities that are tried (``most``).
    """
    by_drive: dict[int, tuple[Path, Draws]] = {}
    for folder, size in files:
        drive = _drive(folder)
        known = by_drive.get(drive)
        by_drive[drive] = (known[0], known[1] + size) if known else (folder, size.copy())
    home = _drive(stock.folder)
    rooms = []
    for drive, (folder, size) in by_drive.items():
        together = drive == home
        need = band(size + most) if together else band(size)
        if together:
            need = Band(need.p10 + pieces.p10, need.likely + pieces.likely, need.safe + pieces.safe)
        rooms.append(room_on(folder, need, "files and pieces" if together else "files", reserve))
    if home not in by_drive and files:
        rooms.append(room_on(stock.folder, pieces, "pieces", reserve))
    return tuple(rooms)


def _drive(folder: Path) -> int:
    try:
        return os.stat(existing_parent(folder)).st_dev
    except OSError:
        return -1


def clock(at: datetime, seconds: float) -> datetime:
    """The time by the clock, ``seconds`` after ``at``."""
    return at + timedelta(seconds=seconds)


def as_json(view: Outlook) -> dict[str, Any]:
    """The forecast as the command line answers it: seconds, bytes, ISO 8601."""

    def moment(value: Band) -> dict[str, str]:
        return {
            key: clock(view.at, seconds).isoformat(timespec="seconds")
            for key, seconds in (("p10", value.p10), ("likely", value.likely), ("safe", value.safe))
        }

    def whole(value: Band) -> dict[str, int]:
        return {"p10": round(value.p10), "likely": round(value.likely), "safe": round(value.safe)}

    outputs = []
    for item in view.outputs:
        ready = item.ready
        outputs.append(
            {
                "id": ready.output.id, "source": ready.output.source, "range": ready.output.range,
                "extent": {"kind": ready.extent.kind, "frames": ready.extent.frames, "of": ready.extent.whole, "told": ready.extent.text},
                "recipe": ready.output.recipe, "path": str(ready.path), "frames": ready.plan.frames,
                "seconds": item.seconds.as_json(), "bytes": whole(item.bytes), "finish": moment(item.finish),
                "pieces": {
                    "total": item.pieces_total, "kept": item.pieces_kept, "copied": 0,
                    "encode": item.pieces_total - item.pieces_kept,
                },
                "width": ready.plan.width, "height": ready.plan.height, "rate": str(ready.plan.rate),
                "differences": [
                    {"what": d.what, "sentence": d.sentence, "loss": d.loss} for d in differences_from_source(ready)
                ],
                "sound_bytes": round(item.sound_bytes), "basis": item.basis, "made": item.made,
            }
        )  # fmt: skip
    return {
        "version": 1,
        "outputs": outputs,
        "total": {"seconds": view.seconds.as_json(), "bytes": whole(view.bytes), "finish": moment(view.finish)},
        "room": [
            {"drive": room.drive, "free": room.free, "reserve": room.reserve, "writable": room.writable, "for": room.purpose,
             "fits": room.fits, "fit": room.fit, "told": room.told, "needs": {"likely": round(room.needs.likely), "safe": round(room.needs.safe)}}
            for room in view.room
        ],
        "problems": [
            {"where": p.where, "source": p.source or None, "output": p.output or None, "sentence": p.sentence, "remedy": p.remedy,
             "blocks": p.blocks} for p in view.problems
        ],
        "slots": view.slots,
        "calibrated": view.calibrated,
    }  # fmt: skip
