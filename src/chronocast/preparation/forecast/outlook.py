"""The forecast of a whole batch: what is prepared, the stock, the ledger and a station's pace, put together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import cached_property
from pathlib import Path
from typing import NamedTuple

import numpy as np

from chronocast.forecast.band import Band, Chance, Draws, band, bands, draws_for, exact
from chronocast.forecast.learning.conformal import Widths
from chronocast.forecast.learning.experience import Experience
from chronocast.forecast.learning.memory import Memory
from chronocast.forecast.outputs import OutputAsk, OutputsForecast, forecast_outputs, output_looks
from chronocast.forecast.picture.quality import Looks
from chronocast.forecast.picture.size import why
from chronocast.forecast.room import Room
from chronocast.forecast.sending import sent_across
from chronocast.forecast.stage import Work
from chronocast.forecast.station import Station
from chronocast.forecast.work import composing_pace
from chronocast.model.frozen import EMPTY
from chronocast.model.lookup import Same
from chronocast.model.pauses import pause
from chronocast.model.show import clock_text, percent
from chronocast.pieces.stock import Stock
from chronocast.preparation.forecast.judging import Judged, judge_outputs
from chronocast.preparation.forecast.output_ask import output_ask
from chronocast.preparation.forecast.output_outlook import (
    ColumnOutlook,
    LooksOutlook,
    OutputOutlook,
    StageOutlook,
    columns_of,
)
from chronocast.preparation.forecast.placing import can_be_placed, evening, never_placed, together
from chronocast.preparation.forecast.room_through import rooms_through
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.preparation.problem import Problem
from chronocast.preparation.station.drives import drive_of
from chronocast.schedule.clock import Finish, Span, finish_fan
from chronocast.schedule.placement import NO_EVENING, NO_PLACEMENT, Evening, Placement, place_evening

NEVER_BEGUN = exact(0.0)


class WholeDraws(NamedTuple):
    """What the bands of the whole come from, each of shape (draws,).

    Bytes; seconds from now until all is finished; seconds of work; seconds from now until all is across the line that
    files are sent by, where one is named.
    """

    bytes: Draws
    finish: Draws
    seconds: Draws
    sent: Draws | None = None


@dataclass(frozen=True)
class Outlook:
    """The forecast of a batch.

    Parameters
    ----------
    at
        The moment it was made.
    outputs
        One by one, in the operator's order.
    seconds, bytes, finish
        Of all of them.
    fan
        For each number of outputs, when so many are finished, in seconds from now.
    room
        Every drive involved.
    problems
        What stands in the way.
    station
        Where it is made.
    columns
        What the outputs of each recipe come to, by its id.
    frames
        Pictures of all outputs.
    kept_share, copied_share, saved_seconds
        How much of all pictures is in the stock or copied from the source, and the time by the clock which that saves.
    source_bytes
        Of all its media.
    placement
        The plan: what is done where, in which order.
    evening
        What that is made of.
    waiting
        Outputs that nobody who is there can do, each with what is to be said of it.
    judged
        Outputs by their receivers' cards.
    widths
        By what its bands were widened, as finished outputs have shown.
    draws
        What its bands come from.
    line
        Bit/s of the line that files are sent by; None where none is named.
    settled
        Whether its plan is that of these very outputs; else it is still that of a moment ago, before an edit, and when
        they are finished is only about right.
    """

    at: datetime
    outputs: tuple[OutputOutlook, ...]
    seconds: Band
    bytes: Band
    finish: Band
    fan: tuple[Band, ...]
    room: tuple[Room, ...]
    problems: tuple[Problem, ...]
    station: Station
    kept_share: float
    copied_share: float
    saved_seconds: float
    source_bytes: int
    columns: Mapping[str, ColumnOutlook] = field(default_factory=dict)
    frames: int = 0
    placement: Placement = NO_PLACEMENT
    waiting: Mapping[str, Problem] = field(default_factory=dict)
    evening: Evening = field(default=NO_EVENING, repr=False, compare=False)
    judged: tuple[Judged, ...] = ()
    widths: Widths = field(default_factory=Widths)
    draws: WholeDraws = field(default_factory=lambda: WholeDraws(*np.zeros((3, 1))), repr=False)
    line: float | None = None
    settled: bool = True

    @property
    def sent(self) -> Band | None:
        """Seconds from now until all files are across the line; None where none is named."""
        return band(self.draws.sent) if self.draws.sent is not None else None

    @property
    def spans(self) -> tuple[Span, ...]:
        """What each slot does in a typical draw."""
        return self.placement.spans

    @property
    def slots(self) -> int:
        """How many tasks are done at once."""
        return self.station.slots

    @property
    def calibrated(self) -> bool:
        """Whether the station's pace was measured."""
        return self.station.pace.calibrated

    def of_range(self, source: str, part: str) -> Sequence[OutputOutlook]:
        """The forecasts of all outputs of one range of a source."""
        return self._ranges.get((source, part), ())

    @cached_property
    def _ranges(self) -> Mapping[tuple[str, str], Sequence[OutputOutlook]]:
        found: dict[tuple[str, str], list[OutputOutlook]] = {}
        for item in self.outputs:
            found.setdefault((item.ready.output.source, item.ready.output.range), []).append(item)
        return found

    def time_after(self, seconds: float) -> datetime:
        """The time by the clock, so long after the forecast was made."""
        return self.at + timedelta(seconds=seconds)

    def room_told(self, room: Room) -> str:
        """A drive's room as a sentence, with when it is full, and what would help."""
        told, out = room.told, room.runs_out
        if out is not None:
            when = clock_text(self.time_after(out.after.likely))
            told += f" It is full about {when} ({percent(out.chance)} likely), while {out.output} is made."
        return " ".join((told, *room.remedies))

    def output(self, identifier: str) -> OutputOutlook | None:
        """The forecast of one output, if it is in it."""
        return self.by_id.get(identifier)

    @cached_property
    def by_id(self) -> Mapping[str, OutputOutlook]:
        """The outputs' forecasts by their ids."""
        return {item.ready.output.id: item for item in self.outputs}

    def without_plan(self) -> Outlook:
        """Its figures alone, to be compared with those of another: of thousands of outputs the plan is most of it."""
        return replace(self, placement=NO_PLACEMENT, evening=NO_EVENING)


