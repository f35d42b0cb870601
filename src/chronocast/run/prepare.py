"""From a batch to what it takes: sources looked at, outputs planned, names given, problems said."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from chronocast.deliver.names import output_stem, safe_stem, unlike
from chronocast.journal.facts import FactsStore
from chronocast.media.codecs import CONTAINERS
from chronocast.model.batch import FULL, Batch, Output, Source, resolve
from chronocast.model.check import Expected
from chronocast.model.cutlist import CutList
from chronocast.model.errors import ChronocastError
from chronocast.model.facts import ClipFacts
from chronocast.model.recipe import Recipe
from chronocast.model.timing import FrameRange
from chronocast.pieces.name import digest
from chronocast.pieces.plan import UNTAGGED, OutputPlan, plan_output
from chronocast.timeline.errors import TimelineError
from chronocast.timeline.layout import clip_cut_list, sequence_cut_list

TIMELINE_ENDINGS = frozenset({".otio"})


@dataclass(frozen=True)
class Problem:
    """Something that stands in the way (``blocks``), or that a person should know: where, what, what to do."""

    where: str
    sentence: str
    remedy: str = ""
    blocks: bool = True

    @property
    def told(self) -> str:
        """All of it in one line; the place only where the sentence doesn't begin with it."""
        words = self.sentence if self.sentence.startswith(self.where) else f"{self.where}: {self.sentence}"
        return f"{words} {self.remedy}".strip()


@dataclass(frozen=True)
class SourceReady:
    """A source that can be used: its cut list, and the facts of its media by path."""

    source: Source
    path: Path
    cut: CutList
    facts: dict[str, ClipFacts]
    title: str

    @property
    def colour(self) -> tuple[int, int, int, int]:
        """The colour tags all its media share; untagged where they differ."""
        tags = {self.facts[media.path].colour for media in self.cut.media if self.facts[media.path].frames}
        if len(tags) != 1:
            return UNTAGGED
        try:
            numbers = [int(value) for value in next(iter(tags))]
        except ValueError:
            return UNTAGGED
        return (numbers[0], numbers[1], numbers[2], numbers[3] or 1)


@dataclass(frozen=True)
class OutputReady:
    """An output that can be made: its plan, its path, what it must be."""

    output: Output
    source: SourceReady
    recipe: Recipe
    part: FrameRange
    plan: OutputPlan
    path: Path
    range_name: str

    @property
    def digest(self) -> str:
        """What the file is made of: the same digest means the same file."""
        return digest(
            {
                "pieces": [piece.name for piece in self.plan.pieces],
                "sound": self.plan.sound.name if self.plan.sound else None,
                "container": self.recipe.container,
                "title": self.title,
            }
        )

    @property
    def title(self) -> str:
        """The title written into the file."""
        return f"{self.source.title} - {self.range_name}" if self.range_name else self.source.title

    @property
    def family(self) -> str:
        """Outputs alike enough to learn bytes from each other."""
        settings = self.plan.settings
        control = self.recipe.picture.rate_control
        return digest({"encoder": settings.model_dump(mode="json", exclude={"colour"}), "mode": control.mode,
                       "size": [self.plan.width, self.plan.height]})[:16]  # fmt: skip

    @property
    def pace(self) -> str:
        """Outputs alike enough to learn seconds from each other."""
        settings = self.plan.settings
        return f"{settings.encoder} {self.recipe.picture.effort} {settings.threads}"

    def expected(self, sound_is_silent: bool) -> Expected:
        """What the finished file must be."""
        plan, sound = self.plan, self.plan.sound
        return Expected(
            plan.frames, plan.width, plan.height, str(plan.rate), self.recipe.picture.codec,
            CONTAINERS[self.recipe.container].muxer, sound.codec if sound else None, sound.samples if sound else None,
            sound.sample_rate if sound else 0, sound.channels if sound else 0, sound_is_silent,
        )  # fmt: skip


