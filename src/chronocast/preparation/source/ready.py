"""Sources made ready: media found, cuts taken and laid out, what should be known of them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from chronocast.journal.films.facts import FactsStore
from chronocast.media.errors import DAMAGE_REMEDY
from chronocast.model.batch.batch import Source, resolve
from chronocast.model.paths import path_text, shown
from chronocast.model.picture.colour import high_range
from chronocast.model.picture.colour import told as colour_told
from chronocast.model.source.clip_changes import changes
from chronocast.model.source.cutlist import media_title
from chronocast.model.source.facts import ClipFacts
from chronocast.model.time.timing import Rate, parse_rate
from chronocast.preparation.problem import Problem
from chronocast.preparation.source.damaged import damage_lines
from chronocast.preparation.source.linking import Linked, Shelves, clip_place, link
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.timeline.clip_layout import clip_cut_list
from chronocast.timeline.described import Timeline
from chronocast.timeline.errors import TimelineError
from chronocast.timeline.layout import sequence_cut_list

EDIT_LIST_ENDINGS = frozenset({".edl"})


TIMELINE_ENDINGS = EDIT_LIST_ENDINGS | {".otio"}


class MissingMedia(TimelineError):
    """A sequence that can be read, but not all of its media found; ``mark`` is its file's digest."""

    mark = ""


def kind_of(path: Path) -> str:
    """*sequence* for a timeline file, else *clip*."""
    return "sequence" if path.suffix.lower() in TIMELINE_ENDINGS else "clip"


def ready_source(
    source: Source, folder: Path, store: FactsStore, search: Iterable[str] = (), newest: bool = False
) -> SourceReady:
    """Look at a source and its media, unless it was looked at before and none of its files has changed since.

    Parameters
    ----------
    source
        The source, as the batch has it.
    folder
        The batch's folder, which relative paths begin at.
    store
        What is known of media.
    search
        Folders it is looked for in.
    newest
        Whether its timeline file is taken as it is now.

    Raises
    ------
    MediaError, TimelineError
        It can't be used; the sentence says why.
    """
    key = (
        source.model_dump_json(exclude={"ranges"}),
        str(folder),
        repr(tuple(search)),
        str(newest),
    )
    kept: tuple[object, SourceReady] | None = store.ready.get(key)
    if kept is not None and kept[0] == _marks(kept[1], store):
        if kept[1].source is not source:
            kept = (kept[0], replace(kept[1], source=source))
            store.ready.put(key, kept)
        return kept[1]
    ready = _look_at(source, folder, store, search, newest)
    store.ready.put(key, (_marks(ready, store), ready))
    return ready


def _marks(ready: SourceReady, store: FactsStore) -> tuple[tuple[int, int, int], ...]:
    """What changes when a file of a source does, or what is known of it."""
    return tuple(store.mark(path) for path in (path_text(ready.path), *ready.facts))


def _look_at(
    source: Source, folder: Path, store: FactsStore, search: Iterable[str], newest: bool
) -> SourceReady:
    """Look at a source and its media; ``search`` are folders to look for missing media in.

    A sequence whose file was changed keeps the cut that was taken, unless the
    ``newest`` is asked for.

    Raises
    ------
    MediaError, TimelineError
        It can't be used; the sentence says why.
    """
    path = resolve(source.path, folder)
    if source.kind == "clip":
        places = [resolve(place, folder) for place in search]
        path = clip_place(source, folder, places, store)
        facts = with_alpha_told(store.clip(path_text(path)), source)
        return SourceReady(source, path, clip_cut_list(facts), {facts.path: facts}, source.name)
    rate = parse_rate(source.rate) if source.rate else None
    timeline, present, mark = _cut_taken(source, path, rate, store, newest)
    shelves = Shelves([path.parent, *(resolve(place, folder) for place in search)])
    linked = link(timeline, source, folder, shelves, store)
    if linked.missing:
        error = missing_media(source.name, linked)
        error.mark = mark
        raise error
    linked.facts = {name: with_alpha_told(facts, source) for name, facts in linked.facts.items()}
    cut, notes = sequence_cut_list(linked.timeline, linked.facts)
    by_path = {facts.path: facts for facts in linked.facts.values()}
    return SourceReady(
        source,
        path,
        cut,
        by_path,
        source.name,
        (*notes, *linked.notes),
        linked.timeline,
        linked.moved,
        mark,
        present,
    )


