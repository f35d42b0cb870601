"""Open timeline files (OTIO) and edit lists (CMX 3600) to a plain description of what lies where.

What can't be rendered is noted by name and place, with what is done instead;
what can't be understood is refused.
"""

from __future__ import annotations

import json
import os
import re
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal
from urllib.parse import unquote, urlparse

import opentimelineio as otio

from chronocast.model.errors import ModelError, TimecodeError
from chronocast.model.time.timing import (
    Rate,
    can_drop,
    format_timecode,
    nominal_rate,
    parse_rate,
    parse_timecode,
    rate_text,
)
from chronocast.timeline.described import Cross, Marker, Note, Placed, Timeline, Track, trimmed
from chronocast.timeline.errors import TimelineError
from chronocast.timeline.guard import guard

LONGEST = 24 * 3600
MOST_ITEMS = 200_000
SLOWEST, FASTEST = Fraction(1, 1000), Fraction(1000)
EDL_ENDINGS = frozenset({".edl"})


def read_timeline(path: Path, rate: Rate | None = None) -> Timeline:
    """Read an OTIO file or an edit list; ``rate`` is for edit lists, which don't say theirs.

    Raises
    ------
    TimelineError
        No timeline, or one that can't be understood.
    """
    if path.suffix.lower() in EDL_ENDINGS:
        return read_edit_list(path, rate)
    text = guard(path)
    try:
        json.loads(text)  # the library's parser can crash on text that is no JSON; this one says so
    except (ValueError, RecursionError) as error:
        raise TimelineError(
            f"{path} is not an open timeline file: {_first_line(error)}.", "Export it as OTIO."
        ) from None
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:
        raise TimelineError(
            f"{path} is not an open timeline file: {_first_line(error)}.", "Export it as OTIO."
        ) from None
    if isinstance(timeline, otio.schema.SerializableCollection):
        found = [item for item in timeline if isinstance(item, otio.schema.Timeline)]
        if len(found) != 1:
            raise TimelineError(f"{path} holds {len(found)} sequences.", "Export one sequence to a file.")
        timeline = found[0]
    if not isinstance(timeline, otio.schema.Timeline):
        raise TimelineError(f"{path} is OTIO, but holds no sequence.", "Export a sequence.")
    return _Reading(path, timeline).timeline()


def read_edit_list(path: Path, rate: Rate | None) -> Timeline:
    """Read a CMX 3600 edit list.

    Raises
    ------
    TimelineError
        Its rate isn't known, or it can't be understood.
    """
    text = guard(path)
    drop = bool(re.search(r"^\s*FCM:\s*DROP", text, re.MULTILINE)) or bool(
        re.search(r"\d\d[:;]\d\d[:;]\d\d;\d\d", text)
    )
    if rate is None and drop:
        rate = Fraction(30000, 1001)
    if rate is None:
        raise TimelineError(
            f"{path} is an edit list and doesn't say its frame rate.",
            "Say it when adding it: on the command line with --rate 25, on the desktop when asked.",
        )
    if drop and not can_drop(rate):
        raise TimelineError(
            f"{path} counts drop-frame time, which {rate_text(rate)} frames per second does not have.",
            "Add it at 29.97.",
        )
    if not re.search(r"^\s*\d{1,6}\s+\S+\s+\S+\s+\S", text, re.MULTILINE):
        raise TimelineError(f"{path} holds no edits.", "Export it as a CMX 3600 edit list.")
    try:
        timeline = otio.adapters.read_from_string(_for_adapter(text), "cmx_3600", rate=float(rate))
    except Exception as error:
        raise TimelineError(
            f"{path} can't be read as a CMX 3600 edit list: {_first_line(error)}.",
            "Export it again, or export OTIO.",
        ) from None
    if not isinstance(timeline, otio.schema.Timeline):
        raise TimelineError(f"{path} holds more than one sequence.", "Export one sequence to a file.")
    return _Reading(path, timeline, rate, text, drop).timeline()


def _for_adapter(text: str) -> str:
    """An edit list as the adapter reads it: it knows no drop-frame time in the lines that say a speed."""
    return "\n".join(
        line.replace(";", ":") if re.match(r"^\s*M2\s", line) else line for line in text.splitlines()
    )