def _kept_frames(ready: OutputReady, ask: OutputAsk) -> int:
    """Pictures of an output that need no more work."""
    if ask.picture is None:
        return ready.plan.frames if ask.made is not None or (ask.sound and ask.sound.kept is not None) else 0
    copies = {copy.name for copy in ask.copies}
    pieces = zip(ready.plan.pieces, ask.open, strict=True)
    still = sum(p.frames for p, is_open in pieces if is_open or p.name in copies)
    return ready.plan.frames - still


def _basis(ask: OutputAsk, learned: Experience) -> str:
    if ask.made is not None:
        return "made and proved"
    return why(ask.picture, learned) if ask.picture else "its rate × length"


def asks_of(
    outputs: Sequence[OutputReady], stock: Stock, made: Mapping[str, int], memory: Memory
) -> list[OutputAsk]:
    """The outputs as the forecast asks for them; a base piece is counted with the first that is encoded from it.

    Parameters
    ----------
    outputs
        The outputs, planned.
    stock
        Where finished pieces are.
    made
        Bytes of the outputs that are made already.
    memory
        What was worked out before.
    """
    claimed, found = set[str](), list[OutputAsk]()
    state, drives = stock.state(), dict[Path, str]()
    for ready in outputs:
        pause()
        folder, size = ready.path.parent, made.get(ready.output.id)
        if folder not in drives:
            drives[folder] = drive_of(folder)
        name, asked = "ask of " + ready.output.id, (Same(ready), state, size, drives[folder])
        ask: OutputAsk | None = None if ready.base_of else memory.recall(name, asked)
        if ask is None:
            ask = output_ask(ready, stock, size, claimed, drives[folder])
            memory.keep(name, asked, ask, most=1)
        found.append(ask)
        claimed |= {base.name for base in ask.bases}
    return found


class _Figures(NamedTuple):
    """An output to be forecast: what is asked of it, and what came out; ``row`` is what that comes from."""

    ready: OutputReady
    ask: OutputAsk
    seconds: Draws
    cpu_seconds: Draws
    bytes: Draws
    work: Work
    saved: float
    looks: Looks | None
    row: object


