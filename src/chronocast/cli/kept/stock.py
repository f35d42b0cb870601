"""``stock``: what is kept, made smaller, proved whole."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from chronocast.cli.answers import NEEDS_YOU, WRONG_USE, Json, complain, put, workspace
from chronocast.model.errors import ChronocastError

stock_app = typer.Typer(help="Finished pieces that are kept.", no_args_is_help=True)
SHOWN = 40


@stock_app.command("list")
def stock_list(json_: Json = False) -> None:
    """What is in the stock: how much, of what, how much work it holds, what of it is waited for."""
    from chronocast.model.show import counted, size_text, time_text
    from chronocast.preparation.stock_keeping import stock_known

    known = stock_known(workspace())
    if json_:
        stock = workspace().stock
        put(
            {
                "version": 1,
                "pieces": [
                    {
                        **entry.__dict__,
                        "path": str(stock.path(entry.name)),
                        "needed": entry.name in known.needed,
                        "facts": kept.facts if (kept := stock.find(entry.name)) else {},
                    }
                    for entry in known.entries
                ],
            }
        )
        return
    labels: dict[str, list[float]] = {}
    for entry in known.entries:
        row = labels.setdefault(entry.label or "made before labels were kept", [0, 0, 0])
        row[0], row[1], row[2] = row[0] + 1, row[1] + entry.bytes, row[2] + entry.cpu_seconds
    for label, (count, size, seconds) in sorted(labels.items(), key=lambda item: -item[1][1])[:SHOWN]:
        sys.stdout.write(
            f"{label[:64]:64}  {counted(int(count), 'piece'):>10}  {size_text(size):>9}  {time_text(seconds):>8} of work\n"
        )
    if len(labels) > SHOWN:
        sys.stdout.write(f"and {len(labels) - SHOWN} more\n")
    sys.stdout.write(f"{known.told}\n")


@stock_app.command("tidy")
def stock_tidy(
    to: Annotated[str, typer.Option("--to", metavar="SIZE", help="What the stock may hold: 200 GB.")] = "",
    unused: Annotated[
        float | None,
        typer.Option("--unused", metavar="DAYS", help="Only what wasn't used for so long.", min=0.0),
    ] = None,
    yes: Annotated[bool, typer.Option("--yes", help="Do it; else it is only told what would go.")] = False,
    json_: Json = False,
) -> None:
    """Make the stock smaller, least worth first; never what an output of a batch waits for."""
    from chronocast.model.recipe.typed import parse_bytes
    from chronocast.model.show import size_text
    from chronocast.preparation.stock_keeping import carry_out_tidying, plan_tidying, tidying_told

    try:
        most = parse_bytes(to) if to else None
    except ChronocastError as error:
        complain(error, WRONG_USE)
    if most is None and unused is None:
        complain("Say how small it is to be (--to 200GB), or what may go (--unused 60).", WRONG_USE)
    plan = plan_tidying(workspace(), most_bytes=most, unused_days=unused)
    try:
        freed = carry_out_tidying(workspace(), plan) if yes else 0
    except OSError as error:
        complain(f"The stock can't be written: {error.strerror}. Check its drive.", NEEDS_YOU)
    if json_:
        put(
            {
                "version": 1,
                "pieces": [entry.name for entry in plan.go],
                "bytes": plan.bytes,
                "seconds": round(plan.seconds, 1),
                "needed": plan.needed,
                "freed": freed,
            }
        )
        return
    sys.stdout.write(f"{tidying_told(plan)}\n")
    if yes and plan.go:
        sys.stdout.write(f"{size_text(freed)} came free\n")
    elif plan.go:
        sys.stdout.write("Nothing was removed. Add --yes to do it.\n")


@stock_app.command("verify")
def stock_verify(
    discard: Annotated[
        bool,
        typer.Option("--discard", help="Throw damaged ones out; they are made again when they are wanted."),
    ] = False,
    json_: Json = False,
) -> None:
    """Read every piece and compare its bytes with what was put in."""
    from chronocast.model.show import counted
    from chronocast.preparation.stock_keeping import damaged_pieces

    def progress(done: int, whole: int) -> None:
        sys.stderr.write(f"\r{done} of {whole} looked at" + ("\n" if done == whole else ""))

    found = damaged_pieces(workspace(), progress)
    if discard:
        for entry in found:
            workspace().stock.discard(entry.name)
    if json_:
        put({"version": 1, "damaged": [entry.name for entry in found], "discarded": discard})
    elif found:
        for entry in found:
            sys.stdout.write(f"{entry.name[:12]}  {entry.label}\n")
        what = (
            "thrown out; they are made again when they are wanted"
            if discard
            else "damaged; throw them out with --discard"
        )
        sys.stdout.write(f"{counted(len(found), 'piece')} {what}\n")
    else:
        sys.stdout.write("Every piece is whole.\n")
    if found and not discard:
        raise typer.Exit(NEEDS_YOU)


@stock_app.command("limit")
def stock_limit(
    size: Annotated[str, typer.Argument(help="What the stock may hold: 200 GB; “none” for any size.")] = "",
) -> None:
    """What the stock may hold; after each run what is worth least goes, never what is waited for."""
    from chronocast.journal.settings import load_settings, save_settings
    from chronocast.model.recipe.typed import parse_bytes
    from chronocast.model.show import size_text

    try:
        if size:
            most = None if size.lower() == "none" else parse_bytes(size)
            save_settings(load_settings().model_copy(update={"stock_bytes": most}))
    except ChronocastError as error:
        complain(error, WRONG_USE)
    most = load_settings().stock_bytes
    sys.stdout.write(
        f"The stock may hold {size_text(most)}.\n" if most is not None else "The stock may be of any size.\n"
    )


def _can_be_written(folder: str) -> bool:
    """Whether a file can be made in a folder: what the system says of rights isn't true of every one."""
    import tempfile

    try:
        with tempfile.TemporaryFile(dir=folder):
            return True
    except OSError:
        return False


@stock_app.command("place")
def stock_place(
    folder: Annotated[
        str,
        typer.Argument(
            help="A folder, on shared storage say; “usual” for this machine's own.", metavar="[FOLDER]"
        ),
    ] = "",
) -> None:
    """Where pieces and proxies are kept; several machines may keep theirs together. What is there already stays there."""
    import os

    from chronocast.journal.documents import DocumentError
    from chronocast.journal.settings import kept_place, load_settings, save_settings

    if folder:
        wanted = "" if folder == "usual" else os.path.abspath(folder)
        if wanted and not _can_be_written(wanted):
            complain(f"{wanted} isn't a folder that can be written. Make it, or choose another.", WRONG_USE)
        try:
            save_settings(load_settings().model_copy(update={"kept_in": wanted}))
        except DocumentError as error:
            complain(error, NEEDS_YOU)
    kept = kept_place()
    sys.stdout.write(f"{kept.trouble or f'Pieces and proxies are kept in {kept.folder}.'}\n")