@lru_cache(65_536)
def _exact(value: float, rate: float) -> Fraction:
    """A time of so many frames at a rate, in seconds; lengths repeat, so they are kept."""
    exact = parse_rate(rate)
    whole = int(value)
    if whole == value:
        return Fraction(whole * exact.denominator, exact.numerator)
    return Fraction(value).limit_denominator(10_000) / exact


def _first_line(error: Exception) -> str:
    lines = str(error).strip().splitlines()
    return lines[0].rstrip(".")[:200] if lines else type(error).__name__


class _Reading:
    """One timeline being turned into a description."""

    def __init__(
        self, path: Path, source: Any, rate: Rate | None = None, edit_list: str = "", drop: bool = False
    ) -> None:
        self.path, self.source, self.edit_list, self.drop = path, source, edit_list, drop
        self.notes: list[Note] = []
        self.count = 0
        self.rate = rate or self._rate()
        self.motions = _motions(edit_list, self.rate) if edit_list else {}
        self.outgoing = _outgoing(edit_list, self.rate) if edit_list else {}
        self.first = 0
        self.files: dict[str, Path] = {}

    def timeline(self) -> Timeline:
        source = self.source
        start = source.global_start_time
        self.first = round(self._seconds(start) * self.rate) if start else 0
        if self.edit_list:
            self.first = self._record_start()
        tracks = self._tracks(source.tracks, Fraction(0))
        if not any(track.kind == "picture" and track.placed for track in tracks):
            raise TimelineError(
                f"The sequence in {self.path} has no picture.", "Export it with its picture track."
            )
        stack_range = source.tracks.source_range
        marked = None
        if stack_range is not None:
            at = self._seconds(stack_range.start_time)
            marked = (at, at + self._seconds(stack_range.duration))
        return Timeline(
            path=str(self.path),
            name=source.name or self.path.stem,
            rate=self.rate,
            size=_size(source),
            tracks=tracks,
            start_timecode=self.first,
            drop_frame=self.drop,
            markers=self._markers(),
            marked=marked,
            notes=tuple(self.notes),
            by_timecode=bool(self.edit_list),
        )

    def _rate(self) -> Rate:
        candidates = [self.source.global_start_time] if self.source.global_start_time else []
        for track in [*self.source.video_tracks(), *self.source.audio_tracks()]:
            for item in track:
                said = getattr(item, "source_range", None)
                if said is not None:
                    candidates.append(said.duration)
                    break
        for time in candidates:
            try:
                return parse_rate(time.rate)
            except ModelError:
                continue
        raise TimelineError(
            f"The sequence in {self.path} doesn't say its frame rate.", "Export it with source ranges."
        )

    def _record_start(self) -> int:
        found = []
        for line in self.edit_list.splitlines():
            codes = _CODE.findall(line)
            if len(codes) == 4 and line.split()[0].isdigit():
                try:
                    found.append(parse_timecode(codes[2], self.rate))
                except TimecodeError:
                    continue
        return min(found, default=0)

    def _seconds(self, time: Any) -> Fraction:
        try:
            return _exact(time.value, time.rate)
        except (ModelError, ValueError, OverflowError, AttributeError):
            raise TimelineError(
                f"{self.path} holds a time that can't be used ({getattr(time, 'value', time)} at "
                f"{getattr(time, 'rate', '?')}).",
                "Mend the sequence and export it again.",
            ) from None

    def _where(self, name: str, at: Fraction) -> str:
        return f"{name} at {format_timecode(self.first + round(at * self.rate), self.rate, self.drop)}"

    def _note(self, name: str, at: Fraction, sentence: str) -> None:
        self.notes.append(Note(where=self._where(name, at), sentence=sentence))

    def _markers(self) -> tuple[Marker, ...]:
        found = []
        for marker in self.source.tracks.markers:
            said = marker.marked_range
            found.append(
                Marker(
                    at=self._seconds(said.start_time),
                    seconds=self._seconds(said.duration),
                    name=marker.name or "",
                    comment=str(getattr(marker, "comment", "") or ""),
                )
            )
        return tuple(found)

    def _tracks(self, stack: Any, at: Fraction) -> tuple[Track, ...]:
        """The tracks of a stack; a clip lying in it directly is a track of its own."""
        found = []
        for child in stack:
            if not getattr(child, "enabled", True):
                continue
            if isinstance(child, otio.schema.Track):
                kind: Literal["picture", "sound"] = (
                    "sound" if child.kind == otio.schema.TrackKind.Audio else "picture"
                )
                if child.kind not in (otio.schema.TrackKind.Audio, otio.schema.TrackKind.Video):
                    self._note(
                        child.name or "A track",
                        at,
                        f"holds neither picture nor sound ({child.kind}); it is left out.",
                    )
                    continue
                if len(child):
                    found.append(self._track(child, kind, at))
            else:
                placed = self._item(child, Fraction(0), at, "picture")
                found.append(Track(kind="picture", name=child.name or "", placed=(placed,)))
        return tuple(found)

    def _track(self, track: Any, kind: Literal["picture", "sound"], offset: Fraction) -> Track:
        at, placed, crosses = Fraction(0), [], []
        items = list(track)
        self.count += len(items)
        if self.count > MOST_ITEMS:
            raise TimelineError(f"{self.path} has more than {MOST_ITEMS:,} edits.", "Export it in parts.")
        if track.effects:
            self._effects(track, track.name or "A track", offset)
        for number, item in enumerate(items):
            if isinstance(item, otio.schema.Transition):
                cross = self._cross(item, at, offset, number, items)
                if cross:
                    crosses.append(cross)
                continue
            found = self._item(item, at, offset, kind)
            placed.append(found)
            at += found.seconds
        inside = track.source_range if not self.edit_list else None
        if inside is not None:
            cut, kept = trimmed(
                tuple(placed),
                tuple(crosses),
                self._seconds(inside.start_time),
                self._seconds(inside.duration),
            )
            return Track(kind=kind, name=track.name or "", placed=cut, crosses=kept)
        if self.outgoing and kind == "picture":
            placed, crosses = self._with_outgoing(placed, crosses)
        return Track(kind=kind, name=track.name or "", placed=tuple(placed), crosses=tuple(crosses))

    def _with_outgoing(self, placed: list[Placed], crosses: list[Cross]) -> tuple[list[Placed], list[Cross]]:
        """Dissolves of an edit list from a clip that isn't the one before them.

        An edit list names both sides of a dissolve.  Where the outgoing side
        is no continuation of the edit before, it is laid for the length of the
        dissolve, and the incoming side begins after it.
        """
        made: list[Placed] = []
        kept = {cross.at: cross for cross in crosses}
        for item in placed:
            cross = kept.get(item.start)
            left = self.outgoing.get(self.first + round(item.start * self.rate)) if cross else None
            before = made[-1] if made else None
            if cross is None or left is None or cross.before or _continues(before, left, self.rate):
                made.append(item)
                continue
            length = min(cross.after, item.seconds)
            made.append(
                Placed(
                    kind="media",
                    media="",
                    name=left.name,
                    reel=left.reel,
                    start=item.start,
                    seconds=length,
                    source_start=Fraction(left.source) / self.rate,
                )
            )
            later = item.start + length
            kept[later] = Cross(at=later, before=length, after=Fraction(0))
            del kept[item.start]
            rest = {"start": later, "seconds": item.seconds - length}
            made.append(
                item.model_copy(update={**rest, "source_start": item.source_start + length * item.speed})
            )
        return made, [kept[at] for at in sorted(kept)]

    def _cross(
        self, item: Any, at: Fraction, offset: Fraction, number: int, items: list[Any]
    ) -> Cross | None:
        name = item.name or "A transition"
        before, after = self._seconds(item.in_offset), self._seconds(item.out_offset)
        if before < 0 or after < 0 or before + after <= 0:
            self._note(name, offset + at, "is a transition without length; a cut is made.")
            return None
        if before + after > LONGEST:
            raise TimelineError(
                f"{self.path} has a transition of {float(before + after):g} s.",
                "Mend it and export it again.",
            )
        if number and isinstance(items[number - 1], otio.schema.Transition):
            self._note(name, offset + at, "follows another transition directly; it is left out.")
            return None
        kind = str(item.transition_type or "")
        if kind != otio.schema.TransitionTypes.SMPTE_Dissolve:
            self._note(
                name,
                offset + at,
                f"is a transition of a kind that can't be rendered ({kind or 'unnamed'}); a dissolve of its length is made.",
            )
        return Cross(at=at, before=before, after=after)

    def _item(self, item: Any, at: Fraction, offset: Fraction, kind: str) -> Placed:
        name = item.name or type(item).__name__
        here = offset + at if offset else at

        def where() -> str:
            return self._where(f"“{name}”", here)

        try:
            trimmed = item.trimmed_range()
        except Exception:
            raise TimelineError(
                f"{self.path} doesn't say how long {where()} is.", "Export it with source ranges."
            ) from None
        length, start = self._seconds(trimmed.duration), self._seconds(trimmed.start_time)
        if not 0 <= length <= LONGEST:
            raise TimelineError(
                f"{self.path} says that {where()} lasts {float(length):g} s.",
                "Mend the sequence and export it again.",
            )
        if not -LONGEST * 10 <= start <= LONGEST * 10:
            raise TimelineError(
                f"{self.path} starts {where()} at {float(start):g} s of its media.",
                "Mend it and export it again.",
            )
        speed, opacity, placing = self._effects(item, name, here)
        common = {
            "start": at,
            "seconds": length,
            "name": item.name or "",
            "speed": speed,
            "opacity": opacity,
            "placing": placing,
        }
        if isinstance(item, otio.schema.Gap) or not item.enabled:
            return Placed(start=at, seconds=length, name=item.name or "")
        if isinstance(item, otio.schema.Stack):
            return Placed(kind="nest", source_start=start, inner=self._tracks(item, here), **common)
        if isinstance(item, otio.schema.Track):
            inner = item.kind == otio.schema.TrackKind.Audio
            return Placed(
                kind="nest",
                source_start=start,
                inner=(self._track(item, "sound" if inner else "picture", here),),
                **common,
            )
        if not isinstance(item, otio.schema.Clip):
            self._note(
                name,
                here,
                f"is of a kind that can't be rendered ({type(item).__name__}); black is shown.",
            )
            return Placed(start=at, seconds=length, name=item.name or "")
        return self._clip(item, start, common, where, here)

    def _clip(
        self, item: Any, start: Fraction, common: dict[str, Any], where: Callable[[], str], at: Fraction
    ) -> Placed:
        reference = item.media_reference
        zero = length = None
        if getattr(reference, "available_range", None):
            zero, length = (
                self._seconds(reference.available_range.start_time),
                self._seconds(reference.available_range.duration),
            )
        common |= {"source_start": start, "media_zero": zero, "media_seconds": length}
        cmx = item.metadata.get("cmx_3600", {}) if len(item.metadata) else {}
        if isinstance(reference, otio.schema.ExternalReference):
            return Placed(
                kind="media",
                media=str(self._file(reference.target_url, where)),
                reel=str(cmx.get("reel", "")),
                **common,
            )
        if isinstance(reference, otio.schema.ImageSequenceReference):
            return Placed(kind="media", media=self._images(reference, where, length), **common)
        if isinstance(reference, otio.schema.GeneratorReference):
            return Placed(
                kind="fill", fill=self._generator(reference, item.name or "A generator", at), **common
            )
        if self.edit_list:
            reel = str(cmx.get("reel", "")) or "AX"
            if reel.upper() in ("BL", "BLACK"):
                return Placed(start=common["start"], seconds=common["seconds"], name="black")
            if common["speed"] == 1:
                common["speed"] = self.motions.get((reel, self.first + round(at * self.rate)), Fraction(1))
            return Placed(kind="media", media="", reel=reel, **common)
        raise TimelineError(
            f"{self.path} names no media file for {where()}.",
            "Relink the clip and export the sequence again.",
        )

    def _file(self, target: str, where: Callable[[], str]) -> Path:
        if target not in self.files:
            self.files[target] = self._local_file(target, where)
        return self.files[target]

    def _local_file(self, target: str, where: Callable[[], str]) -> Path:
        if "\x00" in target or len(target) > 4096:
            raise TimelineError(
                f"{self.path} names no usable file for {where()}.",
                "Relink the clip and export the sequence again.",
            )
        try:
            url = urlparse(target)
        except ValueError:
            raise TimelineError(
                f"{self.path} names no usable file for {where()}.",
                "Relink the clip and export the sequence again.",
            ) from None
        if url.scheme not in ("", "file") and len(url.scheme) > 1:
            raise TimelineError(
                f"{self.path} wants {target[:200]} for {where()}, which is not on this machine.",
                "Relink the clip to a local file.",
            )
        named = unquote(url.path) if url.scheme == "file" else target
        if "\\" in named and not (self.path.parent / named).exists():
            named = named.replace("\\", "/")  # written by another system
        place = Path(named)
        return Path(os.path.normpath(place if place.is_absolute() else self.path.parent / place))

    def _images(self, reference: Any, where: Callable[[], str], length: Fraction | None) -> str:
        base = (
            self._file(reference.target_url_base or "./x", where)
            if reference.target_url_base
            else self.path.parent
        )
        try:
            rate = parse_rate(reference.rate) if reference.rate else self.rate
            last = int(reference.end_frame())
        except Exception:
            raise TimelineError(
                f"{self.path} doesn't say which images {where()} has.", "Export it with its available range."
            ) from None
        if (
            reference.frame_step != 1
            or not 0 <= reference.start_frame <= last <= reference.start_frame + 2_000_000
        ):
            raise TimelineError(
                f"{self.path} names images for {where()} that can't be counted.", "Number them one by one."
            )
        head = str(base / reference.name_prefix)
        digits = max(1, min(99, reference.frame_zero_padding))
        return f"{head}%0{digits}d{reference.name_suffix}?{reference.start_frame}-{last}@{rate}"

    def _generator(self, reference: Any, name: str, at: Fraction) -> str:
        kind = str(reference.generator_kind or "").lower()
        if "bar" in kind:
            return "bars"
        colour = reference.parameters.get("color", reference.parameters.get("colour"))
        if isinstance(colour, str) and re.fullmatch(r"#[0-9a-fA-F]{6}", colour):
            return colour.lower()
        try:
            parts = [float(part) for part in list(colour)[:3]]
        except (TypeError, ValueError):
            parts = []
        if len(parts) == 3 and all(0 <= part <= 1 for part in parts):
            return "#" + "".join(f"{round(part * 255):02x}" for part in parts)
        if "black" not in kind and "solid" not in kind:
            self._note(
                name,
                at,
                f"is generated in a way that can't be rendered ({reference.generator_kind or 'unnamed'}); black is shown.",
            )
        return "black"

    def _effects(self, item: Any, name: str, at: Fraction) -> tuple[Fraction, Fraction, Any]:
        """Speed, opacity and placing of an item; effects that can't be rendered are noted and left out."""
        speed, opacity = Fraction(1), Fraction(1)
        if not len(item.effects) and not len(item.metadata):
            return speed, opacity, "fit"
        for effect in item.effects:
            if not getattr(effect, "enabled", True):
                continue
            if isinstance(effect, otio.schema.FreezeFrame):
                speed = Fraction(0)
            elif isinstance(effect, otio.schema.LinearTimeWarp):
                speed *= self._speed(effect.time_scalar, name, at)
            elif (effect.effect_name or effect.name or "").strip().lower() == "opacity":
                opacity *= self._share(effect.metadata, name, at)
            else:
                told = effect.effect_name or effect.name or type(effect).__name__
                self._note(
                    name, at, f"has an effect that can't be rendered ({told}); it is shown without it."
                )
        said = item.metadata.get("chronocast", {})
        if hasattr(said, "get") and "opacity" in said:
            opacity *= self._share(said, name, at)
        placing = said.get("placing", "fit") if hasattr(said, "get") else "fit"
        return speed, opacity, placing if placing in ("fit", "fill", "stretch") else "fit"

    def _speed(self, value: Any, name: str, at: Fraction) -> Fraction:
        try:
            speed = Fraction(value).limit_denominator(10_000)
        except (TypeError, ValueError, OverflowError):
            speed = Fraction(FASTEST + 1)
        if speed and not SLOWEST <= abs(speed) <= FASTEST:
            raise TimelineError(
                f"{self.path} plays {self._where(name, at)} at a speed of {value}.",
                "Choose one up to 1000 times.",
            )
        return speed

    def _share(self, metadata: Any, name: str, at: Fraction) -> Fraction:
        value = metadata.get("opacity", metadata.get("value"))
        try:
            share = Fraction(value).limit_denominator(10_000)
        except (TypeError, ValueError, OverflowError):
            share = Fraction(-1)
        if 1 < share <= 100:
            share /= 100
        if not 0 <= share <= 1:
            self._note(name, at, "has an opacity that isn't a number from 0 to 1; it is shown in full.")
            return Fraction(1)
        return share


