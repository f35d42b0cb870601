"""What can be done in *Range*, each with its words and its key."""

from __future__ import annotations

from collections.abc import Callable

from chronocast.ui.places.range.place import RangePlace

Key = tuple[str, str, Callable[[], object]]


def range_keys(place: RangePlace, write_picks: Callable[[], object]) -> tuple[Key, ...]:
    """Words, key and deed of every command of the place."""
    player = place.player
    return (
        ("Play, or stand", "Space", player.play_or_stand),
        ("Backwards, faster each time", "J", lambda: player.faster(-1)),
        ("Stand", "K", player.stand),
        ("Forwards, faster each time", "L", lambda: player.faster(1)),
        ("One frame back", "Left", lambda: player.step(-1)),
        ("One frame on", "Right", lambda: player.step(1)),
        ("One second back", "Shift+Left", lambda: place.step_seconds(-1)),
        ("One second on", "Shift+Right", lambda: place.step_seconds(1)),
        ("To the first frame of the source", "Home", lambda: player.go(0)),
        ("To the last frame of the source", "End", lambda: player.go(player.shuttle.frames - 1)),
        ("To the edit before", "Up", lambda: place.step_edit(-1)),
        ("To the next edit", "Down", lambda: place.step_edit(1)),
        ("First picture here", "I", place.mark_in),
        ("Last picture here", "O", place.mark_out),
        ("To the first picture of the range", "Shift+I", lambda: place.go_to_end(False)),
        ("To the last picture of the range", "Shift+O", lambda: place.go_to_end(True)),
        ("Play the range", "Shift+Space", place.play_range),
        ("Take what is marked, beside the whole", "Return", place.take),
        ("Take what is marked, instead of the whole", "Shift+Return", lambda: place.take(True)),
        ("Let the marks go", "Escape", place.drop_marks),
        ("Mend the ends of the range", "M", place.mend),
        ("Next source", "N", lambda: place.next_source(1)),
        ("Source before", "Shift+N", lambda: place.next_source(-1)),
        ("Next range", "R", lambda: place.next_range(1)),
        ("Range before", "Shift+R", lambda: place.next_range(-1)),
        ("Next file of this source", "T", lambda: place.next_file(1)),
        ("Go to a time", "G", lambda: place.begin_typing("")),
        ("Framing, or first and last", "F", lambda: place.framing.switch(not place.standing.framing)),
        ("A key of the centre here", "C", lambda: place.framing.set_key(True)),
        ("The range closer on the filmstrip", "Z", place.zoom_range),
        ("All of the source on the filmstrip", "Shift+Z", place.parts.film.zoom_all),
        ("Rename the range", "F2", place.parts.name.setFocus),
        ("One file for each clip…", "Ctrl+Shift+F", place.split),
        ("Write the ranges of this source as sub-clips…", "Ctrl+Shift+U", write_picks),
    )  # fmt: skip
