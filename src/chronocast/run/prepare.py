"""From a batch to what it takes: sources looked at, outputs planned, names given, problems said."""

from __future__ import annotations

import contextlib
import os
from collections import OrderedDict
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path

from chronocast.deliver.names import proposed_stems, unlike
from chronocast.forecast.priors import SizePrior, effort_factor, size_prior
from chronocast.journal.facts import FactsStore
from chronocast.journal.rounds import RoundsStore
from chronocast.media.codecs import FULLNESS, sampling_of, sound_encoder
from chronocast.media.errors import DAMAGE_REMEDY
from chronocast.media.images import stamp
from chronocast.model.agree import conflicts, level_conflicts, rate_conflicts
from chronocast.model.as_source import definite
from chronocast.model.batch import FULL, Batch, Framing, NamedRange, Output, Source, resolve
from chronocast.model.bucket import Bucket
from chronocast.model.card import ReceiverCard
from chronocast.model.changes import changes
from chronocast.model.check import Expected
from chronocast.model.colour import high_range
from chronocast.model.colour import told as colour_told
from chronocast.model.cutlist import CutList, media_title
from chronocast.model.errors import ChronocastError
from chronocast.model.exceptions import effective
from chronocast.model.extent import Extent
from chronocast.model.facts import ClipFacts
from chronocast.model.formats import CONTAINERS, SOUND, extension
from chronocast.model.geometry import Centre, View
from chronocast.model.jobs import PieceJob, SoundJob
from chronocast.model.layouts import channels_of
from chronocast.model.paths import path_text, real_path, shown
from chronocast.model.recipe import Recipe
from chronocast.model.timing import FrameRange, Rate, format_timecode, parse_rate
from chronocast.pieces.name import digest
from chronocast.pieces.plan import OutputPlan, output_rate, picture_size, plan_output
from chronocast.pieces.rounds import Rounds, left
from chronocast.run.damaged import Shown, damage_lines, damage_shown
from chronocast.run.differences import differences_from_source
from chronocast.run.linking import Linked, Shelves, clip_place, link
from chronocast.timeline.described import Note, Timeline
from chronocast.timeline.errors import TimelineError
from chronocast.timeline.layout import clip_cut_list, sequence_cut_list

READ_SHARE = 0.2
"""What decoding and scaling a pixel costs against encoding one at medium effort."""
PIECE_WORK = 0.5
"""What beginning and ending a piece costs, in millions of pixels."""

EDIT_LIST_ENDINGS = frozenset({".edl"})
TIMELINE_ENDINGS = EDIT_LIST_ENDINGS | {".otio"}


class MissingMedia(TimelineError):
    """A sequence that can be read, but not all of its media found; ``mark`` is its file's digest."""

    mark = ""


