"""The commands ``ranges`` and ``frame``.  Each parses, asks the rooms below, and prints."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from chronocast.cli.answers import NEEDS_YOU, WRONG_USE, BatchPath, Json, complain, load, put, workspace
from chronocast.model.errors import ChronocastError

ranges_app = typer.Typer(no_args_is_help=True, help="The parts of sources that files are made of.")

SourceId = Annotated[str, typer.Argument(help="A source's id (see: ranges list).", metavar="SOURCE")]
RangeId = Annotated[str, typer.Argument(help="A range's id (see: ranges list).", metavar="RANGE")]
First = Annotated[
    str, typer.Option("--in", help="The first frame: 1:02:03:04, 1020304, 12s, 250f.", metavar="TIME")
]
Last = Annotated[
    str,
    typer.Option(
        "--out", help="The first frame after it: a time, or +48 counted from the in point.", metavar="TIME"
    ),
]
Recipes = Annotated[
    list[str] | None,
    typer.Option("--recipe", help="Files of this recipe are made of it; may be given more than once."),
]


@ranges_app.command("list")
def ranges_list(
    batch: BatchPath,
    source: Annotated[
        list[str] | None, typer.Option(help="Only of this source; may be given more than once.")
    ] = None,
    look: Annotated[
        bool,
        typer.Option("--look", help="Look at the pictures at their ends: black, repeated, of the next shot."),
    ] = False,
    json_: Json = False,
) -> None:
    """Every range with its length and its share of the whole."""
    from chronocast.cli.batch.ranging import as_json, list_ranges, print_ranges

    try:
        found = list_ranges(load(batch), batch, source or [], look)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    if json_:
        put({"version": 1, "ranges": [as_json(item) for item in found]})
    else:
        print_ranges(found)
    if any(item.notes for item in found):
        raise typer.Exit(NEEDS_YOU)


@ranges_app.command("add")
def ranges_add(
    batch: BatchPath,
    source: SourceId,
    name: Annotated[str, typer.Argument(help="Its name; files are named after it.", metavar="NAME")],
    first: First = "",
    last: Last = "",
    recipe: Recipes = None,
) -> None:
    """One more range of a source."""
    from chronocast.cli.batch.ranging import add, list_ranges, print_ranges

    try:
        made, identifier = add(
            load(batch), batch, source, name=name, first=first, last=last, recipes=recipe or []
        )
        print_ranges([item for item in list_ranges(made, batch, [source], False) if item.part == identifier])
    except ChronocastError as error:
        complain(error, WRONG_USE)


@ranges_app.command("marked")
def ranges_marked(batch: BatchPath, source: SourceId, recipe: Recipes = None) -> None:
    """Take what a source marks of itself (chapters, markers that last, its in and out) as ranges."""
    from chronocast.cli.batch.ranging import list_ranges, marked, print_ranges

    try:
        made, names = marked(load(batch), batch, source, recipe or [])
        print_ranges([item for item in list_ranges(made, batch, [source], False) if item.part in names])
    except ChronocastError as error:
        complain(error, WRONG_USE)


@ranges_app.command("set")
def ranges_set(
    batch: BatchPath,
    source: SourceId,
    part: RangeId,
    first: First = "",
    last: Last = "",
    name: Annotated[str, typer.Option(help="Another name.")] = "",
) -> None:
    """Other ends, or another name, for a range."""
    from chronocast.cli.batch.ranging import change, list_ranges, print_ranges

    try:
        made = change(load(batch), batch, source, part=part, first=first, last=last, name=name)
        print_ranges([item for item in list_ranges(made, batch, [source], False) if item.part == part])
    except ChronocastError as error:
        complain(error, WRONG_USE)


@ranges_app.command("mend")
def ranges_mend(batch: BatchPath, source: SourceId, part: RangeId) -> None:
    """Leave out black, repeated or foreign pictures at the ends of a range."""
    from chronocast.cli.batch.ranging import mend

    try:
        told = mend(load(batch), batch, source, part)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    sys.stdout.write(
        "".join(f"{sentence} Left out.\n" for sentence in told) or "Nothing is wrong at its ends.\n"
    )


@ranges_app.command("remove")
def ranges_remove(batch: BatchPath, source: SourceId, part: RangeId) -> None:
    """Remove a range, and what was to be made of it."""
    from chronocast.cli.batch.ranging import remove

    try:
        remove(load(batch), batch, source, part)
    except ChronocastError as error:
        complain(error, WRONG_USE)


@ranges_app.command("clips")
def ranges_clips(
    batch: BatchPath,
    source: SourceId,
    recipe: Annotated[list[str], typer.Option(help="Files of this recipe; may be given more than once.")],
    instead: Annotated[bool, typer.Option("--instead", help="And no file of the whole any more.")] = False,
    look: Annotated[bool, typer.Option("--look", help="Only say which files it would make.")] = False,
) -> None:
    """One file for each clip of a sequence instead of, or beside, one of the whole."""
    from chronocast.cli.batch.ranging import for_each_clip
    from chronocast.preparation.output.prepare import prepare

    try:
        made = for_each_clip(load(batch), batch, source, recipes=recipe, instead=instead, look=look)
        prospect = prepare(made, batch.absolute().parent, workspace())
    except ChronocastError as error:
        complain(error, WRONG_USE)
    for item in prospect.outputs:
        if item.output.source == source:
            sys.stdout.write(f"{item.path.name}  {item.extent.text}\n")


@ranges_app.command("write")
def ranges_write(
    batch: BatchPath,
    file: Annotated[Path, typer.Argument(help="The OTIO file to write.", metavar="FILE")],
    source: Annotated[
        list[str] | None, typer.Option(help="Only of this source; may be given more than once.")
    ] = None,
) -> None:
    """Write ranges as sub-clips, in one OTIO file."""
    from chronocast.preparation.cuts import write_picks

    whole = load(batch)
    names = source or [item.id for item in whole.sources if item.ranges]
    try:
        count = write_picks(whole, batch, file, workspace(), names)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    sys.stdout.write(f"{file}: {count} sub-clip{'s' if count != 1 else ''}\n")


def frame_outputs(
    batch: BatchPath,
    output: Annotated[
        list[str], typer.Argument(help="Outputs' ids (see: forecast --json).", metavar="OUTPUT...")
    ],
    placing: Annotated[str, typer.Option(help="fit, fill or stretch; else as the recipe says.")] = "",
    crop: Annotated[str, typer.Option(help="LEFT,TOP,RIGHT,BOTTOM cut off, in pixels or percent.")] = "",
    centre: Annotated[
        list[str] | None,
        typer.Option(help="FRAME=X,Y: where the centre is at a frame, in percent; several make it move."),
    ] = None,
    reset: Annotated[bool, typer.Option("--reset", help="Forget what was set before.")] = False,
    json_: Json = False,
) -> None:
    """Say how outputs are framed, and what becomes of their pictures."""
    from chronocast.cli.batch.ranging import frame

    try:
        said = frame(
            load(batch), batch, output, placing=placing, crop=crop, centres=centre or [], reset=reset
        )
    except ChronocastError as error:
        complain(error, WRONG_USE)
    if json_:
        put({"version": 1, "outputs": said})
        return
    for item in said:
        sys.stdout.write(f"{item['output']}: {' '.join(item['told'] + item['problems'])}\n")
