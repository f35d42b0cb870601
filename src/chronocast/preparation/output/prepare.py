"""From a batch to what it takes: outputs planned, names given, problems said."""

from __future__ import annotations

import contextlib
import logging
import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from chronocast.deliver.names import proposed_stems, unlike
from chronocast.forecast.station import Station
from chronocast.journal.batches.rounds_store import RoundsStore
from chronocast.journal.films.facts import FactsStore
from chronocast.journal.workspace import Workspace
from chronocast.media.errors import DAMAGE_REMEDY
from chronocast.media.piece.here import know_devices
from chronocast.model.batch.batch import FULL, Batch, NamedRange, Output, resolve
from chronocast.model.batch.exceptions import effective
from chronocast.model.device import TriedEncoder
from chronocast.model.errors import UNFORESEEN, ChronocastError
from chronocast.model.house import within
from chronocast.model.lookup import Same
from chronocast.model.paths import path_text, real_path
from chronocast.model.pauses import pause, with_pauses
from chronocast.model.recipe.as_source import definite
from chronocast.model.recipe.contradictions import conflicts, level_conflicts, rate_conflicts
from chronocast.model.recipe.formats.containers import extension
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.name import digest
from chronocast.pieces.plan import output_rate, picture_size
from chronocast.pieces.rounds import Rounds
from chronocast.preparation.output.bases import with_bases
from chronocast.preparation.output.output_ready import OutputReady, Planned, Prospect
from chronocast.preparation.output.routed import RouteTaken, routed
from chronocast.preparation.output.tail import with_halves
from chronocast.preparation.problem import Problem
from chronocast.preparation.source.drawn import with_proxies
from chronocast.preparation.source.ready import notices, ready_source
from chronocast.preparation.source.source_ready import SourceReady, framing_view
from chronocast.preparation.station.this import devices_usable, this_station

log = logging.getLogger(__name__)


def _look_ahead(
    batch: Batch, folder: Path, store: FactsStore, progress: Callable[[int, int], None] | None
) -> int:
    """Inspect the clips that aren't known yet, several at a time: how many clips there are.

    What is wrong with them is said when their turn comes.
    """
    clips = [path_text(resolve(source.path, folder)) for source in batch.sources if source.kind == "clip"]
    fresh, done = list[str](), list[str]()
    for path in clips:
        pause()
        (done if store.knows(path) else fresh).append(path)
    if len(fresh) < 2:
        return len(clips)

    def look(path: str) -> None:
        if progress:
            progress(len(done), len(batch.sources))  # it may say that nobody wants to know any more
        with contextlib.suppress(ChronocastError, OSError, *UNFORESEEN):
            store.clip(path)
        done.append(path)

    with ThreadPoolExecutor(max_workers=max(2, os.cpu_count() or 2)) as pool:
        list(pool.map(with_pauses(look), fresh))
    return len(clips)


def _unforeseen(where: str, error: Exception) -> Problem:
    """A mistake of our own: of thousands of files the others are made all the same."""
    log.error("%s can't be planned", where, exc_info=error)
    return Problem(
        where,
        f"It can't be planned because of a mistake in Chronocast ({type(error).__name__}: {error}).",
        "The log has the detail; the other files are made all the same.",
    )


def prepare(
    batch: Batch,
    folder: Path,
    workspace: Workspace,
    progress: Callable[[int, int], None] | None = None,
    newest: frozenset[str] = frozenset(),
    *,
    alone: bool = False,
    before: Prospect | None = None,
) -> Prospect:
    """Look at every source, plan every output.  Never raises for one bad source or output.

    ``newest`` are sources whose timeline file is to be taken as it is now.

    Parameters
    ----------
    batch
        The batch.
    folder
        The batch's folder, which relative paths begin at.
    workspace
        What is kept of all batches.
    progress
        Told now and then how far it is.
    newest
        Sources whose timeline file is taken as it is now.
    alone
        Whether the house's devices are left be.
    before
        The batch as it was prepared last: only what was changed since is planned anew.
    """
    prospect = Prospect(batch, folder, resolve(batch.folder, folder))
    if before is not None:
        prospect.memory = before.memory
    if workspace.kept_trouble:
        prospect.problems.append(
            Problem("The stock", workspace.kept_trouble, "Mount it again, or choose another place.", False)
        )
    store = workspace.facts
    drafts = workspace.proxies.folder.is_dir()
    looked_at = _look_ahead(batch, folder, store, progress)
    for source in batch.sources:
        pause()
        try:
            ready = ready_source(source, folder, store, batch.search, source.id in newest)
            prospect.sources[source.id] = with_proxies(ready, workspace.proxies, store) if drafts else ready
            prospect.problems += notices(prospect.sources[source.id])
        except ChronocastError as error:
            prospect.problems.append(Problem(source.name, error.sentence, error.remedy, source=source.id))
        except UNFORESEEN as error:
            prospect.problems.append(replace(_unforeseen(source.name, error), source=source.id))
        looked_at += source.kind != "clip"
        if progress:
            progress(looked_at, len(batch.sources))
    devices = devices_usable(workspace, alone)
    prospect.devices = before.devices if before is not None and before.devices == devices else devices
    know_devices({tried.encoder: tried.device for tried in devices if tried.works})
    known = before.planned if before is not None and before.folder == folder else {}
    station = this_station(workspace, run="" if alone else None)
    _plan_outputs(prospect, workspace.rounds, station, known)
    prospect.outputs = with_halves(prospect.outputs, prospect.memory)
    prospect.outputs = with_bases(prospect.outputs, workspace.stock, prospect.memory, station.slots)
    return prospect


