"""The commands.  Each parses, asks the rooms below, and prints."""

from __future__ import annotations

import io
import sys
from pathlib import Path
from typing import Annotated

import typer

from chronocast import __version__
from chronocast.cli.answers import NEEDS_YOU, WRONG_USE, BatchPath, Json, complain, load, put, workspace
from chronocast.cli.batch.cells import cell_commands
from chronocast.cli.batch.edits import batch_edits
from chronocast.cli.batch.range_commands import frame_outputs, ranges_app
from chronocast.cli.forecast.commands import forecast_commands
from chronocast.cli.forecast.ledger import ledger_app
from chronocast.cli.house.house import begin_demo_house, house, hub_app, wait_for_the_end
from chronocast.cli.house.stations import station_app
from chronocast.cli.kept.proxies import proxies_app
from chronocast.cli.kept.recipes import cards_app, recipes_app
from chronocast.cli.kept.stock import stock_app
from chronocast.model.errors import ChronocastError

app = typer.Typer(
    name="chronocast",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    help="Forecast batch renders before they are made (how long, how big, when finished, does it fit), then render and "
    "prove them. Without a command, or with a batch file alone, the desktop opens.",
)
batch_app = typer.Typer(no_args_is_help=True, help="Make and change batch files.")
app.add_typer(batch_app, name="batch")
app.add_typer(recipes_app, name="recipes")
app.add_typer(cards_app, name="cards")
app.add_typer(ranges_app, name="ranges")
app.add_typer(stock_app, name="stock")
app.add_typer(station_app, name="station")
app.add_typer(hub_app, name="hub")
app.command()(house)
app.add_typer(proxies_app, name="proxies")
app.add_typer(ledger_app, name="ledger")
app.command("frame")(frame_outputs)
forecast_commands(app)
cell_commands(batch_app)
batch_edits(batch_app)


def _version(wanted: bool) -> None:
    if wanted:
        sys.stdout.write(f"chronocast {__version__}\n")
        raise typer.Exit


