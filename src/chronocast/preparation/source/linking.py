"""Find the media of a sequence: where it says, where it was relinked to, or by name, fingerprint, timecode and length."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from chronocast.journal.films.facts import FactsStore
from chronocast.media.errors import NotMedia
from chronocast.media.source.images import is_there
from chronocast.model.batch.batch import Source, resolve
from chronocast.model.errors import ChronocastError, TimecodeError
from chronocast.model.paths import path_text, real_path, shown
from chronocast.model.source.facts import ClipFacts
from chronocast.model.time.timing import parse_timecode
from chronocast.timeline.described import Note, Placed, Timeline, Track

MOST_LOOKED_AT = 20_000
DEEPEST = 6
FILM_ENDINGS = frozenset(
    [
        ".mp4",
        ".mov",
        ".m4v",
        ".mkv",
        ".mxf",
        ".avi",
        ".webm",
        ".mpg",
        ".mpeg",
        ".ts",
        ".m2ts",
        ".mts",
        ".wmv",
        ".flv",
        ".3gp",
        ".ogv",
        ".wav",
        ".flac",
        ".mp3",
        ".m4a",
        ".aac",
        ".ac3",
        ".aif",
        ".aiff",
        ".bwf",
        ".caf",
        ".ogg",
        ".opus",
        ".w64",
        ".wma",
    ]
)
IMAGE_ENDINGS = frozenset({".png", ".jpg", ".jpeg", ".tif", ".tiff", ".dpx", ".exr"})
MEDIA_ENDINGS = FILM_ENDINGS | IMAGE_ENDINGS


@dataclass
class Linked:
    """What was found of a sequence's media: facts by the names it has for them, and what is still missing."""

    timeline: Timeline
    facts: dict[str, ClipFacts] = field(default_factory=dict)
    moved: dict[str, str] = field(default_factory=dict)
    missing: dict[str, ChronocastError] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)


class Shelves:
    """The media files of some folders by name, looked through once, and only when something is missing."""

    def __init__(self, folders: Iterable[Path]) -> None:
        self._folders = list(dict.fromkeys(folders))
        self._by_name: dict[str, list[Path]] | None = None

    @property
    def by_name(self) -> Mapping[str, list[Path]]:
        """Files by their name in small letters."""
        if self._by_name is None:
            found: dict[str, list[Path]] = defaultdict(list)
            count = 0
            for folder in self._folders:
                base = len(folder.parts)
                for place, inner, files in os.walk(folder):
                    inner[:] = (
                        sorted(n for n in inner if not n.startswith("."))
                        if len(Path(place).parts) - base < DEEPEST
                        else []
                    )
                    for name in sorted(files):
                        if os.path.splitext(name)[1].lower() in MEDIA_ENDINGS:
                            found[name.lower()].append(Path(place) / name)
                            count += 1
                    if count > MOST_LOOKED_AT:
                        break
            self._by_name = found
        return self._by_name

    def named(self, name: str) -> list[Path]:
        """Files of a name."""
        return self.by_name.get(name.lower(), [])

    def all(self) -> list[Path]:
        """Every file."""
        return [path for paths in self.by_name.values() for path in paths]


def link(timeline: Timeline, source: Source, folder: Path, shelves: Shelves, store: FactsStore) -> Linked:
    """Find every media file of a sequence and look at it, several at a time.

    Nothing is raised for a missing one; it is in ``missing`` with its reason.

    Parameters
    ----------
    timeline
        The sequence.
    source
        The source, as the batch has it.
    folder
        The batch's folder, which relative paths begin at.
    shelves
        Folders it is looked for in.
    store
        What is known of media.
    """
    linked = Linked(timeline)
    if timeline.by_timecode:
        linked.timeline = _conform(timeline, source, folder, shelves=shelves, store=store, linked=linked)
    names = [name for name in linked.timeline.media if name not in linked.facts]
    places = {name: _place(name, source, folder, shelves, store) for name in names}
    for name, place in places.items():
        if place != name:
            linked.moved[name] = place
    with ThreadPoolExecutor(max_workers=max(2, os.cpu_count() or 2)) as pool:
        looked = pool.map(lambda name: _facts(places[name], store), names)
        for name, facts in zip(names, looked, strict=True):
            if isinstance(facts, ClipFacts):
                linked.facts[name] = facts
            else:
                linked.missing[name] = facts
    for name, place in linked.moved.items():
        if name in linked.facts and name not in source.relinked:
            sure = source.known.get(name) == linked.facts[name].fingerprint
            linked.notes.append(
                Note(
                    where=Path(name).name,
                    sentence=f"is missing where the sequence names it; {place} is used"
                    f"{', which is the same file' if sure else ', found by its name'}.",
                )
            )
    for name in list(linked.facts):
        facts = linked.facts[name]
        if source.known.get(name, facts.fingerprint) != facts.fingerprint:
            linked.missing[name] = replaced(facts.path)
            del linked.facts[name]
    return linked


