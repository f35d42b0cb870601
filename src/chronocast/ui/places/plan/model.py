"""What *Plan* says, in plain Python: rows, columns, cells, totals, headline.  Tested without Qt."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from pathlib import PurePosixPath
from typing import Any, NamedTuple

from chronocast.forecast.band import Band
from chronocast.forecast.inverse import chance_of
from chronocast.model.batch.batch import FULL, Batch, NamedRange, Output, Source
from chronocast.model.batch.extent import Extent, short_time
from chronocast.model.lookup import once_each
from chronocast.model.picture.colour import told as colour_told
from chronocast.model.recipe.formats.layouts import layout_told
from chronocast.model.recipe.wording import recipe_facts
from chronocast.model.show import clock_text, counted, percent, rate_bits_text, size_text, time_text
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.source_clock import SourceClock
from chronocast.model.source.wording import scan_told, size_told
from chronocast.model.time.timing import format_timecode, rate_text
from chronocast.preparation.forecast.judging import Judged
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import OutputOutlook, together
from chronocast.preparation.forecast.treatments import Run, piece_map
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.problem import Problem
from chronocast.preparation.recut import Recut
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.places.plan.panel.detail import own_words


@dataclass(frozen=True)
class Row:
    """A source, or a named range of one."""

    source: str
    part: str
    title: str
    facts: str
    problem: str = ""
    frames: tuple[int, ...] = ()
    fingerprint: str = ""
    indented: bool = False
    notes: int = 0
    seconds: float = 0.0
    bytes: int = 0
    found_by: str = ""


@dataclass(frozen=True)
class Column:
    """A recipe."""

    recipe: str
    title: str
    facts: str
    changed: bool = False


@dataclass(frozen=True)
class Cell:
    """A possible output.

    Shares are of the column's largest; ``pieces`` is what happens to its pieces, along it; ``own`` are its exceptions in words,
    ``card`` the worst verdict of its receivers' cards.
    """

    output: str = ""
    held: bool = False
    time: str = ""
    size: str = ""
    time_share: float = 0.0
    size_share: float = 0.0
    pieces: tuple[Run, ...] = ()
    made: bool = False
    problem: str = ""
    waiting: bool = False
    share: str = ""
    own: str = ""
    card: str = ""
    card_told: str = ""

    @property
    def filled(self) -> bool:
        return bool(self.output)


@dataclass(frozen=True)
class Headline:
    """The three answers, and what is saved."""

    finished: str = "…"
    finished_more: str = ""
    size: str = "…"
    size_more: str = ""
    room: str = "…"
    room_more: str = ""
    room_ok: bool = True
    role: str = "tide"
    refused: int = 0
    saved: str = ""
    saved_more: str = ""
    fan: tuple[Band, ...] = ()
    begin: int = 0
    sentence: str = ""
    size_ok: bool = True


@dataclass(frozen=True)
class PlanModel:
    """All of it."""

    title: str
    rows: tuple[Row, ...]
    columns: tuple[Column, ...]
    cells: Cells
    totals: tuple[str, ...]
    headline: Headline
    problems: tuple[str, ...] = field(default=())

    def cell(self, row: int, column: int) -> Cell:
        return self.cells.get((row, column), Cell())

    def place(self, output: str) -> tuple[int, int] | None:
        """Row and column of an output."""
        return self.cells.by_output.get(output)


STILLS_AT = (0.36, 0.62)
"""Where in a source the pictures lie that stand for it, as shares of its length."""


class _Shown(NamedTuple):
    """Which frames stand for a source, a name for them, and its length in seconds."""

    frames: tuple[int, ...]
    mark: str
    seconds: float


def _shown(cut: CutList) -> _Shown:
    frames = tuple(min(cut.frames - 1, round(cut.frames * at)) for at in STILLS_AT) if cut.frames else ()
    media = "-".join(dict.fromkeys(m.fingerprint for m in cut.media))[:64]
    return _Shown(frames, f"{media}-{cut.frames}-{cut.width}×{cut.height}", float(cut.duration))


def plan_model(
    batch: Batch,
    prospect: Prospect | None,
    view: Outlook | None,
    before: Outlook | None = None,
    ends: Mapping[tuple[str, int, int], str] | None = None,
) -> PlanModel:
    """What *Plan* says of a batch.  ``prospect`` and ``view`` may still be missing or be of the batch before an edit.

    ``ends`` is what is wrong at the ends of ranges, by source, first frame and the one after the last.
    """
    told_of: dict[str, list[Problem]] = {}
    for told in prospect.problems if prospect else ():
        if not told.output:  # what is about one file is said at its cell
            told_of.setdefault(told.source, []).append(told)
    rows: list[Row] = []
    folders = folders_apart(batch)
    for source in batch.sources:
        ready = prospect.sources.get(source.id) if prospect else None
        facts, mark, seconds, size, words = "looking at it…", "", 0.0, 0, source.path
        frames: tuple[int, ...] = ()
        mine = told_of.get(source.id, [])
        problem = next((told for told in mine if told.blocks), None)
        notes = sum(not told.blocks for told in mine)
        if ready is not None:
            facts, frames, mark, seconds, size, words = _told_of(ready)
        elif problem:
            facts = problem.sentence
        if source.id in folders:
            facts = f"in {folders[source.id]} · {facts}"
        rows.append(
            Row(
                source.id,
                FULL,
                source.name,
                facts,
                f"{problem.sentence} {problem.remedy}" if problem else "",
                frames,
                mark,
                notes=notes,
                seconds=seconds,
                bytes=size,
                found_by=words,
            )
        )
        for part in source.ranges:
            wrong = (ends or {}).get((source.id, part.start, part.stop), "")
            rows.append(
                Row(
                    source.id,
                    part.id,
                    part.name,
                    _part_facts(part, ready, wrong),
                    indented=True,
                    notes=int(bool(wrong)),
                )
            )
    columns = tuple(
        Column(
            recipe.id,
            recipe.name,
            f"{'changed · ' if recipe.changed else ''}{recipe_facts(recipe)}",
            recipe.changed,
        )
        for recipe in batch.recipes
    )
    places = {(row.source, row.part): n for n, row in enumerate(rows)}
    recipes = {column.recipe: n for n, column in enumerate(columns)}
    outlooks = view.by_id if view else {}
    judged = {item.output: item for item in view.judged} if view and batch.cards else {}
    refused = {**(prospect.refused if prospect else {}), **(view.waiting if view else {})}
    filled = {(places[(o.source, o.range)], recipes[o.recipe]): o for o in batch.outputs}
    cells = _cells(filled, view, judged=judged, refused=refused, told=(prospect, view, batch.cards))
    totals = []
    groups: dict[str, list[OutputOutlook]] = {}
    for output in batch.outputs:
        if item := outlooks.get(output.id):
            groups.setdefault(output.recipe, []).append(item)
    for column in columns:
        group = groups.get(column.recipe, [])
        known_column = view.columns.get(column.recipe) if view else None
        whole = known_column is not None and known_column.files == len(group)
        work, weight = known_column.totals if known_column and whole else together(group)
        totals.append(f"{time_text(work.likely)} · {size_text(weight.likely)}" if group else "")
    known = [*(prospect.problems if prospect else ()), *(view.problems if view else ())]
    blocking = tuple(dict.fromkeys(problem.told for problem in known if problem.blocks))
    return PlanModel(
        batch.title, tuple(rows), columns, cells, tuple(totals), _headline(batch, view, before), blocking
    )


def folders_apart(batch: Batch) -> dict[str, str]:
    """For sources that are called as another one, by their ids: the part of their folders that tells them apart."""
    called: dict[str, list[Source]] = {}
    for source in batch.sources:
        called.setdefault(source.name.lower(), []).append(source)
    found = {}
    for sources in called.values():
        if len(sources) < 2:
            continue
        folders = [PurePosixPath(source.path).parent.parts for source in sources]
        deep = 1
        while deep < max(map(len, folders)) and len({parts[-deep:] for parts in folders}) < len(set(folders)):
            deep += 1
        for source, parts in zip(sources, folders, strict=True):
            found[source.id] = "/".join(parts[-deep:]) or "the batch's folder"
    return found


def found_by(ready: SourceReady) -> str:
    """Words that a source is found by besides its name: where it is, what is in it."""
    words = [ready.source.path]
    for path, clip in ready.facts.items():
        words += [
            *PurePosixPath(path).parts[-2:],
            clip.video_codec,
            clip.pixel_format,
            scan_told(clip),
            clip.timecode or "",
        ]
        words += [f"{clip.width}×{clip.height} {clip.width}x{clip.height}", f"{rate_text(clip.rate)} fps"]
        words += ["alpha" if clip.alpha else "", "uneven variable" if clip.variable_timing else ""]
        words += ["upright turned" if clip.turned else "", "sound only" if not clip.frames else ""]
        for track in clip.audio:
            words += [track.codec, layout_told(track.layout) or "", track.language, f"{track.sample_rate}"]
    return " ".join(dict.fromkeys(filter(None, words)))


class _Told(NamedTuple):
    """What a source's row says of it: facts, the frames that stand for it and their mark, seconds, bytes, words to find it by."""

    facts: str
    frames: tuple[int, ...]
    mark: str
    seconds: float
    bytes: int
    found_by: str