def _size(timeline: Any) -> tuple[int, int] | None:
    """Frame size, where the file says one (OTIO itself has no place for it)."""
    said = timeline.metadata.get("chronocast", {})
    try:
        width, height = int(said["width"]), int(said["height"])
    except (KeyError, TypeError, ValueError, AttributeError):
        return None
    return (width, height) if 16 <= width <= 16384 and 16 <= height <= 16384 else None


def _motions(text: str, rate: Rate) -> dict[tuple[str, int], Fraction]:
    """Speeds of an edit list's M2 lines, by reel and the record frame their event begins at.

    The adapter passes over those whose edit has the same length in source and
    record, as one played backwards at its own speed has.
    """
    found: dict[tuple[str, int], Fraction] = {}
    event: tuple[str, int] | None = None
    for line in text.splitlines():
        codes = _CODE.findall(line)
        words = line.split()
        if len(codes) == 4 and len(words) > 4 and words[0].isdigit():
            try:
                event = (words[1], parse_timecode(codes[2], rate))
            except TimecodeError:
                event = None
        elif event and (match := re.match(r"^\s*M2\s+\S+\s+(-?\d+(?:\.\d+)?)\s", line)):
            speed = Fraction(match[1]) / nominal_rate(rate)
            if SLOWEST <= abs(speed) <= FASTEST:
                found[event] = speed
    return found