def _outputs(
    figures: Sequence[_Figures],
    finishes: Sequence[Finish],
    station: Station,
    learned: Experience,
    sent: Draws | None = None,
) -> tuple[OutputOutlook, ...]:
    """The outputs' forecasts: those of which nothing but the finish has changed as they were."""
    memory = learned.memory
    questions, found = [], list[OutputOutlook | None]()
    for item in figures:
        pause()
        asked = (*map(Same, (item.ready, item.ask, item.row, item.looks)), station.load, station.pace)
        questions.append(asked)
        found.append(memory.recall("outlook of " + item.ask.id, asked))
    fresh = [number for number, known in enumerate(found) if known is None]
    anew = _fresh_outputs([figures[number] for number in fresh], station, learned)
    for number, told in zip(fresh, anew, strict=True):
        found[number] = told
        memory.keep("outlook of " + figures[number].ask.id, questions[number], told, most=1)
    begins, ends = bands([item.begin for item in finishes]), bands([item.end for item in finishes])
    across = bands(sent) if sent is not None else [None] * len(found)
    placed = []
    for known, begin, end, arrived in zip(found, begins, ends, across, strict=True):
        pause()
        assert known is not None
        placed.append(replace(known, begin=begin, finish=end, sent=arrived))
    return tuple(placed)


def _fresh_outputs(
    figures: Sequence[_Figures], station: Station, learned: Experience
) -> Iterator[OutputOutlook]:
    stages = [stage for item in figures for stage in item.work.stages]
    told = iter(bands([stage.seconds for stage in stages]))
    seconds, cpu_seconds, sizes = (
        bands([getattr(item, what) for item in figures]) for what in ("seconds", "cpu_seconds", "bytes")
    )
    looks = LooksOutlook.of_several([item.looks for item in figures])
    for row, (ready, ask, *_, saved, _, _) in enumerate(figures):
        pause()
        copied = frozenset(copy.name for copy in ask.copies) or EMPTY
        still = {piece.name for piece in ask.open_pieces} | copied
        item = figures[row]
        yield OutputOutlook(
            ready=ready,
            seconds=seconds[row],
            cpu_seconds=cpu_seconds[row],
            bytes=sizes[row],
            begin=NEVER_BEGUN,
            finish=NEVER_BEGUN,
            stages=tuple(StageOutlook(stage.kind, stage.station, next(told)) for stage in item.work.stages),
            pieces_kept=len(ask.pieces) - len(ask.open_pieces) - len(ask.copies),
            kept_names=frozenset(piece.name for piece in ask.pieces if piece.name not in still) or EMPTY,
            copied_names=copied,
            kept_share=_kept_frames(ready, ask) / ready.plan.frames,
            sound_bytes=float(ask.sound.bytes(ready.plan.seconds)) if ask.sound else 0.0,
            basis=_basis(ask, learned),
            made=ask.made is not None,
            looks=looks[row],
            saved_seconds=saved,
            bases_save=ready.bases.saved * composing_pace(ready.film, station, learned),
            draws=np.array([item.seconds, item.bytes], np.float32),
        )


class _Figured(NamedTuple):
    """Outputs as the forecast asks for them, and what came out: all at once, and for each."""

    asks: list[OutputAsk]
    told: OutputsForecast
    figures: list[_Figures]


def _figured(
    outputs: Sequence[OutputReady],
    stock: Stock,
    station: Station,
    *,
    learned: Experience,
    made: Mapping[str, int],
    chance: Chance,
) -> _Figured:
    """What outputs take, wherever and whenever they are made."""
    asks = asks_of(outputs, stock, made, learned.memory)
    told = forecast_outputs(asks, station, learned, chance, remember=True)
    looks = output_looks(asks, chance, learned)
    figures = [
        _Figures(
            ready,
            ask,
            told.seconds[row],
            told.cpu_seconds[row],
            told.bytes[row],
            told.work[row],
            float(told.saved[row]),
            looks[row],
            told.rows[row],
        )
        for row, (ready, ask) in enumerate(zip(outputs, asks, strict=True))
    ]
    return _Figured(asks, told, figures)


class SomeOutputs(NamedTuple):
    """Forecasts of some outputs without a plan: none is said to begin or end; and those that wait for their stations."""

    outputs: tuple[OutputOutlook, ...]
    waiting: list[Problem]