@once_each
def _told_of(ready: SourceReady) -> _Told:
    cut = ready.cut
    clip = ready.source.kind == "clip"
    kind = rate_text(cut.rate) if clip else f"{len(cut.picture)} edits"
    kind += " interlaced" if clip and _clip_of(ready).interlaced else ""
    silent = "" if cut.sound else " · no sound"
    frames, mark, seconds = cut.once(_shown)
    return _Told(
        f"{cut.width}×{cut.height} · {kind} · full, {short_time(seconds)}{silent}",
        frames,
        mark,
        seconds,
        sum(clip.bytes for clip in ready.facts.values()),
        found_by(ready),
    )


def _clip_of(ready: SourceReady) -> ClipFacts:
    (clip,) = ready.facts.values()
    return clip


def _part_facts(part: NamedRange, ready: SourceReady | None, wrong: str) -> str:
    """A range in words: what kind, how long, how much of the whole; where it begins, or what is wrong at its ends."""
    if ready is None:
        return wrong
    cut = ready.cut
    extent = Extent(part.kind, part.stop - part.start, cut.frames, cut.rate)
    return f"{extent.text} · {wrong or f'from {SourceClock.of(cut).timecode(part.start)}'}"


ORDERS = ("as in the batch", "by name", "longest first", "largest first", "what needs a look first")


