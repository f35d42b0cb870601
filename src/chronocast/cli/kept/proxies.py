"""``proxies``: small copies of films for looking at; made, listed, taken away."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from chronocast.cli.answers import NEEDS_YOU, WRONG_USE, Json, complain, put, workspace
from chronocast.model.errors import ChronocastError

proxies_app = typer.Typer(help="Small copies of films for looking at.", no_args_is_help=True)


@proxies_app.command("make")
def proxies_make(
    path: Annotated[Path, typer.Argument(metavar="BATCH")],
    every: Annotated[bool, typer.Option("--every", help="Of films that are quick to look at, too.")] = False,
    dry: Annotated[bool, typer.Option("--dry", help="Only tell what it would take.")] = False,
    json_: Json = False,
) -> None:
    """Make proxies of a batch's films that are slow to look at; Ctrl-C stops, what is finished is kept."""
    from chronocast.cli.rendering import follow
    from chronocast.journal.documents import load_batch
    from chronocast.preparation.proxies import plan_proxies, proxies_begun, proxies_told
    from chronocast.preparation.today import prepared
    from chronocast.run.client import begin_run

    try:
        prospect = prepared(load_batch(path), path, workspace())
        plan = plan_proxies(prospect.sources.values(), workspace(), every)
        told = proxies_told(plan, workspace())
        if not json_:
            sys.stdout.write(f"{told}\n")
        if dry or not plan.films:
            if json_:
                put(
                    {
                        "version": 1,
                        "told": told,
                        "wanted": [film.facts.path for film in plan.films],
                        "have": plan.have,
                    }
                )
            return
        batch, made = proxies_begun(plan.films, workspace())
        status = follow(begin_run(batch, made), json_)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    raise typer.Exit(status)


@proxies_app.command("list")
def proxies_list(json_: Json = False) -> None:
    """Finished proxies: of which film, how large, whether their film is still there."""
    from chronocast.model.show import counted, size_text

    store = workspace().proxies
    found = store.all()
    if json_:
        put(
            {
                "version": 1,
                "proxies": [
                    {
                        "path": p.path,
                        "source": p.source,
                        "frames": p.frames,
                        "bytes": p.bytes,
                        "there": os.path.exists(p.source),
                    }
                    for p in found
                ],
                "unfinished": [str(folder) for folder in store.halves()],
            }
        )
        return
    for proxy in found:
        gone = "" if os.path.exists(proxy.source) else "  (its film is gone)"
        sys.stdout.write(
            f"{size_text(proxy.bytes):>9}  {proxy.frames:>8} pictures  {proxy.source}{gone}\n           {proxy.path}\n"
        )
    halves = len(store.halves())
    unfinished = f", {halves} unfinished" if halves else ""
    sys.stdout.write(
        f"{counted(len(found), 'proxy', 'proxies')}, {size_text(sum(p.bytes for p in found))}{unfinished}\n"
    )


@proxies_app.command("tidy")
def proxies_tidy(
    yes: Annotated[bool, typer.Option("--yes", help="Do it; else it is only told what would go.")] = False,
    all_: Annotated[
        bool, typer.Option("--all", help="All of them, not only those whose film has gone or changed.")
    ] = False,
) -> None:
    """Take proxies away whose film has gone or changed, and what was never finished."""
    from chronocast.model.show import size_text
    from chronocast.preparation.proxies_left import proxies_left, remove_proxies

    store = workspace().proxies
    left = proxies_left(store, all_)
    if not left.stale and not left.halves:
        sys.stdout.write("Nothing has to go.\n")
    elif not yes:
        what = "all proxies" if all_ else left.told
        sys.stdout.write(f"{what} would go; --yes does it.\n")
    else:
        sys.stdout.write(f"{size_text(remove_proxies(store, left))} came free.\n")


@proxies_app.command("when")
def proxies_when(
    wanted: Annotated[
        str,
        typer.Argument(
            help="“asked”, or “open”: by themselves while a batch is open.", metavar="[asked|open]"
        ),
    ] = "",
) -> None:
    """When the desktop makes proxies."""
    from chronocast.journal.settings import load_settings, save_settings

    ways = {"asked": "when asked", "open": "by themselves"}
    if wanted and wanted not in ways:
        complain("Say “asked” or “open”.", WRONG_USE)
    try:
        if wanted:
            save_settings(load_settings().model_copy(update={"proxies": ways[wanted]}))
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    sys.stdout.write(f"Proxies are made {load_settings().proxies}.\n")