@dataclass(frozen=True)
class Problem:
    """Something that stands in the way (``blocks``), or that a person should know: where, what, what to do.

    ``source`` and ``output`` are the ids of what it is about; names may be
    shared.  ``accepts`` are fingerprints of media whose damage a person could
    accept.
    """

    where: str
    sentence: str
    remedy: str = ""
    blocks: bool = True
    source: str = ""
    output: str = ""
    accepts: tuple[str, ...] = ()

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

        Raises:
            MediaError: no encoder for it is here.
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
            self.plans[key] = plan_output(self.cut, part, recipe, view, rounds, self.damage_accepted)
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
    range_kind: str = FULL
    rounds: Rounds | None = None
    rounds_key: str = ""
    cards: tuple[ReceiverCard, ...] = ()
    asked: Recipe | None = None

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
        if picture.control == "two pass":
            told["options"].pop("crf", None)
        return digest(
            {"encoder": told, "mode": picture.control, "size": [self.plan.width, self.plan.height]}
        )[:16]

    def work(self, piece: PieceJob) -> float:
        """What a piece costs, in millions of pixels encoded: its own, and a share for each that is read for it.

        A small picture made from a large one costs more than its own pixels say,
        a short piece more than its frames.
        """
        total = piece.frames * piece.width * piece.height / 1e6
        # reading doesn't hurry with the encoder
        share = READ_SHARE / effort_factor(piece.settings.encoder, self.effort)
        for span in piece.spans:
            for layer in span.layers:
                if layer.media and (read := layer.needs(span.frames)):
                    clip = self.source.facts[layer.media.path]
                    pictures = (read[1] - read[0] + 1) / (2 if layer.deinterlace == "field" else 1)
                    total += share * pictures * clip.width * clip.height / 1e6
        return total + PIECE_WORK

    @property
    def pace(self) -> str:
        """Outputs alike enough to learn seconds from each other."""
        settings = self.plan.settings
        if settings is None:
            return "sound"
        return f"{settings.encoder} {self.effort} {settings.threads} by work"

    @property
    def film(self) -> str:
        """What is shown, whatever recipe it is made by: a source by its media."""
        return digest({"media": sorted(media.fingerprint for media in self.source.cut.media)})[:16]

    @property
    def effort(self) -> str:
        """How hard its encoder tries."""
        return self.recipe.picture.effort if self.recipe.picture else "medium"

    def expected(self, sound_is_silent: bool) -> Expected:
        """What the finished file must be."""
        plan = self.plan
        found = expected_of(
            self.recipe, plan.frames, plan.width, plan.height, plan.rate, plan.sound, sound_is_silent
        )
        found = replace(
            found, name=path_text(self.path.name), cards=tuple(card.model_dump(mode="json") for card in self.cards),
            timecode=self.timecode, shape=str(plan.pieces[0].shape) if plan.pieces else "1",
            differences=tuple(item.sentence for item in differences_from_source(self)), compared=True,
            source_damage=tuple(item.sentence for item in self.damage),
        )  # fmt: skip
        picture, settings = self.recipe.picture, plan.settings
        if picture is None or settings is None:
            return found
        if picture.control == "two pass" and self.rounds and self.rounds.settled:
            found = replace(
                found, picture_bytes=round(self.target_bytes), picture_bytes_off=self.rounds.off_allowed,
                picture_bytes_most=self.rounds.at_best,
            )  # fmt: skip
        return replace(found, colour=settings.colour if picture.kind.tags != "none" else None)

    @property
    def twice(self) -> bool:
        """Whether it is made in two passes, to a rate."""
        return bool(self.recipe.picture and self.recipe.picture.control == "two pass")

    @property
    def searching(self) -> bool:
        """Whether its common quality is still to be found."""
        return self.twice and not (self.rounds and self.rounds.settled)

    @property
    def times(self) -> float:
        """How often its pieces will about be encoded: more than once while a common quality is searched for."""
        return left(self.rounds, len(self.plan.pieces)) if self.searching else 1.0

    @property
    def size_prior(self) -> SizePrior:
        """What is believed of its picture's bytes before anything of it was measured."""
        picture, plan = self.recipe.picture, self.plan
        assert picture is not None and plan.settings is not None
        control, grade = picture.rate_control, picture.kind.grade(picture.grade)
        return size_prior(
            picture.codec, picture.control, plan.width * plan.height, float(plan.rate), control.target_bits_per_second,
            picture.peak, control.quality, grade.bits_a_pixel if grade else 0.0, plan.settings.encoder,
        )  # fmt: skip

    @property
    def target_bytes(self) -> float:
        """Bytes that the picture of an output in two passes has to come to."""
        picture = self.recipe.picture
        return picture.rate_control.target_bits_per_second * self.plan.seconds / 8 if picture else 0.0

    @property
    def bucket(self) -> Bucket | None:
        """The receiver's buffer that the whole picture has to keep, if a peak was asked for."""
        picture = self.recipe.picture
        if picture is None or not picture.peak or not picture.buffer or picture.codec not in KEEPS_PEAK:
            return None
        return Bucket(picture.peak, picture.buffer, float(self.plan.rate), FULLNESS)