@dataclass(frozen=True)
class Outgoing:
    """The outgoing side of a dissolve as an edit list names it; ``source`` is the frame it begins at."""

    reel: str
    name: str
    source: int


def _outgoing(text: str, rate: Rate) -> dict[int, Outgoing]:
    """Outgoing sides of an edit list's dissolves, by the record frame they begin at.

    A dissolve is two lines of one event: a cut without length, which is the
    outgoing side, and the dissolve itself.
    """
    found: dict[int, Outgoing] = {}
    waiting: tuple[str, int, Outgoing] | None = None
    for line in text.splitlines():
        codes, words = _CODE.findall(line), line.split()
        if len(codes) == 4 and len(words) > 4 and words[0].isdigit():
            try:
                source, record, end = (parse_timecode(codes[n], rate) for n in (0, 2, 3))
            except TimecodeError:
                waiting = None
                continue
            if words[3].upper() == "C" and record == end:
                waiting = (words[0], record, Outgoing(words[1], "", source))
            elif waiting and words[0] == waiting[0] and words[3].upper().startswith("D"):
                found[waiting[1]] = waiting[2]
            else:
                waiting = None
        elif waiting and (name := re.match(r"^\s*\*\s*FROM CLIP NAME:\s*(.+?)\s*$", line, re.IGNORECASE)):
            number, record, side = waiting
            waiting = (number, record, Outgoing(side.reel, name[1], side.source))
            if record in found:
                found[record] = waiting[2]
    return found


def _continues(before: Placed | None, left: Outgoing, rate: Rate) -> bool:
    """Whether the outgoing side of a dissolve goes on with the edit before it."""
    if before is None or before.kind != "media":
        return False
    same_name = not left.name or not before.name or left.name == before.name
    if left.reel.upper() != before.reel.upper() or not same_name:
        return False
    end = before.source_start + before.seconds * before.speed
    return abs(round(end * rate) - left.source) <= 1


_CODE = re.compile(r"(?:\d\d[:;]){3}\d\d")