TELLING = 3
"""Words of fewer signs are looked for as they are."""
MOST_UNFOLDED = 12
"""More ranges of a source than these are folded until a person unfolds them."""


def arranged(
    plan: PlanModel, words: str = "", order: str = ORDERS[0], turned: frozenset[str] = frozenset()
) -> PlanModel:
    """The plan with only the sources that have all of ``words`` in what is said of them, in another order.

    Ranges stay below their source, and are shown with it; those of a source
    that has many are folded, unless it is one of those ``turned`` (of one that
    has few it is the other way round).
    """
    groups: list[list[int]] = []
    for number, row in enumerate(plan.rows):
        if row.indented and groups:
            groups[-1].append(number)
        else:
            groups.append([number])
    wanted = words.lower().split()

    def has(group: list[int]) -> bool:
        text = " ".join(
            f"{plan.rows[n].title} {plan.rows[n].facts} {plan.rows[n].problem}" for n in group
        ).lower()
        besides = " ".join(plan.rows[n].found_by for n in group).lower()
        alone = set(besides.split())
        text += " needs you problem" if plan.rows[group[0]].problem else ""
        # a sign or two stand in every path and size: of what isn't shown they must be a whole word
        return all(
            word in text or (word in besides if len(word) >= TELLING else word in alone) for word in wanted
        )

    keys: dict[str, Callable[[Row], Any]] = {
        ORDERS[1]: lambda row: row.title.lower(),
        ORDERS[2]: lambda row: -row.seconds,
        ORDERS[3]: lambda row: -row.bytes,
        ORDERS[4]: lambda row: (not row.problem, -row.notes),
    }
    shown = [group for group in groups if not wanted or has(group)]
    if order in keys:
        shown.sort(key=lambda group: keys[order](plan.rows[group[0]]))
    folded = {
        plan.rows[group[0]].source: len(group) - 1
        for group in shown
        if len(group) > 1 and (len(group) - 1 > MOST_UNFOLDED) != (plan.rows[group[0]].source in turned)
    }
    numbers = [
        number for group in shown for number in (group[:1] if plan.rows[group[0]].source in folded else group)
    ]
    rows = tuple(
        replace(row, facts=f"{folded[row.source]} ranges folded · {row.facts}")
        if row.source in folded
        else row
        for row in (plan.rows[number] for number in numbers)
    )
    places = {old: new for new, old in enumerate(numbers)}
    return replace(
        plan,
        rows=rows,
        cells=plan.cells.moved(places),
    )