@dataclass
class Prospect:
    """A batch made ready: what can be made, and what can't and why.  ``refused`` are outputs that contradict themselves."""

    batch: Batch
    folder: Path
    target: Path
    sources: dict[str, SourceReady] = field(default_factory=dict)
    outputs: list[OutputReady] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    refused: dict[str, Problem] = field(default_factory=dict)

    def output(self, identifier: str) -> OutputReady | None:
        return next((item for item in self.outputs if item.output.id == identifier), None)


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
        placing=framing.placing or usual, left=exact[0], top=exact[1], right=exact[2],
        bottom=exact[3], centres=centres,
    )  # fmt: skip


def kind_of(path: Path) -> str:
    """*sequence* for a timeline file, else *clip*."""
    return "sequence" if path.suffix.lower() in TIMELINE_ENDINGS else "clip"


_READY: OrderedDict[tuple[str, ...], tuple[tuple[tuple[int, int], ...], SourceReady]] = OrderedDict()
MOST_READY = 4096


def ready_source(
    source: Source, folder: Path, store: FactsStore, search: Iterable[str] = (), newest: bool = False
) -> SourceReady:
    """Look at a source and its media, unless it was looked at before and none of its files has changed since.

    Raises:
        MediaError, TimelineError: it can't be used; the sentence says why.
    """
    key = (
        source.model_dump_json(exclude={"ranges"}),
        str(folder),
        str(store.folder),
        repr(tuple(search)),
        str(newest),
    )
    if key in _READY:
        seen, ready = _READY[key]
        if seen == _stamps(ready):
            return replace(ready, source=source)
    ready = _look_at(source, folder, store, search, newest)
    _READY[key] = (_stamps(ready), ready)
    while len(_READY) > MOST_READY:
        _READY.popitem(last=False)
    return ready


def _stamps(ready: SourceReady) -> tuple[tuple[int, int], ...]:
    """Size and time of last change of every file of a source."""
    found = []
    for path in [path_text(ready.path), *ready.facts]:
        try:
            found.append(stamp(path))
        except OSError:
            found.append((-1, 0))
    return tuple(found)


def _look_at(
    source: Source, folder: Path, store: FactsStore, search: Iterable[str], newest: bool
) -> SourceReady:
    """Look at a source and its media; ``search`` are folders to look for missing media in.

    A sequence whose file was changed keeps the cut that was taken, unless the
    ``newest`` is asked for.

    Raises:
        MediaError, TimelineError: it can't be used; the sentence says why.
    """
    path = resolve(source.path, folder)
    if source.kind == "clip":
        places = [resolve(place, folder) for place in search]
        path = clip_place(source, folder, places, store)
        facts = with_alpha_told(store.clip(path_text(path)), source)
        return SourceReady(source, path, clip_cut_list(facts), {facts.path: facts}, source.name)
    rate = parse_rate(source.rate) if source.rate else None
    timeline, present, mark = _cut_taken(source, path, rate, store, newest)
    shelves = Shelves([path.parent, *(resolve(place, folder) for place in search)])
    linked = link(timeline, source, folder, shelves, store)
    if linked.missing:
        error = missing_media(source.name, linked)
        error.mark = mark
        raise error
    linked.facts = {name: with_alpha_told(facts, source) for name, facts in linked.facts.items()}
    cut, notes = sequence_cut_list(linked.timeline, linked.facts)
    by_path = {facts.path: facts for facts in linked.facts.values()}
    return SourceReady(
        source,
        path,
        cut,
        by_path,
        source.name,
        (*notes, *linked.notes),
        linked.timeline,
        linked.moved,
        mark,
        present,
    )


def with_alpha_told(facts: ClipFacts, source: Source) -> ClipFacts:
    """Facts of a clip, its alpha as a person says that it is: files rarely say whether colours are multiplied by it."""
    return replace(facts, alpha=source.alpha) if source.alpha and facts.alpha else facts