@app.callback()
def _all(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    pass


@app.command()
def demo(
    to: Annotated[
        Path | None, typer.Option(help="Copy it into this folder instead of the data folder.")
    ] = None,
    window: Annotated[bool, typer.Option(help="Open the desktop on it.")] = True,
    house: Annotated[
        bool, typer.Option("--house", help="With four stand-ins for workstations, on this machine.")
    ] = False,
) -> None:
    """A fresh copy of the demo: an aquarium's exhibition films. Its batch path is printed."""
    from chronocast.demo.copy import copy_demo

    try:
        path = begin_demo_house(to) if house else copy_demo(to)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    sys.stdout.write(f"{path}\n")
    sys.stdout.flush()
    if window:
        try:
            from chronocast.ui.app import main as desktop
        except ImportError as error:
            complain(
                f"The desktop can't be opened: {error}. Run ./run again: it says what is missing, and installs it where it may.",
                WRONG_USE,
            )

        raise typer.Exit(desktop(str(path)))
    if house:
        wait_for_the_end()


@app.command()
def inspect(
    paths: Annotated[
        list[Path], typer.Argument(help="Media files, timeline files or folders.", metavar="PATH...")
    ],
    rate: Annotated[
        str | None,
        typer.Option(help="Frames per second of edit lists and numbered images, which don't say theirs."),
    ] = None,
    json_: Json = False,
) -> None:
    """Facts and problems of media and timeline files."""
    from chronocast.cli.inspecting import inspect_paths, print_sources

    found = inspect_paths(paths, rate)
    if json_:
        put({"version": 1, "sources": found})
    else:
        print_sources(found)
    if any(source["unusable"] for source in found):
        raise typer.Exit(NEEDS_YOU)


@batch_app.command("new")
def batch_new(
    file: Annotated[Path, typer.Argument(help="The batch file to make, NAME.batch.json.", metavar="FILE")],
    source: Annotated[
        list[Path], typer.Option(help="A media file, timeline file or folder; may be given more than once.")
    ],
    recipe: Annotated[
        list[str], typer.Option(help="A recipe's id (see: recipes list); may be given more than once.")
    ],
    to: Annotated[Path, typer.Option(help="The folder the files go to.")],
    range_: Annotated[
        list[str] | None,
        typer.Option(
            "--range", help="NAME=IN..OUT in timecode or frames; outputs are made of it instead of the whole."
        ),
    ] = None,
    title: Annotated[str, typer.Option(help="The batch's title.")] = "",
    rate: Annotated[
        str | None,
        typer.Option(help="Frames per second of edit lists and numbered images, which don't say theirs."),
    ] = None,
    search: Annotated[
        list[Path] | None,
        typer.Option(help="A folder to look for missing media in; may be given more than once."),
    ] = None,
    json_: Json = False,
) -> None:
    """Make a batch: every source × every recipe."""
    from chronocast.cli.batch.making import make_batch

    try:
        batch, refused = make_batch(
            file, source, recipe, to=to, ranges=range_ or [], title=title, rate=rate, search=search
        )
    except ChronocastError as error:
        complain(error, WRONG_USE)
    for item in refused:
        sys.stderr.write(f"{item}\n")
    if json_:
        put(
            {
                "version": 1,
                "batch": str(file),
                "outputs": [output.id for output in batch.outputs],
                "refused": [str(r) for r in refused],
            }
        )
    else:
        from chronocast.model.show import counted

        sys.stdout.write(
            f"{file}: {counted(len(batch.sources), 'source')}, {counted(len(batch.recipes), 'recipe')}, {counted(len(batch.outputs), 'output')}\n"
        )
    if refused:
        raise typer.Exit(NEEDS_YOU)


@batch_app.command("names")
def batch_names(
    batch: BatchPath,
    pattern: Annotated[
        str, typer.Option(help="Words and tokens: {source} {range} {recipe} {version} {counter} {date}.")
    ] = "",
    edition: Annotated[int, typer.Option("--version", help="What {version} says.")] = 0,
    look: Annotated[bool, typer.Option("--look", help="Only say what the files would be called.")] = False,
    json_: Json = False,
) -> None:
    """How files are named: say or change the pattern; every name is listed."""
    from chronocast.cli.batch.making import name_files

    try:
        files = name_files(load(batch), batch, pattern, edition, look)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    if json_:
        put({"version": 1, "files": files})
    else:
        sys.stdout.write("".join(f"{name}\n" for name in files.values()))


@batch_app.command("relink")
def batch_relink(
    batch: BatchPath,
    search: Annotated[
        list[Path] | None, typer.Option(help="A folder to look in; may be given more than once.")
    ] = None,
    name: Annotated[
        list[str] | None,
        typer.Option("--file", help="NAME=FILE: the file that stands for a name in the sequence."),
    ] = None,
    source: Annotated[str, typer.Option(help="The sequence that --file is about.")] = "",
    json_: Json = False,
) -> None:
    """Find missing media: by name, fingerprint, timecode and length. What is found stays relinked."""
    from chronocast.cli.batch.cutting import relink_batch

    try:
        done = relink_batch(load(batch), batch, search or [], source, name)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    if json_:
        put(done)
    else:
        for wanted, place in done["found"].items():
            sys.stdout.write(f"{wanted} → {place}\n")
        for wanted in done["missing"]:
            sys.stdout.write(f"missing: {wanted}\n")
    if done["missing"]:
        raise typer.Exit(NEEDS_YOU)


@batch_app.command("take")
def batch_take(
    batch: BatchPath,
    source: Annotated[
        list[str] | None, typer.Option(help="Only this sequence; may be given more than once.")
    ] = None,
    look: Annotated[bool, typer.Option("--look", help="Only say what it would do.")] = False,
    json_: Json = False,
) -> None:
    """Take the new cut of sequences that changed on disk; says which outputs and pieces change."""
    from chronocast.cli.batch.cutting import take_cuts

    try:
        done = take_cuts(load(batch), batch, source or [], look)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    if json_:
        put(done)
        return
    if not done["sources"]:
        sys.stdout.write("No sequence has changed.\n")
    for item in done["outputs"]:
        told = item["problem"] or (
            f"{item['pieces'][1]} pieces, {item['same']} as before; {item['frames'][0]} frames become {item['frames'][1]}"
            if item["changed"]
            else "as before"
        )
        sys.stdout.write(f"{item['output']}: {told}\n")


@batch_app.command("cuts")
def batch_cuts(
    batch: BatchPath,
    to: Annotated[Path, typer.Option(help="The folder the files go to.")],
    edl: Annotated[
        bool, typer.Option("--edl", help="Write CMX 3600 edit lists too, one a picture track.")
    ] = False,
) -> None:
    """Write the cut of every source and range as OTIO."""
    from chronocast.preparation.cuts import write_cuts

    try:
        made = write_cuts(load(batch), batch, to, workspace(), edl)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    for path in made.files:
        sys.stdout.write(f"{path}\n")
    if made.left_out:
        complain("\n".join((*made.left_out, "Their cuts are in the OTIO files.")), NEEDS_YOU)


@app.command()
def render(
    batch: BatchPath,
    json_: Annotated[
        bool, typer.Option("--json", help="One JSON object a line; the last is “ended”.")
    ] = False,
    detach: Annotated[
        bool, typer.Option("--detach", help="Leave the run to itself; see it with: status.")
    ] = False,
    replace: Annotated[bool, typer.Option("--replace", help="Replace files of the same name.")] = False,
    any_room: Annotated[
        bool, typer.Option("--any-room", help="Leave nothing free on purpose: fill drives to the last byte.")
    ] = False,
    hub: Annotated[str, typer.Option(help="Of the house that helps; the one this machine belongs to.")] = "",
    before_others: Annotated[
        bool, typer.Option("--before-others", help="Have four times the share of the house's stations.")
    ] = False,
    after_others: Annotated[
        bool, typer.Option("--after-others", help="Have a quarter of the share of the house's stations.")
    ] = False,
    alone: Annotated[bool, typer.Option("--alone", help="On this machine only.")] = False,
) -> None:
    """Render a batch and prove every file. Ctrl-C stops; what is finished is kept."""
    from chronocast.journal.places import config_folder, state_folder
    from chronocast.journal.station.house import HouseStore
    from chronocast.run.client import begin_run, with_house

    loaded = load(batch)
    if before_others and after_others:
        complain("A run can't come before others and after them. Leave one of the two out.", WRONG_USE)
    rank = "before others" if before_others else "after others" if after_others else "as others"
    try:
        journal = begin_run(
            loaded,
            batch,
            {
                "replace": replace,
                "any_room": any_room,
                "space_wait_seconds": 3600.0 if detach else 0.0,
                **with_house(HouseStore(config_folder(), state_folder()), hub, alone),
                "rank": rank,
            },
        )
    except ChronocastError as error:
        complain(error, NEEDS_YOU if loaded.outputs else WRONG_USE)
    if detach:
        if json_:
            put({"version": 1, "run": str(journal)})
        else:
            sys.stdout.write(f"Rendering goes on by itself. See it with: chronocast status {batch}\n")
        return
    from chronocast.cli.rendering import follow  # while the runner prepares

    raise typer.Exit(follow(journal, json_))


def _journal(batch: Path) -> Path:
    from chronocast.run.client import last_run

    load(batch)
    journal = last_run(batch)
    if journal is None:
        complain(f"{batch} has not been rendered yet. Begin with: chronocast render {batch}", NEEDS_YOU)
    return journal


@app.command()
def status(batch: BatchPath, json_: Json = False) -> None:
    """How the last run of a batch is going, or how it went."""
    from chronocast.cli.rendering import print_status, view_of

    view = view_of(_journal(batch))
    if json_:
        put(view.as_json())
    else:
        print_status(view)
    if any(output.state == "needs you" for output in view.outputs.values()) or not (
        view.outcome or view.lives
    ):
        raise typer.Exit(NEEDS_YOU)


def _ask(batch: Path, kind: str, said: str, outputs: list[str] | None = None) -> None:
    from chronocast.run.client import ask

    try:
        accepted, sentence = ask(_journal(batch), kind, {"outputs": outputs} if outputs else {})
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    if not accepted:
        complain(sentence, NEEDS_YOU)
    sys.stdout.write(f"{said}\n")


@app.command()
def pause(batch: BatchPath) -> None:
    """Freeze a run where it is; nothing is lost."""
    _ask(batch, "pause", "Paused.")


@app.command()
def resume(batch: BatchPath) -> None:
    """Let a paused run go on; take up one whose runner went away."""
    from chronocast.run.client import start_runner
    from chronocast.run.runner_lock import runner_lives

    journal = _journal(batch)
    if not runner_lives(journal):
        from chronocast.cli.rendering import view_of

        if view_of(journal).outcome:
            complain("That run has ended. Begin another with: chronocast render", NEEDS_YOU)
        start_runner(journal)
        sys.stdout.write("It goes on.\n")
        return
    _ask(batch, "resume", "Going on.")


@app.command()
def stop(
    batch: BatchPath,
    output: Annotated[
        list[str] | None, typer.Option(help="Only this output; may be given more than once.")
    ] = None,
) -> None:
    """Stop a run, or some of its outputs. Finished files and pieces are kept."""
    from chronocast.run.client import stop_run

    if output:
        _ask(batch, "stop", "Stopped.", output)
        return
    try:
        sys.stdout.write(f"{stop_run(_journal(batch))}\n")
    except ChronocastError as error:
        complain(error, NEEDS_YOU)


@app.command()
def check(
    path: Annotated[Path, typer.Argument(help="A batch, or a finished file.", metavar="BATCH|FILE")],
    recipe: Annotated[str, typer.Option(help="The recipe a single file should follow.")] = "",
    card: Annotated[list[str] | None, typer.Option("--card", help="A receiver card to judge it by.")] = None,
    json_: Json = False,
) -> None:
    """Prove finished files again, by decoding them to the end."""
    from chronocast.cli.checking import check_batch, check_file, print_files

    try:
        if path.name.endswith(".batch.json"):
            files = check_batch(load(path), path)
        else:
            files = [check_file(path, recipe, card)]
    except ChronocastError as error:
        complain(error, WRONG_USE)
    if json_:
        put({"version": 1, "files": files})
    else:
        print_files(files)
    if not all(file["ok"] for file in files):
        raise typer.Exit(NEEDS_YOU)


@app.command()
def reserve(
    size: Annotated[str, typer.Argument(help="How much to leave free on every drive, as 2 GB.")] = "",
) -> None:
    """How much is left free on every drive on purpose; on small drives at most a twentieth of it."""
    from chronocast.journal.settings import load_settings, save_settings
    from chronocast.model.recipe.typed import parse_bytes
    from chronocast.model.show import size_text

    try:
        if size:
            save_settings(load_settings().model_copy(update={"reserve_bytes": parse_bytes(size)}))
    except ChronocastError as error:
        complain(error, WRONG_USE)
    sys.stdout.write(f"{size_text(load_settings().reserve_bytes)} are left free on every drive\n")


@app.command()
def calibrate() -> None:
    """Measure this machine's pace (under half a minute)."""
    from chronocast.crew.local.calibrate import calibrate as measure

    pace = measure(workspace().paces, lambda what: print(f"{what}…", file=sys.stderr))
    sys.stdout.write(f"H.264 medium: {1 / pace.encode:.1f} million pixels a second on each slot\n")


@app.command()
def shots(
    folder: Annotated[Path, typer.Argument(help="Where the pictures go.", metavar="DIR")],
) -> None:
    """Pictures of every main view, from a run of the demo made seconds before."""
    from chronocast.ui.screenshots import take_shots

    raise typer.Exit(take_shots(folder))


def main() -> None:
    """The command line.  No traceback reaches a person: it goes to the log, a sentence says what to do."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):  # names of files are bytes, and not always text
            stream.reconfigure(errors="backslashreplace")
    try:
        app()
    except ChronocastError as error:
        sys.stderr.write(f"{error}\n")
        sys.exit(NEEDS_YOU)
    except BrokenPipeError:
        sys.exit(NEEDS_YOU)
    except Exception as error:
        sys.stderr.write(f"{_logged(error)}\n")
        sys.exit(NEEDS_YOU)


def _logged(error: Exception) -> str:
    """Write what nobody caught to the log; a sentence about it."""
    import logging

    from chronocast.journal.places import state_folder

    said = f"This command failed ({type(error).__name__}: {error})."
    path = state_folder() / "logs" / "command.log"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        logging.basicConfig(filename=path, format="%(asctime)s %(levelname)s %(message)s", force=True)
        logging.error("%s", sys.argv, exc_info=error)
    except OSError:
        return f"{said} The log in {path.parent} can't be written."
    return f"{said} Nothing was changed by it that it did not say; the detail is in {path}."
