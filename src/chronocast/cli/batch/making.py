"""``batch new``."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from chronocast.cli.answers import save, workspace
from chronocast.deliver.names import proposed_stems, unlike
from chronocast.journal.documents import BATCH_ENDING, save_batch
from chronocast.journal.films.facts import FactsStore
from chronocast.journal.library import needed_recipe
from chronocast.model.batch.batch import FULL, MOST_TITLE, Batch, NamedRange, portable
from chronocast.model.batch.edits import add_recipe, fill, identifier
from chronocast.model.batch.naming import read_pattern
from chronocast.model.errors import ModelError
from chronocast.model.recipe.formats.containers import extension
from chronocast.model.time.timing import Rate, parse_rate, parse_timecode
from chronocast.preparation.source.gather import Gathered, gather
from chronocast.preparation.source.ready import ready_source


def make_batch(
    file: Path,
    sources: list[Path],
    recipes: list[str],
    *,
    to: Path,
    ranges: list[str],
    title: str,
    rate: str | None = None,
    search: list[Path] | None = None,
) -> Gathered:
    """Write a batch of every source × every recipe.

    Raises
    ------
    ChronocastError
        The file is there already, a recipe or range makes no
        sense, or it can't be written.
    """
    if not file.name.endswith(BATCH_ENDING):
        raise ModelError(f"{file} does not end in {BATCH_ENDING}.", f"Name it {file.stem}{BATCH_ENDING}.")
    if file.exists():
        raise ModelError(f"{file} is there already and was not touched.", "Choose another name.")
    if len(title) > MOST_TITLE:
        raise ModelError(
            f"A title has room for {MOST_TITLE} characters; this one has {len(title)}.", "Shorten it."
        )
    folder = file.absolute().parent
    _make_home(to.absolute())
    batch = Batch(
        title=(title or file.name.removesuffix(BATCH_ENDING))[:MOST_TITLE],
        folder=portable(to.absolute(), folder),
    )
    library = workspace().library
    for name in recipes:
        batch = add_recipe(batch, needed_recipe(library, name))
    store = workspace().facts
    if search:
        batch = batch.model_copy(
            update={"search": tuple(portable(place.absolute(), folder) for place in search)}
        )
    if rate:
        rate = str(parse_rate(rate))
    batch, refused = gather(batch, folder, sources, store, rate)
    if not batch.sources:
        first = refused[0].sentence if refused else "The folder holds no media or timeline files."
        raise ModelError(f"No source can be used. {first}")
    if ranges:
        batch = _with_ranges(batch, folder, ranges, store)
    for source in batch.sources:
        parts = [part.id for part in source.ranges] or [FULL]
        batch = fill(batch, [(source.id, part, recipe.id) for part in parts for recipe in batch.recipes])
    save_batch(batch, file)
    return Gathered(batch, refused)


def _make_home(target: Path) -> None:
    """Make the folder that a new target folder lies in: asked for here, and never again by itself.

    Raises
    ------
    ModelError
        It can't be made.
    """
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ModelError(
            f"The folder {target.parent} can't be made: {error.strerror}.", "Choose another target folder."
        ) from None


def _with_ranges(batch: Batch, folder: Path, ranges: list[str], store: FactsStore) -> Batch:
    found = []
    for source in batch.sources:
        cut = ready_source(source, folder, store, batch.search).cut
        parts: list[NamedRange] = []
        for text in ranges:
            name, start, stop = _range(text, cut.rate, cut.start_timecode)
            if stop > cut.frames:
                raise ModelError(
                    f"The range “{text}” ends at frame {stop}, but {source.name} has {cut.frames}."
                )
            parts.append(
                NamedRange(
                    id=identifier(name, (p.id for p in parts), "range"), name=name, start=start, stop=stop
                )
            )
        found.append(source.model_copy(update={"ranges": tuple(parts)}))
    return batch.model_copy(update={"sources": tuple(found)})


def _range(text: str, rate: Rate, start_timecode: int) -> tuple[str, int, int]:
    """NAME=IN..OUT; times count from the first frame, or from the start timecode where they lie after it."""
    name, mark, times = text.partition("=")
    first, dots, last = times.partition("..")
    if not (mark and dots and name.strip()):
        raise ModelError(
            f"“{text}” is not a range.", "Write it as NAME=IN..OUT, for example cutdown=0:10:00..0:30:00."
        )
    frames = [parse_timecode(first, rate), 0]
    frames[1] = parse_timecode(last, rate, here=frames[0])
    if start_timecode and frames[0] >= start_timecode:
        frames = [frame - start_timecode for frame in frames]
    if frames[0] < 0 or frames[1] <= frames[0]:
        raise ModelError(
            f"The range “{text}” ends before it begins.", "Give the out point after the in point."
        )
    return name.strip()[:80], frames[0], frames[1]


def name_files(batch: Batch, path: Path, pattern: str, edition: int, look: bool) -> dict[str, str]:
    """The name of every output's file, by output; a new pattern is saved unless it is only looked at.

    Raises
    ------
    ChronocastError
        The pattern or the version makes no sense, or the batch can't be saved.
    """
    change: dict[str, object] = {}
    if pattern:
        read_pattern(pattern)
        change["names"] = pattern
        if "{date}" in pattern.lower() and batch.dated is None:
            change["dated"] = date.today()
    if edition:
        if not 1 <= edition <= 9999:
            raise ModelError(f"{edition} is no version.", "Give a number from 1 to 9999.")
        change["edition"] = edition
    named = batch.model_copy(update=change)
    if change and not look:
        save(named, path)
    endings = {recipe.id: extension(recipe.container) for recipe in named.recipes}
    stems = zip(proposed_stems(named, named.outputs), (endings[o.recipe] for o in named.outputs), strict=True)
    return dict(zip((output.id for output in named.outputs), unlike(stems), strict=True))
