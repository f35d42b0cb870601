"""``batch fill``, ``batch set``, ``batch card``: what is made of what, and the exceptions."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from typing import Annotated, Any

import typer

from chronocast.cli.answers import WRONG_USE, BatchPath, complain, load, save, workspace
from chronocast.model.errors import ChronocastError, ModelError

Outputs = Annotated[list[str], typer.Argument(metavar="OUTPUT...", help="Ids of outputs, or “all”.")]


def edit_batch(path: Any, change: Callable[[Any], Any], status: int = WRONG_USE) -> Any:
    """Load, change, save; the batch as it then is.

    Parameters
    ----------
    path
        The batch's file.
    change
        Gives the changed batch.
    status
        The exit status where it can't be changed so.
    """
    from pydantic import ValidationError

    from chronocast.model.document_reading import explain

    batch = load(path)
    try:
        try:
            batch = type(batch).model_validate(change(batch).model_dump())
        except ValidationError as error:
            raise ModelError(f"That can't be kept: {explain(error)}.", "Nothing was changed.") from None
        save(batch, path)
    except ChronocastError as error:
        complain(error, status)
    return batch


def chosen_outputs(batch: Any, outputs: list[str]) -> list[str]:
    """The ids of outputs, “all” taken for each of them.

    Raises
    ------
    ModelError
        There is no output of an id.
    """
    if outputs == ["all"]:
        return [output.id for output in batch.outputs]
    if unknown := [name for name in outputs if batch.output(name) is None]:
        raise ModelError(
            f"There is no output “{unknown[0]}” in this batch.",
            f"There are: {', '.join(o.id for o in batch.outputs[:12])}.",
        )
    return outputs


def set_cells(
    batch: BatchPath,
    outputs: Outputs,
    set_: Annotated[
        list[str] | None, typer.Option("--set", metavar="FIELD=VALUE", help="An exception, by dotted field.")
    ] = None,
    clear: Annotated[bool, typer.Option("--clear", help="Take all their exceptions away.")] = False,
) -> None:
    """Exceptions: what some outputs say otherwise than their recipe."""
    from chronocast.cli.kept.recipes import _values
    from chronocast.model.batch.columns import clear_own, exceptions, set_own

    def change(loaded: Any) -> Any:
        chosen = chosen_outputs(loaded, outputs)
        cleared = clear_own(loaded, chosen) if clear else loaded
        return set_own(cleared, chosen, _values(set_ or []))

    for output, own in exceptions(edit_batch(batch, change)):
        told = ", ".join(f"{field} = {json.dumps(value)}" for field, value in own.items())
        sys.stdout.write(f"{output.id}  {told}\n")


def fill_cells(
    batch: BatchPath,
    recipe: Annotated[
        list[str], typer.Option("--recipe", metavar="ID", help="A recipe; it becomes a column.")
    ],
    source: Annotated[
        list[str] | None, typer.Option("--source", metavar="ID", help="A source; without one all of them.")
    ] = None,
    clear: Annotated[bool, typer.Option("--clear", help="Clear these cells instead.")] = False,
) -> None:
    """Ask for sources in recipes: N × M cells in one act."""
    from chronocast.journal.library import needed_recipe
    from chronocast.model.batch.batch import FULL
    from chronocast.model.batch.edits import add_recipe, fill

    def change(loaded: Any) -> Any:
        ids = []
        for name in recipe:
            if loaded.recipe(name) is None and not clear:
                made = needed_recipe(workspace().library, name)
                loaded = add_recipe(loaded, made)
                ids.append(made.id)
            else:
                ids.append(name)
        cells = [(item, FULL, name) for item in source or [s.id for s in loaded.sources] for name in ids]
        return fill(loaded, cells, not clear)

    sys.stdout.write(f"{len(edit_batch(batch, change).outputs)} outputs\n")


def card_cells(
    batch: BatchPath,
    outputs: Outputs,
    card: Annotated[str, typer.Option("--card", metavar="ID", help="A saved receiver card, or its file.")],
    off: Annotated[bool, typer.Option("--off", help="No longer judge them by it.")] = False,
) -> None:
    """Judge some outputs by a receiver card, before and after."""
    from chronocast.journal.library import needed_card
    from chronocast.model.batch.columns import add_card, set_card

    def change(loaded: Any) -> Any:
        chosen = chosen_outputs(loaded, outputs)
        if off:
            return set_card(loaded, chosen, card, False)
        made = needed_card(workspace().library, card)
        return set_card(add_card(loaded, made), chosen, made.id)

    for output in edit_batch(batch, change).outputs:
        if output.cards:
            sys.stdout.write(f"{output.id}  {', '.join(output.cards)}\n")


def place_cells(
    batch: BatchPath,
    outputs: Outputs,
    to: Annotated[
        str, typer.Option("--to", metavar="DIR", help="Their own target folder; empty for the batch's.")
    ],
) -> None:
    """A target folder of their own for some outputs."""
    from pathlib import Path

    from chronocast.model.batch.batch import portable
    from chronocast.model.batch.columns import set_output_folder

    folder = portable(Path(to).absolute(), batch.absolute().parent) if to else ""
    changed = edit_batch(
        batch, lambda loaded: set_output_folder(loaded, chosen_outputs(loaded, outputs), folder)
    )
    for output in changed.outputs:
        if output.folder:
            sys.stdout.write(f"{output.id}  {output.folder}\n")


def accept_damage(
    batch: BatchPath,
    source: Annotated[list[str], typer.Argument(metavar="SOURCE...", help="Ids of sources, or “all”.")],
    off: Annotated[bool, typer.Option("--off", help="Refuse it again.")] = False,
) -> None:
    """Accept what is damaged in some sources, each place listed: outputs show it, and their check says so."""
    from chronocast.preparation.source.damaged import damage_lines
    from chronocast.preparation.today import prepared

    def change(loaded: Any) -> Any:
        prospect = prepared(loaded, batch, workspace())
        kept = []
        for item in loaded.sources:
            if item.id in source or source == ["all"]:
                ready = prospect.sources.get(item.id)
                damaged = [facts for facts in ready.facts.values() if facts.damage] if ready else []
                for facts in damaged:
                    sys.stdout.write("".join(f"{item.id}  {line}\n" for line in damage_lines(facts)))
                marks = () if off else tuple(facts.fingerprint for facts in damaged)
                item = item.model_copy(update={"accepted": marks})
            kept.append(item)
        if unknown := [name for name in source if name != "all" and loaded.source(name) is None]:
            raise ModelError(
                f"There is no source “{unknown[0]}” in this batch.",
                f"There are: {', '.join(item.id for item in loaded.sources[:12])}.",
            )
        return loaded.model_copy(update={"sources": tuple(kept)})

    edit_batch(batch, change)


def alpha_of_source(
    batch: BatchPath,
    source: Annotated[str, typer.Argument(metavar="SOURCE", help="The id of a source.")],
    kind: Annotated[
        str, typer.Argument(metavar="KIND", help="straight, premultiplied, or file for what it is taken for.")
    ],
) -> None:
    """Say how a source's see-through pictures are kept: files rarely say it."""
    words = {"straight": "straight", "premultiplied": "premultiplied", "file": ""}

    def change(loaded: Any) -> Any:
        if kind not in words or loaded.source(source) is None:
            raise ModelError(
                f"“{source} {kind}” can't be set.", "Name a source, and straight, premultiplied or file."
            )
        kept = tuple(
            item.model_copy(update={"alpha": words[kind]}) if item.id == source else item
            for item in loaded.sources
        )
        return loaded.model_copy(update={"sources": kept})

    edit_batch(batch, change)


def cell_commands(app: typer.Typer) -> None:
    """Put them among the commands of ``batch``."""
    app.command("set")(set_cells)
    app.command("fill")(fill_cells)
    app.command("card")(card_cells)
    app.command("place")(place_cells)
    app.command("accept")(accept_damage)
    app.command("alpha")(alpha_of_source)
