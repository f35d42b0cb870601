"""Why nothing of an output can be kept: in which settings it differs from what was made of the same source last."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from chronocast.model.batch.exceptions import differences
from chronocast.model.paths import path_text
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.recipe.wording import label_of, say
from chronocast.preparation.output.output_ready import OutputReady

if TYPE_CHECKING:  # its library takes long to import
    from chronocast.journal.station.ledger import MadeFile

SHOWN = 3


def why_nothing_kept(ready: OutputReady, made: Sequence[MadeFile]) -> str:
    """What is other than when the source was made last, by the recipe that is nearest; "" where it never was.

    Parameters
    ----------
    ready
        The output, planned; none of its pieces is in the stock.
    made
        Files that were made, the newest first.
    """
    source, wanted = path_text(ready.source.path), ready.asked or ready.recipe
    found: list[tuple[int, str]] = []
    for item in made:
        if item.source != source or not item.recipe:
            continue
        try:
            other = Recipe.model_validate(item.recipe)
        except ValueError:
            continue
        if other.picture is None:
            continue
        changed = [
            (name, was, now) for name, now, was in differences(wanted, other) if name.startswith("picture")
        ]
        if not changed:
            return f"by the settings of {other.title} it was made before; its picture, its range or an encoder is another now"
        told = ", ".join(
            f"{label_of(name)} {say(name, was)}, now {say(name, now)}" for name, was, now in changed[:SHOWN]
        )
        more = f" and {len(changed) - SHOWN} more" if len(changed) > SHOWN else ""
        found.append((len(changed), f"{other.title} was made with {told}{more}"))
    return min(found, default=(0, ""), key=lambda item: item[0])[1]
