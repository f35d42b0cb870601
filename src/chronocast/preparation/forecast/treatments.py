"""What happens to the pieces of an output: kept, copied, to be encoded; as a map along it, and in words."""

from __future__ import annotations

from typing import Literal, NamedTuple

from chronocast.model.messages.jobs import PieceJob
from chronocast.model.show import counted, percent, time_text
from chronocast.preparation.forecast.output_outlook import OutputOutlook

Treatment = Literal["kept", "copied", "encode"]
LEAST_SAVED = 1.0
"""Seconds; less isn't worth saying."""
WORDS: dict[Treatment, str] = {"kept": "kept", "copied": "copied", "encode": "to be encoded"}


class Run(NamedTuple):
    """Neighbouring pieces that are treated alike: how, and their share of the output's frames."""

    treatment: Treatment
    share: float


def treatment_of(item: OutputOutlook, name: str) -> Treatment:
    """What happens to a piece, by its name in the stock."""
    if name in item.copied_names:
        return "copied"
    return "kept" if name in item.kept_names else "encode"


def piece_map(item: OutputOutlook) -> tuple[Run, ...]:
    """The treatments along an output."""
    found: list[Run] = []
    frames = max(1, sum(piece.frames for piece in item.ready.plan.pieces))
    for piece in item.ready.plan.pieces:
        run = Run(treatment_of(item, piece.name), piece.frames / frames)
        if found and found[-1].treatment == run.treatment:
            run = Run(run.treatment, found.pop().share + run.share)
        found.append(run)
    return tuple(found)


def treatments(item: OutputOutlook) -> tuple[str, ...]:
    """How many frames are kept, copied and to be encoded, and the work that this saves, a few words each."""
    pieces = item.ready.plan.pieces
    if item.made or not pieces:
        return ("made already" if item.made else "no picture",)
    frames: dict[Treatment, int] = {}
    for piece in pieces:
        kind = treatment_of(item, piece.name)
        frames[kind] = frames.get(kind, 0) + piece.frames
    whole = sum(frames.values())
    saved = (f"{time_text(item.saved_seconds)} of work saved",) if item.saved_seconds > LEAST_SAVED else ()
    if len(frames) == 1:
        kind = next(iter(frames))
        return (f"{counted(len(pieces), 'piece')}, all {WORDS[kind]}", *saved)
    told = (
        f"{frames[kind]} frames {WORDS[kind]} ({percent(frames[kind] / whole)})"
        for kind in WORDS
        if kind in frames
    )
    return (*told, *saved)


def _bases(item: OutputOutlook) -> list[PieceJob]:
    """The base pieces of its pieces that are still to be encoded, each once."""
    bases = {base.name: base for piece, base in item.ready.base_of.items() if piece not in item.kept_names}
    return list(bases.values())


def bases_told(item: OutputOutlook) -> str:
    """That its pictures are composed once, with how many files, and what that saves all of them; "" where they aren't."""
    bases = item.ready.bases
    still = _bases(item)
    if item.made or not still:
        return ""
    whose = f"with {counted(bases.outputs - 1, 'other file')}" if bases.outputs > 1 else "for all its rounds"
    saved = f", {time_text(item.bases_save)} of work saved" if item.bases_save > LEAST_SAVED else ""
    return f"{counted(len(still), 'piece')} composed once, {whose}{saved}"


def treatments_told(item: OutputOutlook) -> str:
    """The same in a sentence."""
    return ", ".join(treatments(item))


def why_encoded(item: OutputOutlook) -> str:
    """Why pictures that might be copied are to be encoded, in a few words; "" where none is."""
    still = any(run.treatment == "encode" for run in piece_map(item))
    return item.ready.why_encoded if still and not item.made else ""
