"""From a batch to what it takes: outputs planned, names given, problems said."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from chronocast.deliver.names import proposed_stems, unlike
from chronocast.forecast.station import Station
from chronocast.journal.facts import FactsStore
from chronocast.journal.rounds_store import RoundsStore
from chronocast.journal.workspace import Workspace
from chronocast.media.errors import DAMAGE_REMEDY
from chronocast.media.piece.here import know_devices
from chronocast.model.batch.batch import FULL, Batch, NamedRange, Output, resolve
from chronocast.model.batch.exceptions import effective
from chronocast.model.device import TriedEncoder
from chronocast.model.errors import ChronocastError
from chronocast.model.house import within
from chronocast.model.paths import path_text, real_path
from chronocast.model.recipe.as_source import definite
from chronocast.model.recipe.containers import extension
from chronocast.model.recipe.contradictions import conflicts, level_conflicts, rate_conflicts
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.name import digest
from chronocast.pieces.plan import output_rate, picture_size
from chronocast.preparation.output.bases import with_bases
from chronocast.preparation.output.output_ready import OutputReady, Prospect
from chronocast.preparation.output.routed import RouteTaken, routed
from chronocast.preparation.problem import Problem
from chronocast.preparation.source.drawn import with_proxies
from chronocast.preparation.source.ready import notices, ready_source
from chronocast.preparation.source.source_ready import SourceReady, framing_view
from chronocast.preparation.station.this import devices_usable, this_station


def _look_ahead(
    batch: Batch, folder: Path, store: FactsStore, progress: Callable[[int, int], None] | None
) -> None:
    """Inspect the clips nobody has looked at yet, several at a time; what is wrong with them is said when their turn comes."""
    clips = [path_text(resolve(source.path, folder)) for source in batch.sources if source.kind == "clip"]
    if len(clips) < 2:
        return

    def look(path: str) -> None:
        if progress:
            progress(0, len(batch.sources))  # it may say that nobody wants to know any more
        with contextlib.suppress(ChronocastError, OSError):
            store.clip(path)

    with ThreadPoolExecutor(max_workers=max(2, os.cpu_count() or 2)) as pool:
        list(pool.map(look, clips))


def prepare(
    batch: Batch,
    folder: Path,
    workspace: Workspace,
    progress: Callable[[int, int], None] | None = None,
    newest: frozenset[str] = frozenset(),
    *,
    alone: bool = False,
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
    """
    prospect = Prospect(batch, folder, resolve(batch.folder, folder))
    if workspace.kept_trouble:
        prospect.problems.append(
            Problem("The stock", workspace.kept_trouble, "Mount it again, or choose another place.", False)
        )
    store = workspace.facts
    drafts = workspace.proxies.folder.is_dir()
    _look_ahead(batch, folder, store, progress)
    for number, source in enumerate(batch.sources):
        try:
            ready = ready_source(source, folder, store, batch.search, source.id in newest)
            prospect.sources[source.id] = with_proxies(ready, workspace.proxies, store) if drafts else ready
            prospect.problems += notices(prospect.sources[source.id])
        except ChronocastError as error:
            prospect.problems.append(Problem(source.name, error.sentence, error.remedy, source=source.id))
        if progress:
            progress(number + 1, len(batch.sources))
    prospect.devices = devices = devices_usable(workspace, alone)
    know_devices({tried.encoder: tried.device for tried in devices if tried.works})
    _plan_outputs(prospect, workspace.rounds, devices, this_station(workspace, run="" if alone else None))
    prospect.outputs = with_bases(prospect.outputs, workspace.stock)
    return prospect


def _plan_outputs(
    prospect: Prospect, decided: RoundsStore, devices: Sequence[TriedEncoder], station: Station
) -> None:
    """Plan every output whose source can be used, and name its file.

    Parameters
    ----------
    prospect
        The batch, its sources looked at.
    decided
        What was decided for outputs so far.
    devices
        Hardware encoders as they were tried here.
    station
        Where it is made.
    """
    batch = prospect.batch
    recipes = {recipe.id: recipe for recipe in batch.recipes}
    parts = {(source.id, part.id): part for source in batch.sources for part in source.ranges}
    ready: list[tuple[Output, SourceReady, Recipe, FrameRange, NamedRange | None, Recipe]] = []
    for output in batch.outputs:
        have = prospect.sources.get(output.source)
        if have is None:
            continue
        asked = effective(recipes[output.recipe], output.own)
        have = have.drawn_for(asked)
        recipe, named = definite(asked, have.cut.origin), parts.get((output.source, output.range))
        part = FrameRange(0, have.cut.frames)
        name = have.source.name
        if named is not None:
            if named.stop > have.cut.frames:
                prospect.problems.append(
                    Problem(
                        f"{name} · {named.name}",
                        f"The range ends at frame {named.stop}, but {name} has {have.cut.frames}.",
                        "Set its out point again.",
                        source=output.source,
                        output=output.id,
                    )
                )
                prospect.refused[output.id] = prospect.problems[-1]
                continue
            part = FrameRange(named.start, named.stop)
        ready.append((output, have, recipe, part, named, asked))
    stems = proposed_stems(batch, [item[0] for item in ready])
    endings = [extension(item[2].container) for item in ready]
    names = unlike(
        (stem, ending, item[0].folder) for stem, ending, item in zip(stems, endings, ready, strict=True)
    )
    told: set[tuple[str, str]] = set()

    def refuse(output: Output, problem: Problem) -> None:
        prospect.refused[output.id] = replace(problem, source=output.source, output=output.id)
        if (problem.where, problem.sentence) not in told:
            told.add((problem.where, problem.sentence))
            prospect.problems.append(prospect.refused[output.id])

    cards = {card.id: card for card in batch.cards}
    for (output, have, recipe, part, named, asked), name in zip(ready, names, strict=True):
        if problem := _contradiction(output, have, recipe):
            refuse(output, problem)
            continue
        recipe, taken, problem = _route(output, have, recipe, devices, station)
        if problem:
            refuse(output, problem)
            continue
        key = rounds_key(have, output, recipe)
        rounds = decided.load(key) if key else None
        try:
            plan = have.plan(part, recipe, output.framing, rounds)
        except ChronocastError as error:
            problem = Problem(
                f"{recipe.title} for {have.source.name}",
                error.sentence,
                error.remedy,
                source=output.source,
                output=output.id,
            )
            prospect.refused[output.id] = problem
            prospect.problems.append(problem)
            continue
        folder = resolve(output.folder, prospect.folder) if output.folder else prospect.target
        ready_output = OutputReady(
            output,
            have,
            recipe,
            part,
            plan,
            folder / real_path(name),
            named.name if named else "",
            named.kind if named else FULL,
            rounds,
            key,
            tuple(cards[card] for card in output.cards),
            asked,
            route=taken,
            not_before=batch.begins_at(output),
        )
        if refusal := _damage_refused(ready_output):
            refuse(output, refusal)
            continue
        prospect.outputs.append(ready_output)


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