def replaced(path: str) -> ChronocastError:
    """That the file at a path is another one than the one that was brought in."""
    return ChronocastError(
        f"{shown(path)} is not the file that was brought in: it has been replaced since.",
        "Put the old file back, search a folder for it, or take the file as it is now.",
    )


def clip_place(source: Source, folder: Path, search: Iterable[Path], store: FactsStore) -> Path:
    """Where a clip is to be read: where it was brought in from, or where the very same file lies now.

    Once it is known what is in a clip, nothing else ever stands for it.

    Parameters
    ----------
    source
        The source, as the batch has it.
    folder
        The batch's folder, which relative paths begin at.
    search
        Folders it is looked for in.
    store
        What is known of media.

    Raises
    ------
    ChronocastError
        The file that was brought in is nowhere to be found; the sentence says what is there instead.
    """
    path = resolve(source.relinked.get(source.path, source.path), folder)
    wanted = source.known.get(source.path)
    facts = _facts(path_text(path), store)
    if isinstance(facts, ClipFacts):
        if wanted is None or facts.fingerprint == wanted:
            return path
        problem = replaced(facts.path)
    elif wanted is None or not isinstance(facts, NotMedia):
        raise facts
    else:
        problem = facts
    if found := _same_file(wanted, path.name, Shelves([path.parent, folder, *search]), store):
        return Path(real_path(found))
    raise problem


def _same_file(wanted: str, name: str, shelves: Shelves, store: FactsStore) -> str | None:
    """The file of a fingerprint, those of that name first."""
    candidates = shelves.named(name)
    for path in [*candidates, *[path for path in shelves.all() if path not in candidates][:MOST_COMPARED]]:
        facts = _facts(path_text(path), store)
        if isinstance(facts, ClipFacts) and facts.fingerprint == wanted:
            return path_text(path)
    return None


MOST_COMPARED = 200
"""How many files of other names are looked into for a fingerprint."""


def _facts(path: str, store: FactsStore) -> ClipFacts | ChronocastError:
    try:
        return store.clip(path)
    except ChronocastError as error:
        return error


def _there(path: str) -> bool:
    try:
        return is_there(path)
    except (ValueError, ChronocastError):
        return False


def _place(name: str, source: Source, folder: Path, shelves: Shelves, store: FactsStore) -> str:
    """Where a file that a sequence names is to be read; the name itself where nothing better is known."""
    if name in source.relinked:
        told = Path(source.relinked[name])
        return str(told if told.is_absolute() else folder / told)
    if _there(name) and (wanted := source.known.get(name)):
        facts = _facts(name, store)
        if isinstance(facts, ClipFacts) and facts.fingerprint != wanted:  # another file has its name now
            return _same_file(wanted, basename(name), shelves, store) or name
    if _there(name):
        return name
    for old, new in source.relinked.items():
        if found := beside(name, old, str(folder / new)):
            return found
    file = basename(name)
    if wanted := source.known.get(name):
        return _same_file(wanted, file, shelves, store) or name
    candidates = shelves.named(file)
    return path_text(candidates[0]) if candidates else name


def basename(name: str) -> str:
    """The last part of a path as any system writes it, backslashes too.

    >>> basename("D:\\\\Reels\\\\reef.mov")
    'reef.mov'
    """
    return name.replace("\\", "/").rsplit("/", 1)[-1]


