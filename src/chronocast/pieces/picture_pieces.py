"""The pieces of an output's picture: where it is cut, how each is written, whether it is copied, what it is called."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any, NamedTuple

from chronocast.media.piece.here import library_version
from chronocast.media.piece.settings import FULLNESS
from chronocast.model.messages.jobs import EncoderSettings, PieceJob
from chronocast.model.recipe.recipe import PictureRecipe
from chronocast.model.source.facts import ClipFacts
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.copying import AROUND_CUTS, GRADED, may_copy, why_encoded
from chronocast.pieces.cut import cut_around
from chronocast.pieces.name import PieceNamer
from chronocast.pieces.rounds import Rounds
from chronocast.pieces.whole_groups import GroupCopies, group_copies

OWN_SETS = range(7, 32)
"""Numbers of parameter sets of what is encoded beside copied groups: the first that no copied film uses."""
EASE = 0.9


class PicturePieces(NamedTuple):
    """The pieces of a picture in order.

    Parameters
    ----------
    jobs
        One a piece.
    shown
        Names of what each shows, whatever quality was found for it.
    settings
        What the encoder is told of what is encoded.
    why_encoded
        Why pictures that could be copied aren't; "" where nothing is to be said.
    """

    jobs: tuple[PieceJob, ...]
    shown: tuple[str, ...]
    settings: EncoderSettings
    why_encoded: str


def picture_pieces(
    whole: PieceJob,
    picture: PictureRecipe,
    told: Callable[..., EncoderSettings],
    *,
    quality: float | None,
    rounds: Rounds | None,
    facts: Mapping[str, ClipFacts],
) -> PicturePieces:
    """Cut a picture into pieces.

    Parameters
    ----------
    whole
        The job that would make all of it at once.
    picture
        What is asked of it.
    told
        What the encoder is told for a recipe.
    quality
        The common quality of an output in two passes, as it is now.
    rounds
        What was decided so far.
    facts
        What is known of its media, by path: where they already are what is asked for, packets are copied.
    """
    starts = [span.start for span in whole.spans]

    def shown_in(piece: FrameRange) -> dict[str, Any]:
        first, last = bisect_right(starts, piece.start) - 1, bisect_left(starts, piece.stop)
        parts = [part for span in whole.spans[max(0, first) : last] if (part := span.part(piece))]
        return {"view": whole.view.later(piece.start), "spans": tuple(parts)}

    def job_of(piece: FrameRange) -> PieceJob:
        return whole.model_copy(update=shown_in(piece))

    groups = group_copies(whole.spans, picture, facts, job_of)
    settings = whole.settings
    if groups.runs and groups.numbers:
        number = next((n for n in OWN_SETS if n not in groups.numbers), None)
        if number is None:
            groups = GroupCopies(why="its parameter sets leave no number for those of what is encoded")
        else:
            settings = told(picture, set_number=number)
            whole = whole.model_copy(update={"settings": settings})
    moments = whole.rate * 2 if settings.woven else whole.rate
    library = library_version(settings.encoder)
    namer, namer_of_shown, unrated = PieceNamer(), PieceNamer(), _unrated(settings)
    decided, may = bool(picture.peak) or quality is not None, may_copy(picture)
    jobs, shown, why = list[PieceJob](), list[str](), groups.why
    scenes = {path: clip.scenes for path, clip in facts.items()}
    for piece in cut_around(whole.spans, moments, groups.runs, 2 if settings.woven else 1, scenes):
        own, content = shown_in(piece), ""
        if decided:
            content = namer_of_shown.name(whole, library, {**own, "settings": unrated})
            steps, full = (
                (rounds.eased.get(content, 0), rounds.begun.get(content, FULLNESS))
                if rounds
                else (0, FULLNESS)
            )
            its = None if quality is None else (rounds.quality_of(content) if rounds else quality) + steps
            if steps or full != FULLNESS or its != quality:
                made = eased_by(picture, steps) if steps else picture
                own["settings"] = told(made, quality=its, fullness=full)
        reason = _reason(partial(job_of, piece), piece, groups, picture, facts)
        why = why or reason
        if may and not reason:
            own |= {"kind": "copy", "sets_moved": groups.moved.get(piece, 0)}
        jobs.append(whole.model_copy(update={**own, "name": namer.name(whole, library, own)}))
        shown.append(content)
    return PicturePieces(tuple(jobs), tuple(shown), settings, why)


def _reason(
    job: Callable[[], PieceJob],
    piece: FrameRange,
    groups: GroupCopies,
    picture: PictureRecipe,
    facts: Mapping[str, ClipFacts],
) -> str:
    """Why a piece that could be copied isn't; "" where it is, and where nobody would expect it."""
    if picture.kind.id in GRADED:
        return why_encoded(job(), picture, facts)
    if not may_copy(picture):
        return ""
    return "" if piece in groups.runs else groups.why or AROUND_CUTS


def _unrated(settings: EncoderSettings) -> EncoderSettings:
    """What an encoder is told, without the quality that was found: pieces named by it are named by what they show."""
    options = {
        key: re.sub(r"vbv-init=[0-9.]+:?", "", value)
        for key, value in settings.options.items()
        if key not in ("crf", "maxrate", "bufsize", "rc_init_occupancy")
    }
    return settings.model_copy(update={"options": options})


def eased_by(picture: PictureRecipe, steps: int) -> PictureRecipe:
    """A recipe that asks for less, for a piece that would overrun its receiver's buffer.

    The peak and the buffer stay: they stand in the parameter sets, which all
    pieces of a file share.
    """
    control = picture.rate_control
    update: dict[str, object] = {}
    if picture.steering.eases == "rate":
        update["target_bits_per_second"] = max(10_000, round(control.target_bits_per_second * EASE**steps))
    if picture.steering.eases == "quality":
        update["quality"] = min(51.0, control.quality + steps)
    return picture.model_copy(update={"rate_control": control.model_copy(update=update)})