def _cut_taken(
    source: Source, path: Path, rate: Rate | None, store: FactsStore, newest: bool
) -> tuple[Timeline, str, str]:
    """The cut to use, the digest of the file as it is, and of the file the cut is from."""
    try:
        present = store.timelines.digest(path)
    except TimelineError:
        kept = store.timelines.kept(path, source.taken, rate) if source.taken else None
        if kept is None:
            raise
        return kept, "", source.taken
    if source.taken and source.taken != present and not newest:
        kept = store.timelines.kept(path, source.taken, rate)
        if kept is not None:
            return kept, present, source.taken
    timeline, present = store.timelines.present(path, rate, present)
    return timeline, present, present


def missing_media(name: str, linked: Linked) -> MissingMedia:
    """That a sequence's media is missing, as an error with a way out."""
    first = next(iter(linked.missing.values()))
    names = [media_title(wanted) for wanted in linked.missing]
    told = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
    return MissingMedia(
        f"{name} needs media that can't be used: {told}. {first.sentence}",
        first.remedy or "Put the files back where the sequence expects them, or search a folder for them.",
    )


_REMEDY = "What can be read of it is used; see that it is the right file."
DROPS = frozenset({Rate(30000, 1001), Rate(60000, 1001)})
"""Rates that have drop-frame timecode."""


def notices(ready: SourceReady) -> list[Problem]:
    """What a person should know of a source though it can be used."""
    name = ready.source.name
    found = [
        Problem(
            name,
            f"{media_title(facts.path)}: {sentence}",
            _REMEDY if "cut short" in sentence else "",
            False,
        )
        for facts in ready.facts.values()
        for sentence in facts.problems
    ]
    for facts in ready.facts.values():
        damaged = facts.fingerprint in ready.source.accepted
        found += [
            Problem(
                name, f"{shown(media_title(facts.path))}: {sentence}" + (" You have accepted that." if damaged else ""),
                "" if damaged else DAMAGE_REMEDY, False, accepts=() if damaged else (facts.fingerprint,),
            )
            for sentence in damage_lines(facts)
        ]  # fmt: skip
    if ready.cut.origin.guessed_colour:
        found.append(
            Problem(name, f"{name} doesn't say its colour; {colour_told(ready.cut.colour)} is guessed from its size.",
                    "Tag it where it comes from if that is wrong.", False)
        )  # fmt: skip
    found += [Problem(name, f"{note.where} {note.sentence}", "", False) for note in ready.notes]
    if high := high_range(ready.cut.colour):
        found.append(
            Problem(name, f"{name} is of high dynamic range ({high}); it is passed through with its tags; in recipes of 8 bits its gradients may show bands.",
                    "Make it of standard range first if its receiver can't show it.", False)
        )  # fmt: skip
    if ready.source.kind == "sequence":
        found += [Problem(name, told, "", False) for told in changes(ready.cut, ready.facts)]
        if ready.changed and ready.present:
            found.append(
                Problem(name, f"{name} has changed on disk since its cut was taken; the cut taken then is used.",
                        "Take the new cut, or leave it.", False)
            )  # fmt: skip
        elif ready.changed:
            found.append(
                Problem(
                    name,
                    f"{ready.path} can't be read any more; the cut taken from it is used.",
                    "Put it back.",
                    False,
                )
            )
    return [replace(problem, source=ready.source.id) for problem in found]


def _look_ahead(
    batch: Batch, folder: Path, store: FactsStore, progress: Callable[[int, int], None] | None
) -> None:
    """Inspect the clips nobody has looked at yet, several at a time; what is wrong with them is said when their turn comes."""
    clips = [path_text(resolve(source.path, folder)) for source in batch.sources if source.kind == "clip"]
    if len(clips) < 2:
        return

    def look(path: str) -> None:
        if progress:
            progress(0, len(batch.sources))  # it may say that nobody wants to know any more
        with contextlib.suppress(ChronocastError, OSError):
            store.clip(path)

    with ThreadPoolExecutor(max_workers=max(2, os.cpu_count() or 2)) as pool:
        list(pool.map(look, clips))