@dataclass(frozen=True)
class SourceSheet:
    """What is known of a source: facts as pairs, what is done to it, what stands in its way."""

    source: str
    title: str
    lines: tuple[tuple[str, str], ...]
    notes: tuple[str, ...]
    problems: tuple[str, ...]
    missing: bool = False
    changed: bool = False
    damaged: bool = False


def source_sheet(batch: Batch, prospect: Prospect | None, source: str) -> SourceSheet | None:
    """The sheet of one source; None for one that is not in the batch."""
    owner = batch.source(source)
    if owner is None:
        return None
    ready = prospect.sources.get(source) if prospect else None
    mine = [told for told in (prospect.problems if prospect else ()) if told.source == owner.id]
    damaged = any(told.accepts for told in mine)
    lines: list[tuple[str, str]] = [("file", owner.path)]
    if ready is not None:
        cut = ready.cut
        lines.append(
            (
                "length",
                f"{time_text(float(cut.duration))}, {cut.frames} frames at {rate_text(cut.rate)}",
            )
        )
        lines.append(("starts", format_timecode(cut.start_timecode, cut.rate, cut.drop_frame)))
        shown = any(clip.frames for clip in ready.facts.values())
        size = f"{cut.width}×{cut.height}" if ready.timeline is not None else size_told(_clip_of(ready))
        lines.append(("picture", f"{size}, {colour_told(cut.colour)}" if shown else "none, sound only"))
        if ready.timeline is not None:
            tracks = [
                sum(track.kind == kind for track in ready.timeline.tracks) for kind in ("picture", "sound")
            ]
            lines.append(("tracks", f"{tracks[0]} picture, {tracks[1]} sound, {len(cut.picture)} edits"))
            lines.append(
                (
                    "media",
                    f"{len(ready.facts)} files, {size_text(sum(c.bytes for c in ready.facts.values()))}",
                )
            )
        else:
            clip = _clip_of(ready)
            if shown:
                lines.append(("codec", f"{clip.video_codec} {clip.pixel_format}, {scan_told(clip)}"))
            lines.append(("rate", f"{rate_bits_text(clip.bit_rate)}, {size_text(clip.bytes)}"))
            if clip.alpha:
                lines.append(("alpha", clip.alpha))
            for number, track in enumerate(clip.audio):
                depth = f", {track.depth} bit" if track.depth else ""
                told_track = f"{track.codec} {layout_told(track.layout) or track.channels}, {track.sample_rate / 1000:g} kHz{depth}"
                words = " · ".join(filter(None, [told_track, track.language, track.name]))
                lines.append((f"sound {number + 1}" if len(clip.audio) > 1 else "sound", words))
            if not clip.audio:
                lines.append(("sound", "none"))
            if clip.frames and not clip.looked_through:
                lines.append(("damage", "not looked for yet"))
    return SourceSheet(
        source,
        owner.name,
        tuple(lines),
        tuple(p.sentence for p in mine if not p.blocks),
        tuple(f"{p.sentence} {p.remedy}".strip() for p in mine if p.blocks),
        ready is None and bool(mine),
        _can_be_taken(owner, ready, mine),
        damaged,
    )


def _can_be_taken(owner: Source, ready: SourceReady | None, mine: list[Problem]) -> bool:
    """Whether what is there now could be taken instead: a sequence's new cut, or a file that replaced another."""
    if ready is not None and ready.changed and ready.present:
        return True
    return ready is None and any("has been replaced" in told.sentence for told in mine)


MOST_CHANGED = 50
"""More changed cells than that are drawn all at once."""


