"""*What is it for?*: what a file carries, and in which container."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.ui.places.recipe.settings import (
    Choice,
    Group,
    Setting,
    SettingMaker,
)


def purpose_group(make: SettingMaker) -> Group:
    """What a file carries, and in which container."""
    first = make.first
    whole: Mapping[str, Any] = {"picture": {}, "container": "mp4", "sound": {}}
    options: list[tuple[str, Mapping[str, Any]]] = [
        ("picture and sound", {}),
        ("picture only", {"sound": None}),
        ("sound only", {"picture": None, "container": "wav", "sound": {"codec": "pcm"}}),
    ]
    chosen = 2 if first.picture is None else 1 if first.sound is None else 0
    made = []
    for number, (words, values) in enumerate(options):
        if number == 0 and chosen:
            values = {"sound": {}} if chosen == 1 and CONTAINERS[first.container].sound else whole
        if number == 1 and chosen == 2:
            values = {"picture": {}, "sound": None, "container": "mp4"}
        made.append(Choice(words, values, make.effect(values) if number != chosen else ""))
    carries = Setting(
        "carries",
        "Carries",
        "Nothing is left out by accident: no sound and no picture are choices.",
        tuple(made),
        chosen,
        changed=make.changed(["picture", "sound"])
        and make.saved is not None
        and (
            (make.saved.picture is None) != (first.picture is None)
            or (make.saved.sound is None) != (first.sound is None)
        ),
    )
    picture, sound = (
        first.picture.codec if first.picture else None,
        first.sound.codec if first.sound else None,
    )
    why = {}
    options = []
    for box in CONTAINERS.values():
        if bool(box.picture) != bool(picture):
            continue
        options.append((f"{box.name}  {box.extension or 'folder'}", {"container": box.id}))
        if picture and picture not in box.picture:
            why[options[-1][0]] = f"{box.name} doesn't hold {PICTURE[picture].name}"
        elif sound and sound not in box.sound:
            why[options[-1][0]] = (
                f"{box.name} doesn't hold {SOUND[sound].name}" if box.sound else f"{box.name} hold no sound"
            )
    container = make.choices(
        "container",
        "Container",
        "The kind of file, and with it its extension; it costs nothing in time and next to nothing in size.",
        options=options,
        why=why,
        weighed=False,
    )
    return Group("What is it for?", (carries, container))
