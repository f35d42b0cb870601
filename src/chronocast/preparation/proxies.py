"""Which films want a proxy, and the batch that makes them: an ordinary one, forecast, run and proved like any other."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import NamedTuple

from chronocast.journal.documents import save_batch
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import FULL, Batch, Output, Source
from chronocast.model.paths import path_text
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, Recipe, SoundRecipe
from chronocast.model.show import counted, size_text, time_text
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.proxy import SIDE, no_proxy, slow_to_look_at
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.preparation.today import outlook_now, prepared

RECIPE = Recipe(
    id="proxy",
    name="Proxy for looking",
    container="mov",
    picture=PictureRecipe(
        codec="prores",
        grade="proxy",
        timecode="source",
        size=FrameSize(mode="ceiling", width=SIDE, height=SIDE),
        copies="never",
    ),
    sound=SoundRecipe(codec="pcm", depth=16, sample_rate="source", layout="source", tracks="each"),
)
BATCH = "proxies.batch.json"


class FilmWanted(NamedTuple):
    """A film that wants a proxy: its facts, the source it is of, and why it is slow."""

    facts: ClipFacts
    source: Source
    why: str


class ProxiesPlan(NamedTuple):
    """Proxies to be made.

    Parameters
    ----------
    films
        Those that want one and have none.
    have
        How many have one.
    without
        Films that are slow and can have none: (path, why).
    """

    films: tuple[FilmWanted, ...]
    have: int
    without: tuple[tuple[str, str], ...]


def plan_proxies(sources: Iterable[SourceReady], workspace: Workspace, every: bool = False) -> ProxiesPlan:
    """Which films of some sources want a proxy.

    Parameters
    ----------
    sources
        The sources, looked at.
    workspace
        What is kept of all batches.
    every
        Whether films that aren't slow get one, too.
    """
    wanted: dict[str, FilmWanted] = {}
    have, without = set[str](), dict[str, str]()
    for ready in sources:
        for facts in ready.facts.values():
            why = slow_to_look_at(facts) or ("it is asked for" if every and facts.frames else "")
            if not why:
                continue
            if reason := no_proxy(facts):
                without[facts.path] = reason
            elif workspace.proxies.find(facts.fingerprint) is not None:
                have.add(facts.fingerprint)
            else:
                wanted.setdefault(facts.fingerprint, FilmWanted(facts, ready.source, why))
    return ProxiesPlan(tuple(wanted.values()), len(have), tuple(without.items()))


def proxies_batch(films: Iterable[FilmWanted], workspace: Workspace) -> tuple[Batch, Path]:
    """The batch that makes proxies, and where its file belongs; nothing is written.

    Parameters
    ----------
    films
        Those that want one.
    workspace
        What is kept of all batches.
    """
    store = workspace.proxies
    sources, outputs = list[Source](), list[Output]()
    for number, film in enumerate(films, 1):
        name = f"film-{number}"
        path = path_text(film.facts.path)
        stem = Path(film.facts.path).name.partition("?")[0].rsplit(".", 1)[0]
        sources.append(
            Source(id=name, path=path, name=stem[:200] or name, kind="clip", accepted=film.source.accepted)
        )
        place = path_text(store.place(film.facts.fingerprint))
        outputs.append(Output(id=name, source=name, range=FULL, recipe=RECIPE.id, name=stem, folder=place))
    batch = Batch(
        title="Proxies",
        folder=path_text(store.folder),
        sources=tuple(sources),
        recipes=(RECIPE,),
        outputs=tuple(outputs),
    )
    return batch, store.folder / BATCH


def proxies_begun(films: Sequence[FilmWanted], workspace: Workspace) -> tuple[Batch, Path]:
    """The batch that makes proxies, and its file; both it and what each proxy is of are written down.

    Parameters
    ----------
    films
        Those that want one.
    workspace
        What is kept of all batches.

    Raises
    ------
    DocumentError
        They can't be written.
    """
    for film in films:
        workspace.proxies.expect(film.facts)
    batch, path = proxies_batch(films, workspace)
    save_batch(batch, path)
    return batch, path


def proxies_told(plan: ProxiesPlan, workspace: Workspace) -> str:
    """What making them takes, in a sentence: seconds and bytes as forecast for every batch.

    Parameters
    ----------
    plan
        What is to be made.
    workspace
        What is kept of all batches.
    """
    have = (
        f"{counted(plan.have, 'film')} {'has' if plan.have == 1 else 'have'} a proxy already. "
        if plan.have
        else ""
    )
    if not plan.films:
        why = (
            f" {counted(len(plan.without), 'film')} can have none: {plan.without[0][1]}."
            if plan.without
            else ""
        )
        return f"{have}No film here is slow to look at{' without one' if plan.have else ''}.{why}"
    batch, path = proxies_batch(plan.films, workspace)
    view = outlook_now(prepared(batch, path, workspace), workspace)
    first = plan.films[0]
    more = f", and {len(plan.films) - 1} more" if len(plan.films) > 1 else ""
    return (
        f"{have}{counted(len(plan.films), 'film')} {'is' if len(plan.films) == 1 else 'are'} slow to look at "
        f"({first.source.name}: {first.why}{more}). Proxies take about {time_text(view.finish.likely)} "
        f"and {size_text(view.bytes.likely)}."
    )
