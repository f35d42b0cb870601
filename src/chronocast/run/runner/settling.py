"""What is decided for a whole output once its pieces are there: its common quality, and that it keeps its peak."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from chronocast.forecast.container import container_bytes
from chronocast.journal.batches.rounds_store import RoundsStore
from chronocast.media.piece.settings import FULLNESS
from chronocast.model.cards.bucket import overruns
from chronocast.model.show import rate_bits_text
from chronocast.pieces.rounds import (
    LEAST_BEGUN,
    MOST_EASED,
    Made,
    Rounds,
    Step,
    after_an_edit,
    sample,
    settle,
)
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import OutputReady


@dataclass(frozen=True)
class Decided:
    """``ready`` is the output as it is now to be made; ``again`` whether pieces of it have to be made anew.

    ``refused`` is a sentence where what was asked for can't be had, with what can.
    """

    ready: OutputReady
    again: bool
    sentence: str = ""
    refused: str = ""


def wanted_pieces(ready: OutputReady) -> tuple[str, ...]:
    """Names of the pieces that are made next: all of them, or a sample while a quality is first looked for."""
    names = [piece.name for piece in ready.plan.pieces]
    if ready.searching and (ready.rounds is None or ready.rounds.sampling):
        return tuple(names[n] for n in sample(len(names)))
    return tuple(names)


def decide(ready: OutputReady, stock: Stock, store: RoundsStore) -> Decided:
    """After all wanted pieces of an output were made: whether they will do, else what is tried next.

    What is decided is kept before it is acted on, so that a runner that is killed goes on from there.

    Parameters
    ----------
    ready
        The output, planned.
    stock
        Where finished pieces are.
    store
        What was decided for outputs.
    """
    if ready.rounds is not None and ready.rounds.missed:
        return Decided(ready, False, refused=_what_can_be_had(ready, stock))
    if ready.twice and not ready.searching and (step := _after_an_edit(ready, stock)) is not None:
        store.save(ready.rounds_key, step.rounds)
        return Decided(replanned(ready, step.rounds), True, step.sentence)
    if ready.searching:
        found = _common_quality(ready, stock, store)
        if found.again:
            return found
        ready = found.ready
        kept = _keep_peak(ready, stock, store)
        return kept if kept.again or kept.refused else found
    return _keep_peak(ready, stock, store)


def _common_quality(ready: OutputReady, stock: Stock, store: RoundsStore) -> Decided:
    plan = ready.plan
    rounds = ready.rounds or Rounds(quality=plan.quality if plan.quality is not None else 20.0)
    frames = [piece.frames for piece in plan.pieces]
    made = _made(ready, stock, set(wanted_pieces(ready)))
    step = settle(
        rounds, made, frames, target_bytes=ready.target_bytes, shown=plan.shown, peak_bytes=_peak_bytes(ready)
    )
    store.save(ready.rounds_key, step.rounds)
    made_so = replanned(ready, step.rounds)
    refused = _what_can_be_had(made_so, stock) if step.rounds.missed else ""
    return Decided(made_so, not refused and not _as_it_is(ready, step.rounds), step.sentence, refused)


def _after_an_edit(ready: OutputReady, stock: Stock) -> Step | None:
    """Whether the bytes are still right though the cut may have changed since the quality was found."""
    assert ready.rounds is not None
    pieces = ready.plan.pieces
    made = _made(ready, stock, {piece.name for piece in pieces})
    if len(made.sizes) < len(pieces):
        return None
    return after_an_edit(
        ready.rounds, made, [piece.frames for piece in pieces], ready.plan.shown, ready.target_bytes
    )


def _made(ready: OutputReady, stock: Stock, names: set[str]) -> Made:
    """What came of the pieces of these names, by position."""
    sizes: dict[int, int] = {}
    quantizers: dict[int, float] = {}
    for number, piece in enumerate(ready.plan.pieces):
        if piece.name in names and (size := picture_bytes(stock, piece.name, piece.frames)):
            sizes[number] = size
            kept = stock.find(piece.name)
            if kept is not None and (quantizer := kept.facts.get("quantizer")) is not None:
                quantizers[number] = quantizer
    return Made(sizes, quantizers)


def _peak_bytes(ready: OutputReady) -> float | None:
    """What a peak allows the whole picture, in bytes; None where none was asked for."""
    return ready.bucket.peak * ready.plan.seconds / 8 if ready.bucket else None


def _as_it_is(ready: OutputReady, rounds: Rounds) -> bool:
    """Whether a settled search ends on the very pieces that were just made."""
    return rounds.settled and rounds.quality == ready.plan.quality and not rounds.own


def _what_can_be_had(ready: OutputReady, stock: Stock) -> str:
    """That a rate can't be met, what its pictures come to instead, and what to do."""
    assert ready.rounds is not None and ready.recipe.picture is not None
    target, seconds = ready.recipe.picture.rate_control.target_bits_per_second, max(0.001, ready.plan.seconds)
    had = rate_bits_text(ready.rounds.had * 8 / seconds) if ready.rounds.had else "another rate"
    peak = (
        f" within a peak of {rate_bits_text(ready.recipe.picture.peak)}" if ready.recipe.picture.peak else ""
    )
    return (
        f"{rate_bits_text(target)}{peak} can't be met: {ready.rounds.missed.partition(': ')[2]}. {had} can be had: ask for that, "
        f"{'raise the peak, ' if peak else ''}or choose a constant quality."
    )