def prepare(
    batch: Batch, folder: Path, store: FactsStore, progress: Callable[[int, int], None] | None = None,
    newest: frozenset[str] = frozenset(),
) -> Prospect:  # fmt: skip
    """Look at every source, plan every output.  Never raises for one bad source or output.

    ``newest`` are sources whose timeline file is to be taken as it is now.
    """
    prospect = Prospect(batch, folder, resolve(batch.folder, folder))
    _look_ahead(batch, folder, store, progress)
    for number, source in enumerate(batch.sources):
        try:
            prospect.sources[source.id] = ready_source(
                source, folder, store, batch.search, source.id in newest
            )
            prospect.problems += notices(prospect.sources[source.id])
        except ChronocastError as error:
            prospect.problems.append(Problem(source.name, error.sentence, error.remedy, source=source.id))
        if progress:
            progress(number + 1, len(batch.sources))
    _plan_outputs(prospect, store.folder.parent / "rounds")
    return prospect


def _plan_outputs(prospect: Prospect, rounds_folder: Path) -> None:
    """Plan every output whose source can be used, and name its file."""
    batch = prospect.batch
    recipes = {recipe.id: recipe for recipe in batch.recipes}
    parts = {(source.id, part.id): part for source in batch.sources for part in source.ranges}
    ready: list[tuple[Output, SourceReady, Recipe, FrameRange, NamedRange | None, Recipe]] = []
    for output in batch.outputs:
        have = prospect.sources.get(output.source)
        if have is None:
            continue
        asked = effective(recipes[output.recipe], output.own)
        recipe, named = definite(asked, have.cut.origin), parts.get((output.source, output.range))
        part = FrameRange(0, have.cut.frames)
        name = have.source.name
        if named is not None:
            if named.stop > have.cut.frames:
                prospect.problems.append(
                    Problem(
                        f"{name} · {named.name}",
                        f"The range ends at frame {named.stop}, but {name} has {have.cut.frames}.",
                        "Set its out point again.",
                        source=output.source,
                        output=output.id,
                    )
                )
                prospect.refused[output.id] = prospect.problems[-1]
                continue
            part = FrameRange(named.start, named.stop)
        ready.append((output, have, recipe, part, named, asked))
    stems = proposed_stems(batch, [item[0] for item in ready])
    endings = [extension(item[2].container) for item in ready]
    store = RoundsStore(rounds_folder)
    names = unlike(
        (stem, ending, item[0].folder) for stem, ending, item in zip(stems, endings, ready, strict=True)
    )
    told: set[tuple[str, str]] = set()
    cards = {card.id: card for card in batch.cards}
    for (output, have, recipe, part, named, asked), name in zip(ready, names, strict=True):
        problem = _contradiction(output, have, recipe)
        if problem is not None:
            prospect.refused[output.id] = replace(problem, source=output.source, output=output.id)
            if (problem.where, problem.sentence) not in told:
                told.add((problem.where, problem.sentence))
                prospect.problems.append(prospect.refused[output.id])
            continue
        key = rounds_key(have, output, recipe)
        rounds = store.load(key) if key else None
        try:
            plan = have.plan(part, recipe, output.framing, rounds)
        except ChronocastError as error:
            problem = Problem(
                f"{recipe.title} for {have.source.name}", error.sentence, error.remedy, source=output.source, output=output.id
            )  # fmt: skip
            prospect.refused[output.id] = problem
            prospect.problems.append(problem)
            continue
        folder = resolve(output.folder, prospect.folder) if output.folder else prospect.target
        ready_output = OutputReady(
            output, have, recipe, part, plan, folder / real_path(name), named.name if named else "",
            named.kind if named else FULL, rounds, key, tuple(cards[card] for card in output.cards), asked,
        )  # fmt: skip
        if refusal := _damage_refused(ready_output):
            prospect.refused[output.id] = refusal
            if (refusal.where, refusal.sentence) not in told:
                told.add((refusal.where, refusal.sentence))
                prospect.problems.append(refusal)
            continue
        prospect.outputs.append(ready_output)