def outlook_of_some(
    prospect: Prospect,
    stock: Stock,
    station: Station,
    learned: Experience,
    made: Mapping[str, int],
    *,
    draws: int,
) -> SomeOutputs:
    """Forecast what outputs take, but not when they are made; held ones are left out.

    Parameters
    ----------
    prospect
        The outputs made ready: of each source all or none.
    stock
        Where finished pieces are.
    station
        Where they are made.
    learned
        What the ledger has taught.
    made
        Bytes of the outputs that are made already.
    draws
        With how many draws: as many as the forecast they come into.
    """
    kept_to = can_be_placed(prospect.outputs, station, made)
    found = _figured(kept_to.outputs, stock, station, learned=learned, made=made, chance=Chance(draws))
    never = [Finish(item.ask.id, np.zeros(draws), np.zeros(draws), "", 0) for item in found.figures]
    return SomeOutputs(_outputs(found.figures, never, station, learned), kept_to.problems)


def outlook(
    prospect: Prospect,
    stock: Stock,
    station: Station,
    learned: Experience | None = None,
    made: Mapping[str, int] | None = None,
    *,
    without: frozenset[str] = frozenset(),
) -> Outlook:
    """Forecast a batch on one station; held outputs are left out.

    Parameters
    ----------
    prospect
        The batch made ready.
    stock
        Where finished pieces are.
    station
        Where it is made.
    learned
        What the ledger has taught.
    made
        Bytes of the outputs that are made already.
    without
        Outputs that are left out.
    """
    learned = learned or Experience()
    now = datetime.now().astimezone()
    kept_to = can_be_placed(
        [ready for ready in prospect.outputs if ready.output.id not in without], station, made or {}
    )
    chosen, chance = kept_to.outputs, Chance(draws_for(len(kept_to.outputs)))
    asks, told, figures = _figured(chosen, stock, station, learned=learned, made=made or {}, chance=chance)
    night = evening(
        told.work,
        chosen,
        prospect.batch,
        station,
        learned=learned,
        chance=chance,
        now=now,
        sizes=np.median(told.bytes, axis=1),
    )
    placement = place_evening(night, prospect.batch.wish)
    finishes = placement.finishes
    ended = never_placed(chosen, placement)
    if ended.problems:
        left_out = {problem.output for problem in ended.problems}
        again = outlook(prospect, stock, station, learned, made, without=frozenset(left_out | without))
        waiting = {**again.waiting, **{problem.output: problem for problem in ended.problems}}
        return replace(again, problems=(*again.problems, *together(ended.problems)), waiting=waiting)
    line = prospect.batch.line
    sent = None
    if line and finishes:
        sent = sent_across(np.array([finish.end for finish in finishes]), told.bytes, line)
    outputs = _outputs(figures, finishes, station, learned, sent)
    frames = sum(ready.plan.frames for ready in chosen)
    media = {path: facts.bytes for item in prospect.sources.values() for path, facts in item.facts.items()}
    return Outlook(
        at=now,
        outputs=outputs,
        seconds=band(told.seconds.sum(axis=0)),
        bytes=band(told.bytes.sum(axis=0)),
        finish=band(_last(finishes, chance.draws)),
        fan=finish_fan(finishes),
        room=rooms_through(chosen, asks, told, finishes, stock=stock, target=prospect.target),
        problems=(*prospect.problems, *together(kept_to.problems)),
        waiting={problem.output: problem for problem in kept_to.problems},
        station=station,
        columns=columns_of(outputs),
        frames=frames,
        kept_share=sum(item.kept_share * item.ready.plan.frames for item in outputs) / frames
        if frames
        else 0.0,
        copied_share=sum(copy.packets for ask in asks for copy in ask.copies) / frames if frames else 0.0,
        saved_seconds=float(told.saved.sum()) / station.slots,
        source_bytes=sum(media.values()),
        placement=placement,
        evening=night,
        judged=judge_outputs(outputs),
        widths=learned.widths,
        line=line,
        draws=WholeDraws(
            told.bytes.sum(axis=0),
            _last(finishes, chance.draws),
            told.seconds.sum(axis=0),
            sent.max(axis=0) if sent is not None else None,
        ),
    )


def _last(finishes: Sequence[Finish], draws: int) -> Draws:
    last: Draws = np.max([finish.end for finish in finishes], axis=0) if finishes else np.zeros(draws)
    return last
