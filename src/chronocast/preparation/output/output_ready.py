"""An output that can be made, and a batch made ready."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from pathlib import Path
from typing import NamedTuple

from chronocast.forecast.composing import base_read_work
from chronocast.forecast.learning.memory import Memory
from chronocast.forecast.picture.measured import FRAME_WORK
from chronocast.forecast.picture.priors import LookPrior, SizePrior, look_prior, size_prior
from chronocast.forecast.work import PIECE_WORK
from chronocast.media.encoders.registry import ENCODERS
from chronocast.media.piece.settings import FULLNESS
from chronocast.model.batch.batch import FULL, Batch, Output
from chronocast.model.batch.extent import Extent
from chronocast.model.cards.bucket import Bucket
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.device import TriedEncoder
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.source.origin import samples_of
from chronocast.model.stages import BASE
from chronocast.model.time.timing import FrameRange, Rate, format_timecode
from chronocast.pieces.base_pieces import base_piece
from chronocast.pieces.name import digest
from chronocast.pieces.plan import OutputPlan
from chronocast.pieces.rounds import Rounds, remaining_encodes
from chronocast.preparation.output.composing import composing_work
from chronocast.preparation.output.piece_content import PieceContent, blank_share, piece_content
from chronocast.preparation.output.routed import RouteTaken
from chronocast.preparation.problem import Problem
from chronocast.preparation.source.damaged import Shown, damage_shown
from chronocast.preparation.source.source_ready import SourceReady

DROPS = frozenset({Rate(30000, 1001), Rate(60000, 1001)})
"""Rates that have drop-frame timecode."""


@dataclass(frozen=True)
class BasesWanted:
    """Which base pieces an output's pieces are encoded from.

    Parameters
    ----------
    names
        In the stock.
    outputs
        How many outputs share them.
    saved
        The work that they save all of these, in millions of pixels.
    """

    names: frozenset[str] = frozenset()
    outputs: int = 0
    saved: float = 0.0


BLANK_EASE = 0.7
"""By so much a frame that shows nothing is cheaper than a typical one (x264 at medium effort, 720 lines: 0.22 to 0.44 of it)."""
NO_BASES = BasesWanted()
SOFTWARE = RouteTaken()


@dataclass(frozen=True)
class OutputReady:
    """An output that can be made: its plan, its path, what it must be; before ``not_before`` nothing of it is begun."""

    output: Output
    source: SourceReady
    recipe: Recipe
    part: FrameRange
    plan: OutputPlan
    path: Path
    range_name: str
    range_kind: str = FULL
    rounds: Rounds | None = None
    rounds_key: str = ""
    cards: tuple[ReceiverCard, ...] = ()
    asked: Recipe | None = None
    bases: BasesWanted = NO_BASES
    route: RouteTaken = SOFTWARE
    not_before: datetime | None = None

    @property
    def damage(self) -> list[Shown]:
        """Damaged stretches of its media that it shows; sound alone shows none."""
        if self.recipe.picture is None:
            return []
        return damage_shown(self.source.cut, self.part, self.source.facts)

    @property
    def timecode(self) -> str:
        """The timecode of its first frame, where its file is to carry one."""
        picture = self.recipe.picture
        wanted = picture is not None and picture.timecode == "source" and self.source.cut.origin.timecode
        if not wanted or not CONTAINERS[self.recipe.container].timecode:
            return ""
        cut, rate = self.source.cut, self.plan.rate
        first = cut.start_timecode + self.part.start
        return format_timecode(round(first * rate / cut.rate), rate, cut.drop_frame and rate in DROPS)

    @property
    def digest(self) -> str:
        """What the file is made of: the same digest means the same file."""
        return digest(
            {
                "pieces": [piece.name for piece in self.plan.pieces],
                "sound": self.plan.sound.name if self.plan.sound else None,
                "container": self.recipe.container,
                "title": self.title,
                "languages": self.plan.sound.languages if self.plan.sound else (),
                **({"timecode": self.timecode} if self.timecode else {}),
            }
        )

    @property
    def title(self) -> str:
        """The title written into the file."""
        return f"{self.source.title} - {self.range_name}" if self.range_name else self.source.title

    @property
    def whole_frames(self) -> bool:
        """Whether every frame is a key frame."""
        return self.recipe.picture is not None and self.recipe.picture.kind.kind != "long"

    @property
    def extent(self) -> Extent:
        """How much of its source it has."""
        return Extent(self.range_kind, len(self.part), self.source.cut.frames, self.source.cut.rate)

    @property
    def family(self) -> str:
        """Outputs alike enough to learn bytes from each other."""
        settings, picture = self.plan.settings, self.recipe.picture
        if settings is None or picture is None:
            return ""
        told = settings.model_dump(mode="json", exclude={"colour"})
        if picture.steering.searched:
            told["options"].pop("crf", None)
        return digest(
            {"encoder": told, "mode": picture.control, "size": [self.plan.width, self.plan.height]}
        )[:16]

    @cached_property
    def base_of(self) -> Mapping[str, PieceJob]:
        """The base piece of each of its pieces that is encoded from one, by the piece's name."""
        if not self.bases.names:
            return {}
        both = ((piece.name, base_piece(piece)) for piece in self.plan.pieces)
        return {name: base for name, base in both if base is not None and base.name in self.bases.names}

    def timecode_at(self, frame: int) -> str:
        """Where in its source one of its frames is, as timecode."""
        cut = self.source.cut
        at = cut.start_timecode + self.part.start + int(frame * cut.rate / self.plan.rate)
        return format_timecode(at, cut.rate, cut.drop_frame)

    @staticmethod
    def work(piece: PieceJob) -> float:
        """What a piece costs its encoder, in millions of pixels; a short one more than its frames say."""
        moments = piece.moments if piece.kind == BASE.id else piece.frames
        frames = moments * (1 - BLANK_EASE * blank_share(piece))
        return frames * (piece.width * piece.height / 1e6 + FRAME_WORK) + PIECE_WORK

    def composing(self, piece: PieceJob, based: bool = False) -> float:
        """What composing a piece's pictures costs, in millions of pixels encoded by x264 at medium effort.

        Parameters
        ----------
        piece
            The piece, or a base piece.
        based
            Whether they are read from a base piece.
        """
        if based:
            return base_read_work(piece.moments * piece.width * piece.height / 1e6, self.deep)
        return composing_work(piece, self.source.facts)

    def cost(self, piece: PieceJob, based: bool = False) -> float:
        """All of it, in millions of pixels encoded by x264 at medium effort.

        Parameters
        ----------
        piece
            The piece, or a base piece.
        based
            Whether its pictures are read from a base piece.
        """
        effort = ENCODERS[piece.settings.encoder].effort("medium" if piece.kind == BASE.id else self.effort)
        return self.work(piece) * effort + self.composing(piece, based)

    @property
    def device(self) -> str:
        """The kind of device that encodes it; "" for the processor."""
        return self.route.device.family if self.route.device else ""

    @property
    def deep(self) -> bool:
        """Whether its pictures are composed with more than eight bits."""
        settings = self.plan.settings
        return settings is not None and samples_of(settings.working or settings.pixel_format).depth > 8

    @property
    def pace(self) -> str:
        """Outputs alike enough to learn seconds from each other."""
        settings = self.plan.settings
        if settings is None:
            return "sound"
        return f"{settings.encoder} {self.effort} {settings.threads} by pixels"

    @property
    def film(self) -> str:
        """What is shown, whatever recipe it is made by: a source by its media, proxies by their films."""
        return self.source.film

    @cached_property
    def content(self) -> tuple[PieceContent, ...]:
        """What each of its pieces shows, and what the source's packets say of it."""
        return tuple(piece_content(piece, self.source.films) for piece in self.plan.pieces)

    @cached_property
    def source_kind(self) -> str:
        """What kind of packets most of its pictures come from."""
        kinds = Counter(item.source_kind for item in self.content if item.source_kind)
        return kinds.most_common(1)[0][0] if kinds else ""

    @property
    def effort(self) -> str:
        """How hard its encoder tries."""
        return self.recipe.picture.effort if self.recipe.picture else "medium"

    @property
    def twice(self) -> bool:
        """Whether it is made in two passes, to a rate."""
        return bool(self.recipe.picture and self.recipe.picture.steering.searched)

    @property
    def searching(self) -> bool:
        """Whether its common quality is still to be found."""
        return self.twice and not (self.rounds and self.rounds.settled)

    @property
    def times(self) -> float:
        """How often its pieces will about be encoded: more than once while a common quality is searched for."""
        return remaining_encodes(self.rounds, len(self.plan.pieces)) if self.searching else 1.0

    @property
    def size_prior(self) -> SizePrior:
        """What is believed of its picture's bytes before anything of it was measured."""
        picture, plan = self.recipe.picture, self.plan
        assert picture is not None and plan.settings is not None
        larger = ENCODERS[plan.settings.encoder].larger
        return size_prior(picture, plan.width * plan.height, float(plan.rate), larger)

    @property
    def copies_groups(self) -> bool:
        """Whether groups of pictures of its source are copied, with what is around cuts encoded to match."""
        return not self.whole_frames and any(piece.copied for piece in self.plan.pieces)

    @property
    def why_encoded(self) -> str:
        """Why the first pictures that could be copied aren't, in a few words; "" where nothing is to be said."""
        return self.plan.why_encoded

    @property
    def look_prior(self) -> LookPrior | None:
        """What is believed of how like the original it looks; None where nothing is lost, or nothing known.

        Of what is drawn from proxies nothing is known: it is held against these.
        """
        if self.source.from_proxies:
            return None
        return look_prior(self.recipe.picture) if self.recipe.picture and self.plan.settings else None

    @property
    def target_bytes(self) -> float:
        """Bytes that the picture of an output in two passes has to come to."""
        picture = self.recipe.picture
        return picture.rate_control.target_bits_per_second * self.plan.seconds / 8 if picture else 0.0

    @property
    def bucket(self) -> Bucket | None:
        """The receiver's buffer that the whole picture has to keep, if a peak was asked for."""
        picture = self.recipe.picture
        if picture is None or not picture.peak or not picture.buffer or not picture.kind.keeps_peak:
            return None
        return Bucket(picture.peak, picture.buffer, float(self.plan.rate), FULLNESS)