def with_alpha_told(facts: ClipFacts, source: Source) -> ClipFacts:
    """Facts of a clip, its alpha as a person says that it is: files rarely say whether colours are multiplied by it."""
    return replace(facts, alpha=source.alpha) if source.alpha and facts.alpha else facts


class _CutTaken(NamedTuple):
    """The cut to use, the digest of the file as it is, and of the file the cut is from."""

    timeline: Timeline
    present: str
    taken: str


def _cut_taken(source: Source, path: Path, rate: Rate | None, store: FactsStore, newest: bool) -> _CutTaken:
    """The cut to use, the digest of the file as it is, and of the file the cut is from."""
    try:
        present = store.timelines.digest(path)
    except TimelineError:
        kept = store.timelines.kept(path, source.taken, rate) if source.taken else None
        if kept is None:
            raise
        return _CutTaken(kept, "", source.taken)
    if source.taken and source.taken != present and not newest:
        kept = store.timelines.kept(path, source.taken, rate)
        if kept is not None:
            return _CutTaken(kept, present, source.taken)
    timeline, present = store.timelines.present(path, rate, present)
    return _CutTaken(timeline, present, present)


def missing_media(name: str, linked: Linked) -> MissingMedia:
    """That a sequence's media is missing, as an error with a way out."""
    first = next(iter(linked.missing.values()))
    names = [media_title(wanted) for wanted in linked.missing]
    told = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
    return MissingMedia(
        f"{name} needs media that can't be used: {told}. {first.sentence}",
        first.remedy or "Put the files back where the sequence expects them, or search a folder for them.",
    )


_REMEDY = "What can be read of it is used; see that it is the right file."


def notices(ready: SourceReady) -> list[Problem]:
    """What a person should know of a source though it can be used."""
    name = ready.source.name
    found = [
        Problem(
            name,
            f"{media_title(facts.path)}: {sentence}",
            _REMEDY if "cut short" in sentence else "",
            False,
        )
        for facts in ready.facts.values()
        for sentence in facts.problems
    ]
    for facts in ready.facts.values():
        damaged = facts.fingerprint in ready.source.accepted
        found += [
            Problem(
                name,
                f"{shown(media_title(facts.path))}: {sentence}"
                + (" You have accepted that." if damaged else ""),
                "" if damaged else DAMAGE_REMEDY,
                False,
                accepts=() if damaged else (facts.fingerprint,),
            )
            for sentence in damage_lines(facts)
        ]
    if ready.cut.origin.guessed_colour:
        found.append(
            Problem(
                name,
                f"{name} doesn't say its colour; {colour_told(ready.cut.colour)} is guessed from its size.",
                "Tag it where it comes from if that is wrong.",
                False,
            )
        )
    found += [Problem(name, f"{note.where} {note.sentence}", "", False) for note in ready.notes]
    if high := high_range(ready.cut.colour):
        found.append(
            Problem(
                name,
                f"{name} is of high dynamic range ({high}); it is passed through with its tags; in recipes of 8 bits its gradients may show bands.",
                "Make it of standard range first if its receiver can't show it.",
                False,
            )
        )
    if ready.source.kind == "sequence":
        found += [Problem(name, told, "", False) for told in changes(ready.cut, ready.facts)]
        if ready.changed and ready.present:
            found.append(
                Problem(
                    name,
                    f"{name} has changed on disk since its cut was taken; the cut taken then is used.",
                    "Take the new cut, or leave it.",
                    False,
                )
            )
        elif ready.changed:
            found.append(
                Problem(
                    name,
                    f"{ready.path} can't be read any more; the cut taken from it is used.",
                    "Put it back.",
                    False,
                )
            )
    return [replace(problem, source=ready.source.id) for problem in found]