def replanned(ready: OutputReady, rounds: Rounds) -> OutputReady:
    """The output, planned anew with what was decided."""
    plan = ready.source.plan(ready.part, ready.recipe, ready.output.framing, rounds)
    return replace(ready, plan=plan, rounds=rounds)


def picture_bytes(stock: Stock, name: str, frames: int) -> int:
    """Bytes of a piece's picture packets.

    Parameters
    ----------
    stock
        Where finished pieces are.
    name
        The piece's name.
    frames
        How long it is.
    """
    kept = stock.find(name)
    if kept is None:
        return 0
    packets = kept.facts.get("packets")
    return sum(packets) if packets else max(1, kept.bytes - round(container_bytes("mp4", frames, 0)))


def _keep_peak(ready: OutputReady, stock: Stock, store: RoundsStore) -> Decided:
    """Send the joined stream through the receiver's buffer; make pieces that overrun it smaller."""
    bucket = ready.bucket
    if bucket is None:
        return Decided(ready, False)
    packets: list[Sequence[int]] = []
    for piece in ready.plan.pieces:
        kept = stock.find(piece.name)
        found = kept.facts.get("packets") if kept else None
        if not found:
            return Decided(ready, False)  # a piece from elsewhere: the check of the joined file will tell
        packets.append(found)
    rounds = ready.rounds or Rounds(quality=ready.plan.quality or 0.0, settled=True)
    over = overruns(bucket, packets, SPARE_BITS / bucket.size)
    if not over:
        return Decided(ready, False)
    margin = SEARCHED_MARGIN if ready.twice else BEGUN_MARGIN
    smaller = _smaller(rounds, [(ready.plan.shown[item.piece], item.full) for item in over], margin)
    if smaller is None and not overruns(bucket, packets):
        return Decided(ready, False)
    if smaller is None:
        picture = ready.recipe.picture
        assert picture is not None
        return Decided(
            ready,
            False,
            refused=(
                f"A peak of {rate_bits_text(picture.peak or 0)} with a buffer of {(picture.buffer or 0) / 1e6:g} Mbit can't be kept: "
                f"the pictures at {_clock(ready, over[0].piece)} take more however small they are made. "
                "Raise the buffer or the peak, or make the frame smaller."
            ),
        )
    store.save(ready.rounds_key, smaller)
    count = len(over)
    return Decided(
        replanned(ready, smaller),
        True,
        f"{count} piece{'s' if count > 1 else ''} would overrun the receiver's buffer and {'are' if count > 1 else 'is'} made smaller",
    )


def _smaller(rounds: Rounds, over: Sequence[tuple[str, float]], margin: float) -> Rounds | None:
    """What is decided of pieces that overrun the buffer; None where nothing helps.

    First their encoder is told how full it really is, as one encoder over the
    whole would know; where that isn't enough, less is asked of it.
    """
    eased, begun, some = dict(rounds.eased), dict(rounds.begun), False
    for content, full in over:
        told = begun.get(content, FULLNESS)
        real = max(LEAST_BEGUN, round(full - margin, 2))
        if real < told:
            begun[content] = real
            some = True
        elif eased.get(content, 0) < MOST_EASED:
            eased[content] = eased.get(content, 0) + 1
            begun[content] = max(LEAST_BEGUN, round(told - margin, 2))
            some = True
    return rounds.model_copy(update={"eased": eased, "begun": begun}) if some else None


SPARE_BITS = 2000
"""What has to stay in the buffer: a container adds some bytes to pictures."""
BEGUN_MARGIN = 0.03
"""By how much less than it finds a piece begins with, as a share of the buffer."""
SEARCHED_MARGIN = 0.15
"""The same where a common quality is still looked for: a better one leaves the next piece less."""


def _clock(ready: OutputReady, piece: int) -> str:
    frames = sum(item.frames for item in ready.plan.pieces[:piece])
    return f"{frames / float(ready.plan.rate):.1f} s"


def superseded(ready: OutputReady) -> set[str]:
    """Names of pieces of qualities that were tried and not taken."""
    if ready.rounds is None or ready.plan.quality is None:
        return set()
    found: set[str] = set()
    for tried in ready.rounds.tried:
        if tried.quality != ready.rounds.quality:
            other = replanned(ready, Rounds(quality=tried.quality, settled=True))
            found |= {piece.name for piece in other.plan.pieces}
    return found - {piece.name for piece in ready.plan.pieces}
