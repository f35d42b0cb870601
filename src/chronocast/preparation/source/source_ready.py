"""A source that can be used: its cut, the facts of its media, and the plans made of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property, lru_cache
from pathlib import Path

from chronocast.media.piece.here import library_version
from chronocast.model.batch.batch import Framing, Source
from chronocast.model.lookup import once_each
from chronocast.model.picture.geometry import Centre, View
from chronocast.model.picture.terms import Placing
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.source.cutlist import CutList
from chronocast.model.source.facts import ClipFacts
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.name import digest
from chronocast.pieces.plan import OutputPlan, plan_output
from chronocast.pieces.rounds import Rounds
from chronocast.timeline.described import Note, Timeline


@dataclass(frozen=True)
class SourceReady:
    """A source that can be used: its cut list, and the facts of its media by path.

    ``proxied`` is the same drawn from proxies, where its films have any; that one has, in
    ``from_proxies``, the paths of each and of its film, and knows its ``original``.
    """

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
    proxied: SourceReady | None = field(default=None, compare=False, repr=False)
    original: SourceReady | None = field(default=None, compare=False, repr=False)
    from_proxies: Mapping[str, str] = field(default_factory=dict)
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
            _made_by(recipe),
            framing.model_dump_json() if framing else "",
            str(self.damage_accepted),
            rounds.model_dump_json() if rounds else "",
            library_version(recipe.picture.encoder) if recipe.picture and recipe.picture.encoder else "",
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

    def drawn_for(self, recipe: Recipe) -> SourceReady:
        """The source as a recipe wants it drawn: from proxies where there are any, or from originals."""
        wanted = recipe.picture is not None and recipe.picture.drawn == "proxies"
        return (self.proxied if wanted else self.original) or self

    @cached_property
    def film(self) -> str:
        """What is shown, by its media: of one that is drawn from proxies, by their films."""
        cut = (self.original or self).cut
        return digest({"media": sorted(media.fingerprint for media in cut.media)})[:16]

    @cached_property
    def films(self) -> dict[str, ClipFacts]:
        """The facts of what its media show, by path: of a proxy, those of its film."""
        return self.facts | {proxy: self.facts[film] for proxy, film in self.from_proxies.items()}

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


@once_each
def _made_by(recipe: Recipe) -> str:
    """All of a recipe that a plan follows from."""
    return recipe.model_dump_json(include={"container", "picture", "sound"})


@lru_cache
def _as_usual(placing: Placing) -> View:
    return View(placing=placing)


def framing_view(framing: Framing | None, recipe: Recipe) -> View:
    """How an output is framed, by its own framing or its recipe's, as numbers that are exact."""
    usual = recipe.picture.framing if recipe.picture else "fit"
    if framing is None:
        return _as_usual(usual)
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