class _Asked(NamedTuple):
    """An output that can be planned: its source, what it is made by and which part of it; ``name`` is its file's."""

    output: Output
    have: SourceReady
    recipe: Recipe
    part: FrameRange
    named: NamedRange | None
    asked: Recipe
    name: str = ""


def _asked_outputs(prospect: Prospect) -> list[_Asked]:
    """The outputs whose source can be used, each with the name of its file; a range beyond its source is a problem."""
    batch = prospect.batch
    recipes = {recipe.id: recipe for recipe in batch.recipes}
    parts = {(source.id, part.id): part for source in batch.sources for part in source.ranges}
    found: list[_Asked] = []
    defined: dict[tuple[str, str], Recipe] = {}
    for output in batch.outputs:
        pause()
        have = prospect.sources.get(output.source)
        if have is None:
            continue
        asked = effective(recipes[output.recipe], output.own)
        have = have.drawn_for(asked)
        if output.own or (recipe := defined.get((output.source, output.recipe))) is None:
            recipe = definite(asked, have.cut.origin)
            if not output.own:
                defined[output.source, output.recipe] = recipe
        named, part = parts.get((output.source, output.range)), FrameRange(0, have.cut.frames)
        if named is not None:
            if named.stop > have.cut.frames:
                problem = Problem(
                    f"{have.source.name} · {named.name}",
                    f"The range ends at frame {named.stop}, but {have.source.name} has {have.cut.frames}.",
                    "Set its out point again.",
                    source=output.source,
                    output=output.id,
                )
                prospect.problems.append(problem)
                prospect.refused[output.id] = problem
                continue
            part = FrameRange(named.start, named.stop)
        found.append(_Asked(output, have, recipe, part, named, asked))
    stems = proposed_stems(batch, [item.output for item in found])
    names = unlike(
        (stem, extension(item.recipe.container), item.output.folder)
        for stem, item in zip(stems, found, strict=True)
    )
    return [item._replace(name=name) for item, name in zip(found, names, strict=True)]


def _plan_outputs(
    prospect: Prospect,
    decided: RoundsStore,
    station: Station,
    before: Mapping[str, Planned],
) -> None:
    """Plan every output whose source can be used, and name its file.

    Parameters
    ----------
    prospect
        The batch, its sources looked at.
    decided
        What was decided for outputs so far.
    station
        Where it is made.
    before
        Outputs as they were planned last: what nothing of has changed is planned already.
    """
    told: set[tuple[str, str]] = set()
    cards = {card.id: card for card in prospect.batch.cards}
    around = (Same(prospect.devices), station.shared, station.pace, station.slots)
    for item in _asked_outputs(prospect):
        pause()
        output = item.output
        asked = (Same(output), Same(item.have), item.recipe)
        key: str | None = prospect.memory.recall("rounds of " + output.id, asked)
        if key is None:
            key = rounds_key(item.have, output, item.recipe)
            prospect.memory.keep("rounds of " + output.id, asked, key, most=1)
        rounds = decided.load(key) if key else None
        question = (
            Same(output),
            Same(item.have),
            Same(item.recipe) if item.recipe is item.asked else item.recipe,
            Same(item.named),
            item.name,
            prospect.target,
            rounds,
            tuple(Same(cards[card]) for card in output.cards),
            prospect.batch.begins_at(output),
            *around,
        )
        made = before.get(output.id)
        if made is None or made.question != question:
            made = _plan_one(prospect, item, (key, rounds), station)._replace(question=question)
        prospect.planned[output.id] = made
        if made.ready is not None:
            prospect.outputs.append(made.ready)
        elif made.refused is not None:
            prospect.refused[output.id] = made.refused
            if (made.refused.where, made.refused.sentence) not in told:
                told.add((made.refused.where, made.refused.sentence))
                prospect.problems.append(made.refused)


