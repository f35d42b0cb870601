"""What *Recipe* says, in plain Python: questions, settings, choices with what they do.  Tested without Qt."""

from __future__ import annotations

from collections.abc import Sequence

from chronocast.model.batch.exceptions import differences
from chronocast.model.recipe.contradictions import (
    level_conflicts,
    rate_conflicts,
)
from chronocast.model.recipe.formats.containers import ending_told
from chronocast.model.recipe.recipe import Recipe, frame_size
from chronocast.model.recipe.wording import label_of, say
from chronocast.model.time.timing import parse_rate
from chronocast.ui.places.recipe.questions.bits import bits_group
from chronocast.ui.places.recipe.questions.picture import picture_group
from chronocast.ui.places.recipe.questions.purpose import purpose_group
from chronocast.ui.places.recipe.questions.sound import sound_group
from chronocast.ui.places.recipe.settings import (
    RecipeModel,
    Seen,
    SettingMaker,
)


def recipe_model(recipes: Sequence[Recipe], saved: Recipe | None, seen: Seen) -> RecipeModel:
    """Everything *Recipe* says of one recipe, or of several together (those of chosen cells)."""
    make = SettingMaker(recipes, saved, seen)
    first = make.first
    groups = [purpose_group(make)]
    if first.picture:
        groups += [picture_group(make), bits_group(make)]
    if first.sound:
        groups.append(sound_group(make))
    found = list(make.found)
    if first.picture and not found:
        out = frame_size(first.picture.size, seen.width, seen.height, multiple=first.picture.kind.multiple)
        rate = parse_rate(first.picture.rate) if first.picture.rate else seen.rate
        found += level_conflicts(first.picture, *out, rate) + rate_conflicts(first, rate)
    told = (
        tuple(
            f"{label_of(name)}: {say(name, a)}, saved {say(name, b)}"
            for name, a, b in differences(first, saved)
        )
        if saved
        else ()
    )
    ending = ending_told(first.container, first.picture.codec if first.picture else None)
    return RecipeModel(tuple(groups), tuple(found), told, make.now, ending)