class Cells(Mapping[tuple[int, int], Cell]):
    """``Cells(places, make)``: the filled cells by row and column; what one says is worked out when it is looked at.

    Parameters
    ----------
    places
        The outputs by row and column.
    make
        Says what there is to say of one.
    told
        What that rests on besides the outputs: the very same things say the same.
    """

    def __init__(
        self,
        places: Mapping[tuple[int, int], Output],
        make: Callable[[Output], Cell],
        told: tuple[object, ...] = (),
    ) -> None:
        self.places, self._make, self._told = places, make, told
        self._made: dict[str, Cell] = {}

    def __getitem__(self, place: tuple[int, int]) -> Cell:
        output = self.places[place]
        if output.id not in self._made:
            self._made[output.id] = self._make(output)
        return self._made[output.id]

    def __iter__(self) -> Iterator[tuple[int, int]]:
        return iter(self.places)

    def __len__(self) -> int:
        return len(self.places)

    @cached_property
    def by_output(self) -> dict[str, tuple[int, int]]:
        """Where each output is."""
        return {output.id: place for place, output in self.places.items()}

    def moved(self, rows: Mapping[int, int]) -> Cells:
        """Those of some rows, in new ones."""
        if all(row == new for row, new in rows.items()) and all(row in rows for row, _ in self.places):
            return self
        places = {(rows[row], column): output for (row, column), output in self.places.items() if row in rows}
        found = Cells(places, self._make, self._told)
        found._made = self._made
        return found

    def changed_from(self, before: Cells) -> list[tuple[int, int]] | None:
        """Where another output is than before, or none; None where every cell may say something else."""
        if len(self._told) != len(before._told) or any(
            one is not other for one, other in zip(self._told, before._told, strict=True)
        ):
            return None
        places = self.places
        found = [place for place, output in places.items() if before.places.get(place) is not output]
        found += [place for place in before.places if place not in places]
        return found if len(found) <= MOST_CHANGED else None


def _cells(
    places: Mapping[tuple[int, int], Output],
    view: Outlook | None,
    *,
    judged: Mapping[str, Judged],
    refused: Mapping[str, Problem],
    told: tuple[object, ...],
) -> Cells:
    forecast, columns = view is not None, view.columns if view else {}
    outlooks = view.by_id if view else {}

    def make(output: Output) -> Cell:
        item, verdict = outlooks.get(output.id), judged.get(output.id)
        if item is None:
            why = refused.get(output.id)
            told = f"{why.sentence} {why.remedy}".strip() if why else "can't be made"
            return Cell(
                output.id,
                output.held,
                waiting=not output.held and not forecast,
                problem="" if output.held or not forecast else told,
                own=own_words(output),
            )
        column = columns[item.ready.output.recipe]
        return Cell(
            output.id,
            output.held,
            "made" if item.made else time_text(item.seconds.likely),
            size_text(item.bytes.likely),
            item.seconds.likely / column.longest,
            item.bytes.likely / column.largest,
            piece_map(item),
            item.made,
            share="" if item.ready.extent.full else item.ready.extent.share_text,
            own=own_words(output),
            card=verdict.state if verdict else "",
            card_told="; ".join(f"{card.name}: {one.told}" for card, one in verdict.broken[:2])
            if verdict
            else "",
        )

    return Cells(places, make, told)


def difference(value: float, kind: str) -> str:
    """A change as people say it: ``−14 min``, ``+220 MB``; nothing where it is too small to matter."""
    sign = "+" if value > 0 else "−"
    if kind == "seconds":
        return f"{sign}{time_text(abs(value))}" if abs(value) >= 1 else ""
    return f"{sign}{size_text(abs(value))}" if abs(value) >= 100_000 else ""


def _in_time(wanted: datetime, view: Outlook) -> tuple[str, str]:
    """How likely all is finished when it is wanted, in words, and the colour that says so."""
    moment = wanted if wanted.tzinfo else wanted.replace(tzinfo=view.at.tzinfo)
    chance = chance_of(view.draws.finish, (moment - view.at).total_seconds())
    told = f" · wanted {clock_text(moment.astimezone())}, in time: {percent(chance)}"
    return told, "rust" if chance < 0.5 else "ember" if chance < 0.9 else "tide"


def _besides(view: Outlook, now: datetime) -> str:
    """With how many other stations it is reckoned, and when all is across the line; "" where there is neither."""
    helpers = len(view.station.helpers)
    told = f" · with {counted(helpers, 'station')}" if helpers else ""
    if view.sent is not None:
        told += f" · sent by {clock_text(view.time_after(view.sent.likely), now)}"
    return told


