"""Every command of the desktop, one row each: menus, finder, keys, documentation and tests read this table.

What a command does is found by its id among the actions that places and the
desk's parts offer (``commands()``).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

PLAN, RANGE, RECIPE, RUN, CHECK, HOUSE = "Plan", "Range", "Recipe", "Run", "Check", "House"
PLACES = (PLAN, RANGE, RECIPE, RUN, CHECK, HOUSE)
When = Literal["", "can undo", "can redo"]
Actions = Mapping[str, Callable[[], object]]
"""What commands do, by their ids."""


@dataclass(frozen=True)
class Command:
    """One command.

    Parameters
    ----------
    id
        What its action is found by: a group and a verb.
    menu
        The menu it is in; a line stands above it where ``apart``.
    words
        What it is called everywhere.
    key
        Its shortcut, as Qt writes keys.
    places
        Where it can be used; everywhere if none is named.
    at
        Whose own menu has it, too: a *cell*'s or a *column*'s of the grid.
    when
        A condition that has to hold besides.
    also
        Other words that people look for it by.
    """

    id: str
    menu: str
    words: str
    key: str = ""
    places: tuple[str, ...] = ()
    at: tuple[Literal["cell", "column"], ...] = ()
    when: When = ""
    apart: bool = False
    also: str = ""

    def can_be_used(self, place: str, holds: frozenset[str]) -> bool:
        """Whether it can be used in a place while some conditions hold."""
        return (not self.places or place in self.places) and (not self.when or self.when in holds)


def _range(identifier: str, words: str, key: str) -> Command:
    return Command(f"range.{identifier}", "Range", words, key, (RANGE,))


def _recipe(identifier: str, words: str, key: str = "") -> Command:
    return Command(f"recipe.{identifier}", "Recipes", words, key, (RECIPE,))


def _cells(
    identifier: str, words: str, key: str = "", at: tuple[Literal["cell", "column"], ...] = ("cell",)
) -> Command:
    return Command(f"plan.{identifier}", "Recipes", words, key, (PLAN,), at)


COMMANDS: tuple[Command, ...] = (
    Command("batch.new", "Batch", "New batch", "Ctrl+N"),
    Command("batch.open", "Batch", "Open batch…", "Ctrl+O"),
    Command("batch.rename", "Batch", "Rename the batch…", also="title call"),
    Command("batch.move", "Batch", "Move the batch's file…", also="place put save as"),
    Command("batch.save_copy", "Batch", "Save a copy as…", "Ctrl+Shift+S"),
    Command(
        "batch.bring_in_files", "Batch", "Bring in files…", "Ctrl+I", also="import add media sources clips"
    ),
    Command(
        "batch.bring_in_folder", "Batch", "Bring in a folder…", "Ctrl+Shift+I", also="import add media images"
    ),
    Command("batch.open_target", "Batch", "Open the target folder", also="output destination show"),
    Command("batch.choose_target", "Batch", "Target folder…", "Ctrl+T", also="output destination where"),
    Command("batch.choose_reserve", "Batch", "What is left free on every drive…"),
    Command("batch.name_files", "Batch", "How files are named…", "Ctrl+Shift+N", also="file names pattern"),
    Command("batch.search_media", "Batch", "Search a folder for missing media…", "Ctrl+Shift+M"),
    Command("batch.take_cut", "Batch", "Take the new cut of changed sequences…", "Ctrl+Shift+K"),
    Command("batch.write_cuts", "Batch", "Write the cuts as OTIO and edit lists…"),
    Command("window.close", "Batch", "Quit", "Ctrl+Q", apart=True),
    Command("batch.undo", "Edit", "Undo", "Ctrl+Z", when="can undo"),
    Command("batch.redo", "Edit", "Redo", "Ctrl+Shift+Z", when="can redo"),
    Command("plan.find", "Edit", "Find sources", "Ctrl+F", apart=True),
    Command(
        "place.fill",
        "Edit",
        "Ask for what is selected, or clear it",
        "Ctrl+Return",
        (PLAN, RANGE),
        ("cell",),
    ),
    Command(
        "plan.accept_damage", "Edit", "Accept the damage of the selected sources", "", (PLAN,), ("cell",)
    ),
    Command("plan.hold", "Edit", "Hold back what is selected, or release it", "Ctrl+H", (PLAN,), ("cell",)),
    Command("plan.try", "Edit", "Try a few seconds of the selected output…", "Ctrl+Y", (PLAN,), ("cell",)),
    Command(
        "plan.ahead",
        "Edit",
        "Encode what is selected ahead, or stop that",
        "Ctrl+Shift+R",
        (PLAN,),
        ("cell",),
    ),
    Command("plan.make_first", "Edit", "Make the selected outputs first", "Ctrl+Alt+Up", (PLAN,), ("cell",)),
    Command("plan.make_last", "Edit", "Make the selected outputs last", "Ctrl+Alt+Down", (PLAN,), ("cell",)),
    Command("plan.wanted", "Edit", "When the selected outputs are wanted…", "Ctrl+Alt+W", (PLAN,), ("cell",)),
    Command(
        "plan.begin_at", "Edit", "When the selected outputs may be begun…", "Ctrl+Alt+B", (PLAN,), ("cell",)
    ),
    Command("plan.any_station", "Edit", "Have any station make the selected outputs", "", (PLAN,), ("cell",)),
    Command(
        "plan.next_wish", "Edit", "The next of the three orders files are made in", "Ctrl+Alt+O", (PLAN,)
    ),
    Command("plan.rehearse", "Edit", "Rehearse the night, or back to the plan", "Ctrl+Alt+N", (PLAN,)),
    Command(
        "plan.fold",
        "Edit",
        "Fold the ranges of the selected sources, or unfold them",
        "Ctrl+L",
        (PLAN,),
        ("cell",),
    ),
    Command(
        "place.remove",
        "Edit",
        "Remove what is selected",
        "Ctrl+Delete",
        (PLAN, RANGE),
        ("cell",),
    ),
    Command("run.begin", "Run", "Begin", "Ctrl+R", also="render start export make"),
    Command("run.begin_replacing", "Run", "Begin, replacing files of the same name"),
    Command("run.begin_before_others", "Run", "Begin, before others' work in the house"),
    Command("run.begin_after_others", "Run", "Begin, after others' work in the house"),
    Command("run.pause_or_resume", "Run", "Pause or resume", "Ctrl+P"),
    Command("run.stop", "Run", "Stop", "Ctrl+.", also="cancel end"),
    Command("run.move_up", "Run", "Move the chosen output up", "Alt+Up"),
    Command("run.move_down", "Run", "Move the chosen output down", "Alt+Down"),
    Command("run.make_first", "Run", "Make the chosen output first", "Alt+Home"),
    Command("run.make_last", "Run", "Make the chosen output last", "Alt+End"),
    Command("run.hold", "Run", "Hold the chosen output back, or release it", "Alt+H", also="wait"),
    Command(
        "run.leave_out", "Run", "Leave the chosen output out of the run", "Alt+Delete", also="skip stop one"
    ),
    Command("run.retry", "Run", "Try again what needs you"),
    Command("run.proxies", "Run", "Make proxies, or stop that"),
    Command("run.measure", "Run", "Measure this machine again"),
    Command("house.learn_anew", "Run", "Learn this machine's pace anew…"),
    Command("house.try_encoders", "Run", "Try this machine's hardware encoders again"),
    Command("house.stand_in", "Run", "Stand-in for a hardware encoder: in, or out"),
    Command("house.tidy_proxies", "Run", "Take away proxies whose film has gone or changed"),
    Command("house.join", "Run", "Join a house of shared workstations…"),
    Command("house.hours", "Run", "When this machine works for its house…"),
    Command("house.give_way", "Run", "Give way for an hour, or go on"),
    Command("house.tidy_stock", "Run", "Make the stock smaller…"),
    Command("run.probe", "Run", "Sharpen the forecast: encode a few pieces ahead", "Ctrl+Shift+P"),
    _cells("open_recipe", "Open the recipe of the selected column", "Ctrl+E", ("cell", "column")),
    _cells("open_cells", "Set exceptions for the selected cells", "Ctrl+Shift+E"),
    _cells("clear_exceptions", "Take the exceptions of the selected cells away"),
    Command(
        "plan.add_column",
        "Recipes",
        "Add a recipe as a column…",
        "Ctrl+Shift+A",
        at=("column",),
        also="preset format new",
    ),
    Command("window.cards", "Recipes", "Receiver cards…", also="card limits delivery demands"),
    _cells("like_the_source", "A recipe that makes files as the selected source is", "Ctrl+Shift+L"),
    _cells("fill_favourite", "Ask for the favourite recipe of the selected sources", "F6"),
    _cells("fill_column", "Fill the selected column", "Ctrl+Shift+D", ("cell", "column")),
    _cells("fill_rows", "Fill the selected rows", "Ctrl+D"),
    _cells("copy_row", "Copy the choices of the selected row", "Ctrl+Shift+C"),
    _cells("paste_row", "Give the selected rows the copied choices", "Ctrl+Shift+V"),
    _cells("move_left", "Move the selected column left", "Ctrl+Shift+Left", ("cell", "column")),
    _cells("move_right", "Move the selected column right", "Ctrl+Shift+Right", ("cell", "column")),
    _cells("remove_column", "Remove the selected column", "Ctrl+Shift+Delete", ("cell", "column")),
    _cells("decide_again", "Look anew for the common quality of the selected outputs"),
    _cells("choose_folder", "A target folder for the selected outputs only…"),
    _recipe("save", "Save the recipe", "Ctrl+S"),
    _recipe("save_as_new", "Save the recipe as new…", "Ctrl+Alt+S"),
    _recipe("reset", "Back to what is saved, or exceptions taken away"),
    _recipe("add_column", "Make the saved recipe a column"),
    _recipe("favourite", "Make the recipe the favourite"),
    _recipe("compare", "Compare the recipe…", "Ctrl+B"),
    _recipe("share", "Share the recipe as a file…"),
    _recipe("bring_in", "Bring in a recipe from a file…"),
    _recipe("remove_column", "Remove the recipe's column"),
    _range("play_or_stand", "Play, or stand", "Space"),
    _range("backwards", "Backwards, faster each time", "J"),
    _range("stand", "Stand", "K"),
    _range("forwards", "Forwards, faster each time", "L"),
    _range("frame_back", "One frame back", "Left"),
    _range("frame_on", "One frame on", "Right"),
    _range("second_back", "One second back", "Shift+Left"),
    _range("second_on", "One second on", "Shift+Right"),
    _range("first_frame", "To the first frame of the source", "Home"),
    _range("last_frame", "To the last frame of the source", "End"),
    _range("edit_before", "To the edit before", "Up"),
    _range("next_edit", "To the next edit", "Down"),
    _range("mark_in", "First picture here", "I"),
    _range("mark_out", "Last picture here", "O"),
    _range("go_to_in", "To the first picture of the range", "Shift+I"),
    _range("go_to_out", "To the last picture of the range", "Shift+O"),
    _range("play_range", "Play the range", "Shift+Space"),
    _range("take", "Take what is marked, beside the whole", "Return"),
    _range("take_instead", "Take what is marked, instead of the whole", "Shift+Return"),
    _range("drop_marks", "Let the marks go", "Escape"),
    _range("mend", "Mend the ends of the range", "M"),
    _range("next_source", "Next source", "N"),
    _range("source_before", "Source before", "Shift+N"),
    _range("next_range", "Next range", "R"),
    _range("range_before", "Range before", "Shift+R"),
    _range("next_file", "Next file of this source", "T"),
    _range("go_to_time", "Go to a time", "G"),
    _range("originals", "Look at originals instead of proxies, or at proxies again", ""),
    _range("switch_framing", "Framing, or first and last", "F"),
    _range("set_centre", "A key of the centre here", "C"),
    _range("zoom_range", "The range closer on the filmstrip", "Z"),
    _range("zoom_all", "All of the source on the filmstrip", "Shift+Z"),
    _range("rename", "Name the range, or what is marked", "F2"),
    _range("split", "One file for each clip…", "Ctrl+Shift+F"),
    _range("write_picks", "Write the ranges of this source as sub-clips…", "Ctrl+Shift+U"),
    *(
        Command(f"go.{name.lower()}", "View", name, f"Ctrl+{number}")
        for number, name in enumerate(PLACES, start=1)
    ),
    Command("plan.lanes_closer", "View", "Lanes closer", "Ctrl+Alt++", (PLAN,), apart=True),
    Command("plan.lanes_wider", "View", "Lanes wider", "Ctrl+Alt+-", (PLAN,)),
    Command("plan.lanes_all", "View", "All of the lanes", "Ctrl+Alt+0", (PLAN,)),
    Command("window.other_theme", "View", "Other theme (Ink, Paper)", "Ctrl+Shift+T", apart=True),
    Command("window.larger_text", "View", "Larger text", "Ctrl++"),
    Command("window.usual_text", "View", "Text at its usual size", "Ctrl+0", also="100 %"),
    Command("window.smaller_text", "View", "Smaller text", "Ctrl+-"),
    Command("window.show_pictures", "View", "Show pictures again"),
    Command("window.find_command", "View", "Find a command…", "Ctrl+K"),
    Command("window.about", "View", "About Chronocast"),
)


def as_markdown() -> str:
    """The table as a page of the documentation."""
    lines = [
        "# Commands and keys",
        "",
        "Every command is in the *Commands* menu, with its key, and in the finder (Ctrl+K), which takes a few letters",
        "of it. *Where* names the places it can be used in; where nothing stands it can be used everywhere. Made from",
        "the desktop's own table by `tools/commands`.",
    ]
    menus = dict.fromkeys(command.menu for command in COMMANDS)
    for menu in menus:
        lines += ["", f"## {menu}", "", "| command | key | where |", "| --- | --- | --- |"]
        lines += [
            f"| {command.words} | {command.key} | {', '.join(command.places)} |"
            for command in COMMANDS
            if command.menu == menu
        ]
    return "\n".join(lines) + "\n"