@dataclass
class Prospect:
    """A batch made ready: what can be made, and what can't and why."""

    batch: Batch
    folder: Path
    target: Path
    sources: dict[str, SourceReady] = field(default_factory=dict)
    outputs: list[OutputReady] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)

    def output(self, identifier: str) -> OutputReady | None:
        return next((item for item in self.outputs if item.output.id == identifier), None)


def kind_of(path: Path) -> str:
    """*sequence* for a timeline file, else *clip*."""
    return "sequence" if path.suffix.lower() in TIMELINE_ENDINGS else "clip"


def ready_source(source: Source, folder: Path, store: FactsStore) -> SourceReady:
    """Look at a source and its media.

    Raises:
        MediaError, TimelineError: it can't be used; the sentence says why.
    """
    path = resolve(source.path, folder)
    if source.kind == "clip":
        facts = store.clip(str(path))
        return SourceReady(source, path, clip_cut_list(facts), {facts.path: facts}, source.name)
    from chronocast.timeline.read import read_timeline  # half a library: only where there is a timeline

    timeline = read_timeline(path)
    found: dict[str, ClipFacts] = {}
    missing = []
    for media in timeline.media:
        try:
            found[str(media)] = store.clip(str(media))
        except ChronocastError as error:
            missing.append((media, error))
    if missing:
        names = ", ".join(media.name for media, _ in missing[:4]) + (" and more" if len(missing) > 4 else "")
        raise TimelineError(
            f"{source.name} needs media that can't be used: {names}. {missing[0][1].sentence}",
            missing[0][1].remedy or "Put the files back where the sequence expects them.",
        )
    by_path = {facts.path: facts for facts in found.values()}
    return SourceReady(source, path, sequence_cut_list(timeline, found), by_path, source.name)


def notices(ready: SourceReady) -> list[Problem]:
    """What a person should know of a source's media though it can be used: cut short, uneven times."""
    remedy = "What can be read of it is used; see that it is the right file."
    return [
        Problem(ready.source.name, f"{Path(facts.path).name}: {sentence}", remedy, blocks=False)
        for facts in ready.facts.values()
        for sentence in facts.problems
    ]


def prepare(
    batch: Batch, folder: Path, store: FactsStore, progress: Callable[[int, int], None] | None = None
) -> Prospect:
    """Look at every source, plan every output.  Never raises for one bad source or output."""
    prospect = Prospect(batch, folder, resolve(batch.folder, folder))
    for number, source in enumerate(batch.sources):
        try:
            prospect.sources[source.id] = ready_source(source, folder, store)
            prospect.problems += notices(prospect.sources[source.id])
        except ChronocastError as error:
            prospect.problems.append(Problem(source.name, error.sentence, error.remedy))
        if progress:
            progress(number + 1, len(batch.sources))
    stems = []
    ready: list[tuple[Output, SourceReady, Recipe, FrameRange, str]] = []
    for output in batch.outputs:
        owner, recipe = batch.source(output.source), batch.recipe(output.recipe)
        assert owner and recipe, "a batch's names meet"
        have = prospect.sources.get(owner.id)
        if have is None:
            continue
        part, range_name = FrameRange(0, have.cut.frames), ""
        if output.range != FULL:
            named = next(item for item in owner.ranges if item.id == output.range)
            range_name = named.name
            if named.stop > have.cut.frames:
                prospect.problems.append(
                    Problem(
                        f"{owner.name} · {named.name}",
                        f"The range ends at frame {named.stop}, but {owner.name} has {have.cut.frames}.",
                        "Set its out point again.",
                    )
                )
                continue
            part = FrameRange(named.start, named.stop)
        stem = safe_stem(output.name) if output.name else output_stem(owner.name, range_name, recipe.id)
        stems.append((stem, CONTAINERS[recipe.container].extension))
        ready.append((output, have, recipe, part, range_name))
    for (output, have, recipe, part, range_name), name in zip(ready, unlike(stems), strict=True):
        plan = plan_output(have.cut, part, recipe, have.colour)
        prospect.outputs.append(
            OutputReady(output, have, recipe, part, plan, prospect.target / name, range_name)
        )
    return prospect
