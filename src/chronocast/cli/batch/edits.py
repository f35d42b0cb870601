"""``batch add``, ``remove``, ``hold``, ``release``, ``order``, ``rename``, ``move``: a batch changed without a window."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Annotated, Any

import typer

from chronocast.cli.answers import NEEDS_YOU, WRONG_USE, BatchPath, complain, load, save, workspace
from chronocast.cli.batch.cells import Outputs, chosen_outputs, edit_batch
from chronocast.model.errors import ChronocastError, ModelError
from chronocast.model.show import counted


def add_sources(
    batch: BatchPath,
    paths: Annotated[
        list[Path], typer.Argument(metavar="PATH...", help="Media, timelines, folders of them.")
    ],
    rate: Annotated[
        str | None,
        typer.Option(
            "--rate", help="Frames a second of edit lists and numbered images, which don't say theirs."
        ),
    ] = None,
) -> None:
    """Bring in sources. One that can't be used is listed with its reason; the rest comes in."""
    from chronocast.preparation.source.gather import gather

    loaded = load(batch)
    before = {source.id for source in loaded.sources}
    try:
        found = gather(loaded, batch.absolute().parent, paths, workspace().facts, rate)
        save(found.batch, batch)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    for source in found.batch.sources:
        if source.id not in before:
            sys.stdout.write(f"{source.id}  {source.path}\n")
    for refused in found.refused:
        sys.stderr.write(f"{refused}\n")
    if len(found.batch.sources) == len(before) and not found.refused:
        complain("Nothing there is a source that the batch hasn't yet.", NEEDS_YOU)
    if found.refused:
        raise typer.Exit(NEEDS_YOU)


def remove_sources(
    batch: BatchPath,
    sources: Annotated[list[str], typer.Argument(metavar="SOURCE...", help="Ids of sources.")],
) -> None:
    """Take sources out of the batch, with what is asked of them. Their files are not touched."""
    from chronocast.model.batch.edits import remove_source

    def change(loaded: Any) -> Any:
        if unknown := [name for name in sources if loaded.source(name) is None]:
            names = ", ".join(source.id for source in loaded.sources[:12])
            raise ModelError(f"There is no source “{unknown[0]}” in this batch.", f"There are: {names}.")
        for name in sources:
            loaded = remove_source(loaded, name)
        return loaded

    sys.stdout.write(f"{counted(len(edit_batch(batch, change, NEEDS_YOU).sources), 'source')} left\n")


def _tell_run(batch: Path, kind: str, body: dict[str, Any], outputs: Iterable[str]) -> None:
    """Ask a run of the batch that goes on for the same, of what it knows; and say what it said."""
    from chronocast.cli.rendering import view_of
    from chronocast.run.client import ask, last_run

    journal = last_run(batch)
    if journal is None:
        return
    view = view_of(journal)
    known = [name for name in outputs if name in view.outputs]
    if view.lives and not view.outcome and known:
        accepted, sentence = ask(journal, kind, {**body, "outputs": known})
        sys.stdout.write("The run that goes on knows.\n" if accepted else f"The run refused: {sentence}\n")


def hold_outputs(batch: BatchPath, outputs: Outputs) -> None:
    """Hold outputs back: they aren't made, in a run that goes on neither, until they are released."""
    _hold(batch, outputs, True)


def release_outputs(batch: BatchPath, outputs: Outputs) -> None:
    """Release outputs that were held back."""
    _hold(batch, outputs, False)


def _hold(batch: Path, outputs: list[str], held: bool) -> None:
    from chronocast.model.batch.edits import hold

    names: list[str] = []

    def change(loaded: Any) -> Any:
        names.extend(chosen_outputs(loaded, outputs))
        return hold(loaded, names, held)

    edit_batch(batch, change, NEEDS_YOU)
    sys.stdout.write(f"{counted(len(names), 'output')} {'held back' if held else 'released'}\n")
    _tell_run(batch, "hold", {"held": held}, names)


def order_outputs(
    batch: BatchPath,
    outputs: Outputs,
    before: Annotated[
        str | None,
        typer.Option("--before", metavar="OUTPUT", help="Right before this one; first, if not said."),
    ] = None,
    last: Annotated[bool, typer.Option("--last", help="After all others.")] = False,
) -> None:
    """Make outputs first, in this order; or right before another one; or last. The order is the operator's from then on."""
    from chronocast.model.batch.edits import in_order, move_outputs, set_asked

    def change(loaded: Any) -> Any:
        names = chosen_outputs(loaded, outputs)
        if before is not None:
            chosen_outputs(loaded, [before])
        others = [output.id for output in loaded.outputs if output.id not in names]
        ordered = in_order(loaded, [*names, *others])
        if last or before is not None:
            ordered = move_outputs(ordered, names, None if last else before)
        return set_asked(ordered, wish="order")

    found = edit_batch(batch, change, NEEDS_YOU)
    for number, output in enumerate(found.outputs, start=1):
        sys.stdout.write(f"{number:4}  {output.id}\n")
    _tell_run(batch, "order", {}, [output.id for output in found.outputs])


def rename_batch(
    batch: BatchPath, title: Annotated[str, typer.Argument(help="What the batch is called from now on.")]
) -> None:
    """Give the batch another title. Its file stays where it is; see: batch move."""
    words = " ".join(title.split())
    if not words:
        complain("A batch needs a title.", WRONG_USE)
    edit_batch(batch, lambda loaded: loaded.model_copy(update={"title": words}), WRONG_USE)


def move_batch(
    batch: BatchPath,
    to: Annotated[Path, typer.Argument(metavar="FILE", help="Its new file, NAME.batch.json.")],
) -> None:
    """Move the batch's file. What it names stays where it is; a run of it that goes on must end first."""
    from chronocast.run.moving import move_batch as move

    target = to / batch.name if to.is_dir() else to
    try:
        move(load(batch), batch, target)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    sys.stdout.write(f"{target}\n")


def batch_edits(app: typer.Typer) -> None:
    """Put them among the commands of ``batch``."""
    app.command("add")(add_sources)
    app.command("remove")(remove_sources)
    app.command("hold")(hold_outputs)
    app.command("release")(release_outputs)
    app.command("order")(order_outputs)
    app.command("rename")(rename_batch)
    app.command("move")(move_batch)
