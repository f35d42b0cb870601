"""What a setting of *Recipe* is: values that the form shows, and how they are made from recipes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from chronocast.forecast.weigh import Weighed, against, weigh
from chronocast.model.batch.columns import MIXED, common
from chronocast.model.batch.exceptions import differences, replaced
from chronocast.model.device import TriedEncoder
from chronocast.model.errors import ModelError
from chronocast.model.recipe.contradictions import (
    Conflict,
    conflicts,
)
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.time.timing import Rate

BITS = "picture.rate_control.target_bits_per_second"


PEAK = "picture.rate_control.peak_bits_per_second"


BUFFER = "picture.rate_control.buffer_bits"


QUALITY = "picture.rate_control.quality"


MODE = "picture.rate_control.mode"


@dataclass(frozen=True)
class Choice:
    """One thing that can be chosen: the fields it sets, its words, what it does to size and time, or why it can't be had."""

    words: str
    values: Mapping[str, Any]
    effect: str = ""
    why: str = ""


@dataclass(frozen=True)
class Setting:
    """One setting: choices, or a line to type in.  ``told`` says what it does to time, size and look."""

    key: str
    label: str
    told: str
    choices: tuple[Choice, ...] = ()
    chosen: int = -1
    kind: Literal["choices", "bits", "number", "seconds", "text", "size", "languages"] = "choices"
    text: str = ""
    changed: bool = False
    mixed: bool = False
    wrong: str = ""

    @property
    def shape(self) -> tuple[Any, ...]:
        """What a widget for it depends on."""
        return (self.key, self.kind, len(self.choices))


@dataclass(frozen=True)
class Group:
    """Settings under one question."""

    question: str
    settings: tuple[Setting, ...]


@dataclass(frozen=True)
class RecipeModel:
    """All that is said of a recipe, or of the recipes of some cells together."""

    groups: tuple[Group, ...]
    conflicts: tuple[Conflict, ...] = ()
    differences: tuple[str, ...] = ()
    weighed: Weighed | None = None
    extension: str = ""
    mixed: tuple[str, ...] = field(default=())

    def setting(self, key: str) -> Setting | None:
        return next((item for group in self.groups for item in group.settings if item.key == key), None)


@dataclass(frozen=True)
class Seen:
    """The source that consequences are told for: its size and rate; and the hardware encoders of this machine."""

    width: int = 1280
    height: int = 720
    rate: Rate = field(default_factory=lambda: Rate(25))
    devices: tuple[TriedEncoder, ...] = ()


class SettingMaker:
    """Settings of some recipes: the first stands for all where consequences are told."""

    def __init__(self, recipes: Sequence[Recipe], saved: Recipe | None, seen: Seen) -> None:
        # many cells are made by few recipes: each is looked at once
        self.recipes = list({id(recipe): recipe for recipe in recipes}.values())
        self.saved, self.seen, self.first = saved, seen, recipes[0]
        self.now = self.weighed(self.first)
        self.found = conflicts(self.first)
        self.changed_fields = {name for name, _, _ in differences(self.first, saved)} if saved else set()

    def weighed(self, recipe: Recipe) -> Weighed:
        return weigh(recipe, self.seen.width, self.seen.height, self.seen.rate)

    def effect(self, values: Mapping[str, Any]) -> str:
        """What a choice does to size and time against what is now."""
        try:
            return against(self.weighed(replaced(self.first, values)), self.now)
        except (ModelError, ValueError, ZeroDivisionError):
            return ""

    def _is(self, values: Mapping[str, Any]) -> bool:
        return all(
            _same(common(self.recipes, name), value)
            for name, value in values.items()
            if not name.startswith("+")
        )

    def changed(self, fields: Sequence[str]) -> bool:
        return any(
            name == item or name.startswith(item + ".") for item in fields for name in self.changed_fields
        )

    def wrong(self, fields: Sequence[str]) -> str:
        return next(
            (
                item.sentence
                for item in self.found
                if any(item.field == name or name.startswith(item.field) for name in fields)
            ),
            "",
        )

    def choices(
        self,
        key: str,
        label: str,
        told: str,
        *,
        options: Sequence[tuple[str, Mapping[str, Any]]],
        why: Mapping[str, str] | None = None,
        weighed: bool = True,
    ) -> Setting:
        """A setting of a few choices."""
        fields = list(
            dict.fromkeys(name for _, values in options for name in values if not name.startswith("+"))
        )
        mixed = any(common(self.recipes, name) is MIXED for name in fields)
        made, chosen = [], -1
        for number, (words, values) in enumerate(options):
            clean = {name.removeprefix("+"): value for name, value in values.items()}
            if chosen < 0 and not mixed and self._is(values):
                chosen = number
            reason = (why or {}).get(words, "")
            made.append(
                Choice(
                    words,
                    clean,
                    self.effect(clean) if weighed and not reason and chosen != number else "",
                    reason,
                )
            )
        return Setting(
            key,
            label,
            told,
            tuple(made),
            chosen,
            changed=self.changed(fields),
            mixed=mixed,
            wrong=self.wrong(fields),
        )

    def line(self, key: str, label: str, told: str, kind: Any, say: Any = str) -> Setting:
        """A setting to type."""
        value = common(self.recipes, key)
        mixed = value is MIXED
        return Setting(
            key,
            label,
            told,
            kind=kind,
            text="" if mixed or value in (None, ()) else say(value),
            changed=self.changed([key]),
            mixed=mixed,
            wrong=self.wrong([key]),
        )


def _same(one: Any, two: Any) -> bool:
    return one is not MIXED and (list(one) if isinstance(one, tuple) else one) == (
        list(two) if isinstance(two, tuple) else two
    )