def beside(name: str, old: str, new: str) -> str | None:
    """Where ``name`` lies if it moved the way ``old`` moved to ``new``; None if nothing is there.

    The folders both paths end in alike are taken off; what is left was moved.

    Parameters
    ----------
    name
        A path as a timeline has it.
    old
        A neighbour's path as the timeline has it.
    new
        Where that neighbour was found.
    """
    was, now = Path(old), Path(new)
    if was.name != now.name:
        was, now = was.parent / "x", now.parent / "x"
    before, after = list(was.parts), list(now.parts)
    while before and after and before[-1] == after[-1]:
        before.pop()
        after.pop()
    parts = Path(name).parts
    if tuple(parts[: len(before)]) != tuple(before):
        return None
    moved = str(Path(*after, *parts[len(before) :]))
    return moved if moved != name and _there(moved) else None


# Edit lists


def _conform(
    timeline: Timeline, source: Source, folder: Path, *, shelves: Shelves, store: FactsStore, linked: Linked
) -> Timeline:
    """An edit list with files for its reels: by clip name, else by reel; then by timecode and length."""
    seen: dict[str, ClipFacts | ChronocastError] = {}
    rankings: dict[tuple[str, str], list[tuple[int, Path]]] = {}

    def facts(path: Path) -> ClipFacts | None:
        key = path_text(path)
        if key not in seen:
            seen[key] = _facts(key, store)
        found = seen[key]
        return found if isinstance(found, ClipFacts) else None

    def choose(placed: Placed) -> str:
        label = placed.name or placed.reel
        if told := source.relinked.get(label):
            return str(folder / told)
        key = (placed.name, placed.reel)
        if key not in rankings:
            likely = [(likeness, path) for path in shelves.all() if (likeness := _alike(placed, path))]
            rankings[key] = sorted(likely, key=lambda item: (-item[0], str(item[1])))
        ranked = rankings[key]
        for _, path in ranked:
            clip = facts(path)
            if clip is not None and _covers(clip, placed):
                linked.facts[path_text(path)] = clip
                return path_text(path)
        why = "none of that name holds its timecode" if ranked else "no file has its name or reel"
        linked.missing[label] = ChronocastError(
            f"{label} (reel {placed.reel}) was not found: {why}.", "Search a folder for it, or relink it."
        )
        return ""

    def walk(tracks: tuple[Track, ...]) -> tuple[Track, ...]:
        return tuple(
            track.model_copy(
                update={
                    "placed": tuple(
                        placed.model_copy(update={"media": choose(placed)})
                        if placed.kind == "media" and not placed.media
                        else placed
                        for placed in track.placed
                    )
                }
            )
            for track in tracks
        )

    return timeline.model_copy(update={"tracks": walk(timeline.tracks)})


def _alike(placed: Placed, path: Path) -> int:
    """How well a file's name fits an event: 3 its clip name, 2 its reel, 1 begins with its reel, 0 not at all."""
    stem, name, reel = path.stem.lower(), basename(placed.name).lower(), placed.reel.lower()
    if name and name in (path.name.lower(), stem):
        return 3
    if name and Path(name).stem == stem:
        return 3
    if reel in ("", "ax"):
        return 0
    if stem == reel:
        return 2
    plain = "".join(letter for letter in stem if letter.isalnum())
    return 1 if len(reel) >= 4 and (stem.startswith(reel) or plain.startswith(reel)) else 0


def _covers(clip: ClipFacts, placed: Placed) -> bool:
    """Whether a clip holds the stretch an event uses, by its timecode, or from 0 where it has none."""
    zero = 0.0
    if clip.timecode:
        try:
            zero = float(parse_timecode(clip.timecode, clip.rate) / clip.rate)
        except TimecodeError:
            zero = 0.0
    slack = 1 / float(clip.rate)
    length = clip.seconds or max((track.seconds for track in clip.audio), default=0.0)
    first = float(placed.source_start) - zero
    last = first + float(placed.seconds * abs(placed.speed))
    return first >= -slack and last <= length + slack