def _plan_one(
    prospect: Prospect, item: _Asked, decided: tuple[str, Rounds | None], station: Station
) -> Planned:
    """One output, planned; or why it can't be."""
    output, have, recipe, batch = item.output, item.have, item.recipe, prospect.batch
    key, rounds = decided

    def refused(problem: Problem) -> Planned:
        return Planned((), refused=replace(problem, source=output.source, output=output.id))

    if problem := _contradiction(output, have, recipe):
        return refused(problem)
    recipe, taken, problem = _route(output, have, recipe, prospect.devices, station)
    if problem:
        return refused(problem)
    try:
        plan = have.plan(item.part, recipe, output.framing, rounds)
    except ChronocastError as error:
        return refused(Problem(f"{recipe.title} for {have.source.name}", error.sentence, error.remedy))
    except UNFORESEEN as error:
        return refused(_unforeseen(f"{recipe.title} for {have.source.name}", error))
    folder = resolve(output.folder, prospect.folder) if output.folder else prospect.target
    ready = OutputReady(
        output,
        have,
        recipe,
        item.part,
        plan,
        folder / real_path(item.name),
        item.named.name if item.named else "",
        item.named.kind if item.named else FULL,
        rounds,
        key,
        tuple(card for name in output.cards if (card := batch.card(name)) is not None),
        item.asked,
        route=taken,
        not_before=batch.begins_at(output),
    )
    refusal = _damage_refused(ready)
    return refused(refusal) if refusal else Planned((), ready)


def _route(
    output: Output, have: SourceReady, recipe: Recipe, devices: Sequence[TriedEncoder], station: Station
) -> tuple[Recipe, RouteTaken, Problem | None]:
    """The recipe with its encoder, the route it takes, or why there is none."""
    if recipe.picture is None or (recipe.picture.route == "software" and not devices):
        return recipe, RouteTaken(), None
    if any(not within(path, station.shared) for path in have.facts):
        devices = [tried for tried in devices if not tried.at]  # nobody else sees its source
    size = picture_size(have.cut, recipe.picture, framing_view(output.framing, recipe), recipe.container)
    found = routed(recipe, size, devices, station)
    if found.refused is None:
        return found.recipe, found.taken, None
    where = recipe.title if not output.own else f"{recipe.title} for {have.source.name}"
    return recipe, found.taken, Problem(where, *found.refused, source=output.source, output=output.id)


def _damage_refused(ready: OutputReady) -> Problem | None:
    """That an output shows damaged pictures nobody has accepted; None if it shows none."""
    open_damage = [item for item in ready.damage if item.fingerprint not in ready.source.source.accepted]
    if not open_damage:
        return None
    more = f", and at {len(open_damage) - 1} more places" if len(open_damage) > 1 else ""
    return Problem(
        ready.source.source.name,
        f"{open_damage[0].sentence}{more}, and that would be seen.",
        DAMAGE_REMEDY,
        source=ready.output.source,
        output=ready.output.id,
        accepts=tuple(dict.fromkeys(item.fingerprint for item in open_damage)),
    )


def rounds_key(have: SourceReady, output: Output, recipe: Recipe) -> str:
    """A key for what is decided for an output as a whole; empty where nothing is.

    The cut is not in it: after an edit, pieces that are as they were keep what was decided for them.

    Parameters
    ----------
    have
        Its source, looked at.
    output
        The output, as the batch has it.
    recipe
        What it is made by.
    """
    picture = recipe.picture
    if picture is None or not (picture.steering.searched or (picture.peak and picture.kind.keeps_peak)):
        return ""
    return digest(
        {
            "source": str(have.path),
            "range": output.range,
            "picture": picture.model_dump(mode="json", exclude={"bases"}),
            "framing": output.framing.model_dump(mode="json") if output.framing else None,
        }
    )


def _contradiction(output: Output, have: SourceReady, recipe: Recipe) -> Problem | None:
    """The first thing in which an output's recipe contradicts itself or its source."""
    found = conflicts(recipe)
    if not found and recipe.picture:
        view = framing_view(output.framing, recipe)
        width, height = picture_size(have.cut, recipe.picture, view, recipe.container)
        rate = output_rate(have.cut, recipe.picture)
        found = level_conflicts(recipe.picture, width, height, rate) + rate_conflicts(recipe, rate)
    if not found and recipe.picture is None and not have.cut.sound:
        return Problem(
            have.source.name,
            f"{have.source.name} has no sound, and “{recipe.title}” makes nothing else of it.",
            "Clear its cell.",
        )
    if not found:
        return None
    where = recipe.title if not output.own else f"{recipe.title} for {have.source.name}"
    return Problem(where, found[0].sentence, found[0].remedy)
