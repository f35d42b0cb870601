"""A source that can be used: its cut, the facts of its media, and the plans made of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

from chronocast.model.batch.batch import Framing, Source
from chronocast.model.picture.geometry import Centre, View
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.facts import ClipFacts
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.plan import OutputPlan, plan_output
from chronocast.pieces.rounds import Rounds
from chronocast.timeline.described import Note, Timeline


@dataclass(frozen=True)
class SourceReady:
    """A source that can be used: its cut list, and the facts of its media by path."""

    source: Source
    path: Path
    cut: CutList
    facts: dict[str, ClipFacts]
    title: str
    notes: tuple[Note, ...] = ()
    timeline: Timeline | None = None
    moved: dict[str, str] = field(default_factory=dict)
    mark: str = ""
    present: str = ""
    plans: dict[tuple[str, ...], OutputPlan] = field(default_factory=dict, compare=False, repr=False)

    def plan(
        self, part: FrameRange, recipe: Recipe, framing: Framing | None, rounds: Rounds | None = None
    ) -> OutputPlan:
        """The plan of an output of it; worked out once for as long as the source stays as it is.

        Parameters
        ----------
        part
            The range, in frames of the source.
        recipe
            What it is made by.
        framing
            How it is framed.
        rounds
            What was decided so far.

        Raises
        ------
        MediaError
            No encoder for it is here.
        """
        key = (
            str(part),
            recipe.model_dump_json(include={"container", "picture", "sound"}),
            framing.model_dump_json() if framing else "",
            str(self.damage_accepted),
            rounds.model_dump_json() if rounds else "",
        )
        if key not in self.plans:
            view = framing_view(framing, recipe)
            self.plans[key] = plan_output(
                self.cut,
                part,
                recipe,
                view=view,
                rounds=rounds,
                accept_damage=self.damage_accepted,
                facts=self.facts,
            )
        return self.plans[key]

    @property
    def damage_accepted(self) -> bool:
        """Whether a person has accepted what is damaged in its media, whatever that turns out to be."""
        return bool(self.source.accepted) and all(
            facts.fingerprint in self.source.accepted for facts in self.facts.values() if facts.damage
        )

    @property
    def changed(self) -> bool:
        """Whether its timeline file is another than the one whose cut is used."""
        return self.present != self.mark


def framing_view(framing: Framing | None, recipe: Recipe) -> View:
    """How an output is framed, by its own framing or its recipe's, as numbers that are exact."""
    usual = recipe.picture.framing if recipe.picture else "fit"
    if framing is None:
        return View(placing=usual)
    exact = [
        Fraction(value).limit_denominator(100_000)
        for value in (framing.left, framing.top, framing.right, framing.bottom)
    ]
    centres = tuple(
        Centre(
            frame=frame, x=Fraction(x).limit_denominator(100_000), y=Fraction(y).limit_denominator(100_000)
        )
        for frame, x, y in framing.centres
    )
    return View(
        placing=framing.placing or usual,
        left=exact[0],
        top=exact[1],
        right=exact[2],
        bottom=exact[3],
        centres=centres,
    )
