"""Outputs against receiver cards before they are made: the forecast, offered to the card."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

from chronocast.forecast.band import Band
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.cards.fits import Amount, Offer, State, Verdict, contradictions, judge, worst
from chronocast.model.recipe.contradictions import usual_profile
from chronocast.preparation.forecast.output_outlook import OutputOutlook, together
from chronocast.preparation.problem import Problem


class CardVerdict(NamedTuple):
    """One requirement of a receiver's card, judged."""

    card: ReceiverCard
    verdict: Verdict


@dataclass(frozen=True)
class Judged:
    """One output by all its cards."""

    output: str
    path: Path
    cards: tuple[tuple[ReceiverCard, tuple[Verdict, ...]], ...]
    contradictions: tuple[str, ...] = ()

    @property
    def state(self) -> State:
        """The worst of all requirements; cards that contradict each other break."""
        if self.contradictions:
            return "breaks"
        return worst([verdict for _, verdicts in self.cards for verdict in verdicts])

    @property
    def broken(self) -> list[CardVerdict]:
        """What isn't met, or may not be."""
        return [
            CardVerdict(card, item)
            for card, verdicts in self.cards
            for item in verdicts
            if item.state in ("breaks", "tight")
        ]

    def as_json(self) -> dict[str, Any]:
        """As the command line answers it."""
        return {
            "id": self.output,
            "path": str(self.path),
            "state": self.state,
            "contradictions": list(self.contradictions),
            "cards": [
                {
                    "card": card.id,
                    "name": card.name,
                    "requirements": [
                        {
                            "what": v.what,
                            "state": v.state,
                            "wanted": v.wanted,
                            "have": v.have,
                            "use": v.use,
                            "remedy": v.remedy,
                            "told": v.told,
                        }
                        for v in verdicts
                    ],
                }
                for card, verdicts in self.cards
            ],
        }


def offered(item: OutputOutlook) -> Offer:
    """What an output will be, as its receiver sees it."""
    ready, plan = item.ready, item.ready.plan
    picture, sound = ready.recipe.picture, plan.sound
    common = Offer(
        ready.path.name,
        ready.recipe.container,
        plan.seconds,
        Amount(item.bytes.p10, item.bytes.likely, item.bytes.safe),
    )
    values: dict[str, Any] = dict(common.__dict__)
    if picture is not None:
        values |= {
            "codec": picture.codec,
            "profile": picture.profile or usual_profile(picture),
            "width": plan.width,
            "height": plan.height,
            "rate": plan.rate,
            "scan": picture.scan,
            "peak": picture.peak,
            "buffer": picture.buffer,
            "level": picture.level,
        }
    if sound is not None and ready.recipe.sound is not None:
        values |= {
            "sound_codec": sound.codec,
            "layout": ready.recipe.sound.layout,
            "sample_rate": sound.sample_rate,
        }
    return Offer(**values)


def judge_outputs(outputs: Sequence[OutputOutlook], extra: Sequence[ReceiverCard] = ()) -> tuple[Judged, ...]:
    """Every output with cards, or by those given.  A receiver's room is judged against all its outputs together."""
    found: list[Judged] = []
    wanted = [(item, tuple(extra) or item.ready.cards) for item in outputs]
    theirs: dict[str, list[OutputOutlook]] = {}
    for item, cards in wanted:
        for card in cards:
            if card.limits.free_bytes is not None:
                theirs.setdefault(card.id, []).append(item)
    totals = {card: together(items).bytes for card, items in theirs.items()}
    for item, cards in wanted:
        if not cards:
            continue
        told = []
        for card in cards:
            verdicts = judge(card, offered(item))
            if card.id in totals:
                verdicts = [
                    v if v.what != "room at the receiver" else _room(card, totals[card.id], v)
                    for v in verdicts
                ]
            told.append((card, tuple(verdicts)))
        found.append(Judged(item.ready.output.id, item.ready.path, tuple(told), tuple(contradictions(cards))))
    return tuple(found)


def _room(card: ReceiverCard, total: Band, one: Verdict) -> Verdict:
    from chronocast.model.show import size_text

    free = card.limits.free_bytes or 1
    state: State = "breaks" if total.p10 > free else "tight" if total.safe > free else "fits"
    return Verdict(
        one.what,
        state,
        f"at most {size_text(free)}",
        f"{size_text(total.likely)} for all its files",
        total.likely / free,
        "Ask for less, or send fewer files at a time" if state != "fits" else "",
    )


def refusals(judged: Sequence[Judged]) -> dict[str, str]:
    """Outputs that can't meet their receivers' cards, each with the sentence why and the way out."""
    found = {}
    for item in judged:
        if item.contradictions:
            found[item.output] = f"{item.contradictions[0]} Take one of the cards away."
        elif broken := [(card, verdict) for card, verdict in item.broken if verdict.state == "breaks"]:
            card, verdict = broken[0]
            remedy = (
                f"{verdict.remedy}, or take the card away."
                if verdict.remedy
                else "Change the recipe, or take the card away."
            )
            found[item.output] = (
                f"{card.name} doesn't take it: {verdict.what} is {verdict.have}, wanted {verdict.wanted}. {remedy}"
            )
    return found


def card_problems(judged: Sequence[Judged]) -> list[Problem]:
    """What stands between files and their receivers, said before anything runs."""
    names = {item.output: item.path.name for item in judged}
    found = [Problem(names[name], sentence, output=name) for name, sentence in refusals(judged).items()]
    for item in judged:
        for card, verdict in item.broken:
            if verdict.state == "tight":
                found.append(
                    Problem(
                        item.path.name,
                        f"{card.name} may not take it: {verdict.what} is likely {verdict.have}, wanted {verdict.wanted}.",
                        f"{verdict.remedy}." if verdict.remedy else "",
                        False,
                        output=item.output,
                    )
                )
    return found