def _headline(batch: Batch, view: Outlook | None, before: Outlook | None) -> Headline:
    waiting = [output for output in batch.outputs if not output.held]
    if not batch.outputs:
        return Headline(
            "—",
            "nothing is asked for yet",
            "—",
            "",
            "—",
            sentence="Nothing is asked for yet.",
        )
    if view is None:
        return Headline(begin=len(waiting), sentence="The forecast is being made.")
    todo = [item for item in view.outputs if not item.made]
    now = datetime.now().astimezone()
    likely, safe = view.time_after(view.finish.likely), view.time_after(view.finish.safe)
    changed = before is not None and before.outputs != view.outputs
    time_change = (
        difference(view.finish.likely - before.finish.likely, "seconds") if changed and before else ""
    )
    size_change = difference(view.bytes.likely - before.bytes.likely, "bytes") if changed and before else ""
    held = len(batch.outputs) - len(waiting)
    refused = len(waiting) - len(view.outputs) - len(view.waiting)
    role = "tide"
    if todo:
        finished = clock_text(likely, now)
        more = f"safe by {clock_text(safe, now)} · in {time_text(view.finish.likely)}{_besides(view, now)}"
    elif view.outputs:
        finished = "all made" if not held and not refused else f"{len(view.outputs)} made"
        more = "every file is proved" if not held and not refused else "every other file is proved"
    elif refused:
        finished, more, role = "can't be made", "see what stands in the way", "rust"
    else:
        finished, more = "held", "nothing else is asked for"
    asides = {"held": held, "wait for their stations": len(view.waiting)}
    more += "".join(f" · {count} {words}" for words, count in asides.items() if count)
    if refused and (todo or view.outputs):
        more, role = f"{more} · {refused} can't be made", "rust"
    if batch.wanted is not None and todo:
        told, chance_role = _in_time(batch.wanted, view)
        more, role = more + told, chance_role if role == "tide" else role
    if not view.settled and todo:
        more = f"about: the plan is being worked out{more and f' · {more}'}"
    share = f" · {view.bytes.likely / view.source_bytes:.2g} × the sources" if view.source_bytes else ""
    size_more = f"safe {size_text(view.bytes.safe)}{share}"
    over = sum(item.bytes.safe > batch.size_limit for item in todo) if batch.size_limit else 0
    if over and batch.size_limit:
        size_more = f"{counted(over, 'file')} may be over {size_text(batch.size_limit)}"
    room = min(view.room, key=lambda r: (r.writable, r.usable - r.needs.safe), default=None)
    if room is None:
        verdict, room_more, ok = "unknown", "the drive can't be read", False
    else:
        verdict = {"fits": "fits", "tight": "tight", "short": "too small", "read-only": "read-only"}[room.fit]
        ok = room.fits
        room_more = (
            f"{size_text(room.needs.safe)} needed, {size_text(room.usable)} can be used"
            + (f", full {clock_text(view.time_after(out.after.likely))}" if (out := room.runs_out) else "")
            if room.writable
            else f"{room.drive} can't be written: {room.why_not}"
        )
    reused = view.kept_share + view.copied_share
    saved = f"{reused:.0%}" if reused >= 0.005 else "0 %"
    words = "kept or copied" if view.copied_share else "kept"
    saved_more = f"{words} · −{time_text(view.saved_seconds)}" if view.saved_seconds >= 1 else words
    if reused < 0.005:
        saved_more = "nothing kept yet"
    sentence = f"Finished {finished}, {more}. Size {size_text(view.bytes.likely)}, {size_more}. Room: {verdict}, {room_more}. Saved {saved}, {saved_more}."
    return Headline(
        finished,
        more + (f" · {time_change}" if time_change else ""),
        size_text(view.bytes.likely),
        size_more + (f" · {size_change}" if size_change else ""),
        verdict,
        room_more,
        ok,
        role,
        refused,
        saved.replace("%", " %").replace("  ", " "),
        saved_more,
        view.fan,
        len(todo),
        sentence,
        size_ok=not over,
    )


def recut_lines(recuts: list[Recut]) -> list[str]:
    """What a new cut does to each output, a line each."""
    found = []
    for item in recuts:
        if item.problem:
            found.append(f"{item.output}: {item.problem}")
        elif not item.changed:
            found.append(f"{item.output}: as before")
        else:
            new = item.pieces[1] - item.same
            found.append(
                f"{item.output}: {new} of {item.pieces[1]} pieces new, {item.frames[0]} frames become {item.frames[1]}"
            )
    return found