def _damage_refused(ready: OutputReady) -> Problem | None:
    """That an output shows damaged pictures nobody has accepted; None if it shows none."""
    open_damage = [item for item in ready.damage if item.fingerprint not in ready.source.source.accepted]
    if not open_damage:
        return None
    more = f", and at {len(open_damage) - 1} more places" if len(open_damage) > 1 else ""
    return Problem(
        ready.source.source.name, f"{open_damage[0].sentence}{more}, and that would be seen.", DAMAGE_REMEDY,
        source=ready.output.source, output=ready.output.id,
        accepts=tuple(dict.fromkeys(item.fingerprint for item in open_damage)),
    )  # fmt: skip


KEEPS_PEAK = frozenset({"h264", "hevc", "mpeg2"})
"""Codecs whose encoders keep a peak through a buffer; with the others a peak is a wish."""
_FFMPEG = {"mpeg2": "mpeg2video", "dnxhr": "dnxhd", "cineform": "cfhd", "rle": "qtrle", "jpeg": "mjpeg"}


def rounds_key(have: SourceReady, output: Output, recipe: Recipe) -> str:
    """A key for what is decided for an output as a whole; empty where nothing is.

    The cut is not in it: after an edit, pieces that are as they were keep what was decided for them.
    """
    picture = recipe.picture
    if picture is None or not (
        picture.control == "two pass" or (picture.peak and picture.codec in KEEPS_PEAK)
    ):
        return ""
    return digest({"source": str(have.path), "range": output.range, "picture": picture.model_dump(mode="json"),
                   "framing": output.framing.model_dump(mode="json") if output.framing else None})  # fmt: skip


def _contradiction(output: Output, have: SourceReady, recipe: Recipe) -> Problem | None:
    """The first thing in which an output's recipe contradicts itself or its source."""
    found = conflicts(recipe)
    if not found and recipe.picture:
        view = framing_view(output.framing, recipe)
        width, height = picture_size(have.cut, recipe.picture, view, recipe.container)
        rate = output_rate(have.cut, recipe.picture)
        found = level_conflicts(recipe.picture, width, height, rate) + rate_conflicts(recipe, rate)
    if not found and recipe.picture is None and not have.cut.sound:
        return Problem(
            have.source.name,
            f"{have.source.name} has no sound, and “{recipe.title}” makes nothing else of it.",
            "Clear its cell.",
        )
    if not found:
        return None
    where = recipe.title if not output.own else f"{recipe.title} for {have.source.name}"
    return Problem(where, found[0].sentence, found[0].remedy)


def expected_of(
    recipe: Recipe, frames: int, width: int, height: int, rate: Rate, sound: SoundJob | None, silent: bool
) -> Expected:
    """What a file of a recipe must be, at a size, a rate and a length."""
    picture = recipe.picture
    codec = sound_encoder(sound.codec, sound.depth)[0] if sound else None
    found = Expected(
        frames if picture else 0, width if picture else 0, height if picture else 0, str(rate), "",
        CONTAINERS[recipe.container].opened_as or "images", {"libopus": "opus", "libmp3lame": "mp3"}.get(codec or "", codec),
        sound.samples if sound else None, sound.sample_rate if sound else 0, channels_of(sound.layout_of(0)) if sound else 0, silent,
        sound_tracks=len(sound.each_track) if sound else 1, sound_packet=SOUND[sound.codec].packet if sound else 1024,
        languages=sound.languages if sound and recipe.container in ("mp4", "mov", "mkv", "webm", "ts") else (),
        box=recipe.container, layouts=tuple(sound.layout_of(n) for n in range(len(sound.each_track))) if sound else (),
    )  # fmt: skip
    if picture is None:
        return found
    peak = picture.peak if picture.codec in KEEPS_PEAK else None
    return replace(
        found, video_codec=_FFMPEG.get(picture.codec, picture.codec), scan=picture.scan, profile=picture.profile or "",
        level=picture.level or "" if picture.codec in KEEPS_PEAK else "", peak=peak or 0, buffer=(picture.buffer or 0) if peak else 0, full=FULLNESS,
        # of 4444 the decoder says 12 bits, whatever was written
        pixel_format=sampling_of(picture).pixel_format if picture.kind.kind != "images" and picture.grade != "4444" else "",
    )  # fmt: skip