class Planned(NamedTuple):
    """An output as it was planned: what it was planned from, and what came of it."""

    question: tuple[object, ...]
    ready: OutputReady | None = None
    refused: Problem | None = None


@dataclass
class Prospect:
    """A batch made ready: what can be made, and what can't and why.

    ``refused`` are outputs that contradict themselves; ``path`` is the batch's file, where it has one; ``devices``
    are hardware encoders as they were tried here; ``planned`` and ``memory`` let the next preparation of most of this
    batch plan only what was changed.
    """

    batch: Batch
    folder: Path
    target: Path
    sources: dict[str, SourceReady] = field(default_factory=dict)
    outputs: list[OutputReady] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    refused: dict[str, Problem] = field(default_factory=dict)
    path: Path | None = None
    devices: tuple[TriedEncoder, ...] = ()
    planned: dict[str, Planned] = field(default_factory=dict, repr=False, compare=False)
    memory: Memory = field(default_factory=Memory, repr=False, compare=False)
    _by_id: tuple[list[OutputReady], dict[str, OutputReady]] = field(
        default=([], {}), repr=False, compare=False, init=False
    )

    @property
    def by_id(self) -> Mapping[str, OutputReady]:
        """The outputs that can be made, by their ids."""
        of, table = self._by_id
        if of is not self.outputs or len(table) != len(of):
            table = {item.output.id: item for item in self.outputs}
            self._by_id = self.outputs, table
        return table

    def output(self, identifier: str) -> OutputReady | None:
        """One output, if it can be made."""
        return self.by_id.get(identifier)
