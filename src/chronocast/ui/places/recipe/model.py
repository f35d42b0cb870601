"""What *Recipe* says, in plain Python: questions, settings, choices with what they do.  Tested without Qt."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from chronocast.forecast.weigh import Weighed, against, weigh
from chronocast.model.batch.columns import MIXED, common
from chronocast.model.batch.exceptions import differences, replaced
from chronocast.model.errors import ModelError
from chronocast.model.recipe.codecs import PICTURE, SOUND
from chronocast.model.recipe.containers import CONTAINERS, IMAGE_EXTENSIONS, ending_told
from chronocast.model.recipe.contradictions import (
    Conflict,
    conflicts,
    level_conflicts,
    profile_reasons,
    rate_conflicts,
    unavailable,
    usual_profile,
)
from chronocast.model.recipe.levels import broken, levels
from chronocast.model.recipe.rate_controls import RATE_CONTROLS
from chronocast.model.recipe.recipe import Recipe, frame_size
from chronocast.model.show import rate_bits_text
from chronocast.model.time.timing import Rate, parse_rate

BITS = "picture.rate_control.target_bits_per_second"
PEAK = "picture.rate_control.peak_bits_per_second"
BUFFER = "picture.rate_control.buffer_bits"
QUALITY = "picture.rate_control.quality"
MODE = "picture.rate_control.mode"


@dataclass(frozen=True)
class Choice:
    """One thing that can be chosen: the fields it sets, its words, what it does to size and time, or why it can't be had."""

    words: str
    values: Mapping[str, Any]
    effect: str = ""
    why: str = ""


@dataclass(frozen=True)
class Setting:
    """One setting: choices, or a line to type in.  ``told`` says what it does to time, size and look."""

    key: str
    label: str
    told: str
    choices: tuple[Choice, ...] = ()
    chosen: int = -1
    kind: Literal["choices", "bits", "number", "seconds", "text", "size", "languages"] = "choices"
    text: str = ""
    changed: bool = False
    mixed: bool = False
    wrong: str = ""

    @property
    def shape(self) -> tuple[Any, ...]:
        """What a widget for it depends on."""
        return (self.key, self.kind, len(self.choices))


@dataclass(frozen=True)
class Group:
    """Settings under one question."""

    question: str
    settings: tuple[Setting, ...]


@dataclass(frozen=True)
class RecipeModel:
    """All that is said of a recipe, or of the recipes of some cells together."""

    groups: tuple[Group, ...]
    conflicts: tuple[Conflict, ...] = ()
    differences: tuple[str, ...] = ()
    weighed: Weighed | None = None
    extension: str = ""
    mixed: tuple[str, ...] = field(default=())

    def setting(self, key: str) -> Setting | None:
        return next((item for group in self.groups for item in group.settings if item.key == key), None)


@dataclass(frozen=True)
class Seen:
    """The source that consequences are told for: its size and rate."""

    width: int = 1280
    height: int = 720
    rate: Rate = field(default_factory=lambda: Rate(25))


class _Maker:
    """Settings of some recipes: the first stands for all where consequences are told."""

    def __init__(self, recipes: Sequence[Recipe], saved: Recipe | None, seen: Seen) -> None:
        # many cells are made by few recipes: each is looked at once
        self.recipes = list({id(recipe): recipe for recipe in recipes}.values())
        self.saved, self.seen, self.first = saved, seen, recipes[0]
        self.now = self.weighed(self.first)
        self.found = conflicts(self.first)
        self.changed_fields = {name for name, _, _ in differences(self.first, saved)} if saved else set()

    def weighed(self, recipe: Recipe) -> Weighed:
        return weigh(recipe, self.seen.width, self.seen.height, self.seen.rate)

    def effect(self, values: Mapping[str, Any]) -> str:
        """What a choice does to size and time against what is now."""
        try:
            return against(self.weighed(replaced(self.first, values)), self.now)
        except (ModelError, ValueError, ZeroDivisionError):
            return ""

    def _is(self, values: Mapping[str, Any]) -> bool:
        return all(
            _same(common(self.recipes, name), value)
            for name, value in values.items()
            if not name.startswith("+")
        )

    def changed(self, fields: Sequence[str]) -> bool:
        return any(
            name == item or name.startswith(item + ".") for item in fields for name in self.changed_fields
        )

    def wrong(self, fields: Sequence[str]) -> str:
        return next(
            (
                item.sentence
                for item in self.found
                if any(item.field == name or name.startswith(item.field) for name in fields)
            ),
            "",
        )

    def choices(
        self,
        key: str,
        label: str,
        told: str,
        *,
        options: Sequence[tuple[str, Mapping[str, Any]]],
        why: Mapping[str, str] | None = None,
        weighed: bool = True,
    ) -> Setting:
        """A setting of a few choices."""
        fields = list(
            dict.fromkeys(name for _, values in options for name in values if not name.startswith("+"))
        )
        mixed = any(common(self.recipes, name) is MIXED for name in fields)
        made, chosen = [], -1
        for number, (words, values) in enumerate(options):
            clean = {name.removeprefix("+"): value for name, value in values.items()}
            if chosen < 0 and not mixed and self._is(values):
                chosen = number
            reason = (why or {}).get(words, "")
            made.append(
                Choice(
                    words,
                    clean,
                    self.effect(clean) if weighed and not reason and chosen != number else "",
                    reason,
                )
            )
        return Setting(
            key,
            label,
            told,
            tuple(made),
            chosen,
            changed=self.changed(fields),
            mixed=mixed,
            wrong=self.wrong(fields),
        )

    def line(self, key: str, label: str, told: str, kind: Any, say: Any = str) -> Setting:
        """A setting to type."""
        value = common(self.recipes, key)
        mixed = value is MIXED
        return Setting(
            key,
            label,
            told,
            kind=kind,
            text="" if mixed or value in (None, ()) else say(value),
            changed=self.changed([key]),
            mixed=mixed,
            wrong=self.wrong([key]),
        )


def _same(one: Any, two: Any) -> bool:
    return one is not MIXED and (list(one) if isinstance(one, tuple) else one) == (
        list(two) if isinstance(two, tuple) else two
    )


def recipe_model(recipes: Sequence[Recipe], saved: Recipe | None, seen: Seen) -> RecipeModel:
    """Everything *Recipe* says of one recipe, or of several together (those of chosen cells)."""
    make = _Maker(recipes, saved, seen)
    first = make.first
    groups = [_purpose(make)]
    if first.picture:
        groups += [_picture(make), _bits(make)]
    if first.sound:
        groups.append(_sound(make))
    found = list(make.found)
    if first.picture and not found:
        out = frame_size(first.picture.size, seen.width, seen.height, multiple=first.picture.kind.multiple)
        rate = parse_rate(first.picture.rate) if first.picture.rate else seen.rate
        found += level_conflicts(first.picture, *out, rate) + rate_conflicts(first, rate)
    told = (
        tuple(
            f"{label_of(name)}: {say(name, a)}, saved {say(name, b)}"
            for name, a, b in differences(first, saved)
        )
        if saved
        else ()
    )
    ending = ending_told(first.container, first.picture.codec if first.picture else None)
    return RecipeModel(tuple(groups), tuple(found), told, make.now, ending)


def _purpose(make: _Maker) -> Group:
    first = make.first
    whole: Mapping[str, Any] = {"picture": {}, "container": "mp4", "sound": {}}
    options: list[tuple[str, Mapping[str, Any]]] = [
        ("picture and sound", {}),
        ("picture only", {"sound": None}),
        ("sound only", {"picture": None, "container": "wav", "sound": {"codec": "pcm"}}),
    ]
    chosen = 2 if first.picture is None else 1 if first.sound is None else 0
    made = []
    for number, (words, values) in enumerate(options):
        if number == 0 and chosen:
            values = {"sound": {}} if chosen == 1 and CONTAINERS[first.container].sound else whole
        if number == 1 and chosen == 2:
            values = {"picture": {}, "sound": None, "container": "mp4"}
        made.append(Choice(words, values, make.effect(values) if number != chosen else ""))
    carries = Setting(
        "carries",
        "Carries",
        "Nothing is left out by accident: no sound and no picture are choices.",
        tuple(made),
        chosen,
        changed=make.changed(["picture", "sound"])
        and make.saved is not None
        and (
            (make.saved.picture is None) != (first.picture is None)
            or (make.saved.sound is None) != (first.sound is None)
        ),
    )
    picture, sound = (
        first.picture.codec if first.picture else None,
        first.sound.codec if first.sound else None,
    )
    why = {}
    options = []
    for box in CONTAINERS.values():
        if bool(box.picture) != bool(picture):
            continue
        options.append((f"{box.name}  {box.extension or 'folder'}", {"container": box.id}))
        if picture and picture not in box.picture:
            why[options[-1][0]] = f"{box.name} doesn't hold {PICTURE[picture].name}"
        elif sound and sound not in box.sound:
            why[options[-1][0]] = (
                f"{box.name} doesn't hold {SOUND[sound].name}" if box.sound else f"{box.name} hold no sound"
            )
    container = make.choices(
        "container",
        "Container",
        "The kind of file, and with it its extension; it costs nothing in time and next to nothing in size.",
        options=options,
        why=why,
        weighed=False,
    )
    return Group("What is it for?", (carries, container))


_SIZES: tuple[tuple[str, dict[str, Any]], ...] = (
    ("as the source", {"picture.size.mode": "source"}),
    (
        "up to 1920×1080",
        {"picture.size.mode": "ceiling", "picture.size.width": 1920, "picture.size.height": 1080},
    ),
    (
        "up to 1280×720",
        {"picture.size.mode": "ceiling", "picture.size.width": 1280, "picture.size.height": 720},
    ),
    (
        "up to 640×360",
        {"picture.size.mode": "ceiling", "picture.size.width": 640, "picture.size.height": 360},
    ),
    ("1920×1080", {"picture.size.mode": "fixed", "picture.size.width": 1920, "picture.size.height": 1080}),
    ("3840×2160", {"picture.size.mode": "fixed", "picture.size.width": 3840, "picture.size.height": 2160}),
    (
        "upright 1080×1920",
        {"picture.size.mode": "fixed", "picture.size.width": 1080, "picture.size.height": 1920},
    ),
)


def _picture(make: _Maker) -> Group:
    picture = make.first.picture
    assert picture is not None
    codec = picture.kind
    found = [
        make.choices(
            "codec",
            "Codec",
            f"{codec.name}: {codec.use}.",
            options=[(item.name.split(" (")[0], {"picture.codec": item.id}) for item in PICTURE.values()],
        )
    ]
    if len(codec.encoders) > 1:
        names = [
            (
                name + (" (faster)" if number == 0 else " (smaller)"),
                {"picture.encoder": name if number else None},
            )
            for number, name in enumerate(codec.encoders)
        ]
        found.append(
            make.choices(
                "encoder",
                "Encoder",
                "Both write the same format; without a choice the faster one.",
                options=names,
            )
        )
    if codec.grades:
        found.append(
            make.choices(
                "grade",
                "Grade",
                "Each grade about half as large again as the one before, and safer to work on.",
                options=[(item.name, {"picture.grade": item.id}) for item in codec.grades],
            )
        )
    elif len(codec.samplings) > 1:
        found.append(
            make.choices(
                "samples",
                "Samples",
                "More bits keep gradients smooth, fuller colour keeps its edges; old players take 8 bit 4:2:0 only.",
                options=[
                    ("as usual", {"picture.depth": None, "picture.chroma": None}),
                    ("as the source", {"picture.depth": "source", "picture.chroma": "source"}),
                    *(
                        (item.name, {"picture.depth": item.depth, "picture.chroma": item.chroma})
                        for item in codec.choices
                    ),
                ],
            )
        )
    able = any(item.alpha for item in codec.samplings) or any(grade.with_alpha for grade in codec.grades)
    if able or picture.alpha != "drop":
        found.append(
            make.choices(
                "alpha",
                "See-through",
                "Alpha is for titles and graphics that are laid over something else; most players show none.",
                options=[
                    ("laid over black", {"picture.alpha": "drop"}),
                    ("as the source", {"picture.alpha": "source"}),
                    ("always kept", {"picture.alpha": "keep"}),
                ],
                why=None
                if able
                else dict.fromkeys(("as the source", "always kept"), f"{codec.name} holds no alpha"),
                weighed=False,
            )
        )
    found.append(
        make.choices(
            "size",
            "Frame size",
            "Half the sides are a quarter of the work; nothing is enlarged unless a size is fixed.",
            options=_SIZES,
        )
    )
    found.append(
        Setting(
            "picture.size",
            "",
            "Any size: type 1440×1080, or up to 1440×1080.",
            kind="size",
            text=_size_text(make),
            changed=False,
        )
    )
    if picture.size.mode == "fixed":
        found.append(
            make.choices(
                "framing",
                "Placed",
                "What happens where the source has another shape; each file can be framed for itself in Range.",
                options=[
                    ("fit, with bars", {"picture.framing": "fit"}),
                    ("fill, sides cut", {"picture.framing": "fill"}),
                    ("stretch", {"picture.framing": "stretch"}),
                ],
                weighed=False,
            )
        )
    if codec.kind == "images":
        found.append(_stills(make))
    else:
        found.append(
            make.choices(
                "rate",
                "Frames a second",
                "Work grows with it; another rate than the source's is made as the next line says.",
                options=[
                    ("as the source", {"picture.rate": None}),
                    *(
                        (rate, {"picture.rate": rate})
                        for rate in ("23.976", "24", "25", "29.97", "30", "50", "59.94", "60")
                    ),
                ],
            )
        )
        if picture.rate:
            found.append(
                make.choices(
                    "retime",
                    "In between",
                    "Nearest repeats or drops pictures, blend softens movement, motion draws new pictures (slow, may tear).",
                    options=[
                        ("nearest", {"picture.retime": "nearest"}),
                        ("blend", {"picture.retime": "blend"}),
                        ("motion", {"picture.retime": "motion"}),
                    ],
                )
            )
        words = {
            "source": "as the source",
            "progressive": "progressive",
            "top first": "fields, top first",
            "bottom first": "fields, bottom first",
        }
        why = {
            text: f"{codec.name} is written progressive only"
            for scan, text in words.items()
            if scan not in codec.scans and scan != "source"
        }
        found.append(
            make.choices(
                "scan",
                "Scan",
                "Fields are for broadcast servers that ask for them; they take twice the pictures to make.",
                options=[(text, {"picture.scan": scan}) for scan, text in words.items()],
                why=why,
            )
        )
        found.append(
            make.choices(
                "shape",
                "Pixels",
                "Square pixels are shown right everywhere; the source's own shape keeps every stored pixel as it is.",
                options=[
                    ("square", {"picture.shape": "square"}),
                    ("as the source", {"picture.shape": "source"}),
                ],
                weighed=False,
            )
        )
        box = CONTAINERS[make.first.container]
        found.append(
            make.choices(
                "timecode",
                "Start timecode",
                "What an editor relinks and counts by; players ignore it.",
                options=[
                    ("none", {"picture.timecode": "none"}),
                    ("as the source", {"picture.timecode": "source"}),
                ],
                why=None if box.timecode else {"as the source": f"{box.name} carries none"},
                weighed=False,
            )
        )
    return Group("What picture?", tuple(found))


def _stills(make: _Maker) -> Setting:
    options: list[tuple[str, Mapping[str, Any]]] = [("every picture", {"picture.stills.mode": "every"})]
    options += [
        (f"every {n:g} s", {"picture.stills.mode": "interval", "picture.stills.seconds": float(n)})
        for n in (1, 2, 5, 10, 60)
    ]
    options += [
        ("the first", {"picture.stills.mode": "first"}),
        ("the middle one", {"picture.stills.mode": "middle"}),
    ]
    ending = IMAGE_EXTENSIONS[make.first.picture.codec] if make.first.picture else ""
    return make.choices(
        "stills", "Which", f"Numbered {ending} files in a folder of the file's name.", options=options
    )


def _size_text(make: _Maker) -> str:
    value = common(make.recipes, "picture.size")
    if value is MIXED or not value:
        return ""
    if value["mode"] == "source":
        return ""
    return ("up to " if value["mode"] == "ceiling" else "") + f"{value['width']}×{value['height']}"


def _bits(make: _Maker) -> Group:
    picture = make.first.picture
    assert picture is not None
    codec, found = picture.kind, []
    closed = unavailable(picture)
    found.append(
        make.choices(
            "mode",
            "Rate control",
            RATE_CONTROLS[picture.rate_control.mode].use if codec.modes else next(iter(closed.values()), ""),
            options=[(mode, {MODE: mode}) for mode in RATE_CONTROLS],
            why=closed,
        )
    )
    if picture.steering is RATE_CONTROLS["quality"]:
        best, worst, usual = codec.quality or (0, 51, 20)
        found.append(
            make.line(
                QUALITY,
                "Quality",
                f"{best:g} is best, {worst:g} worst, {usual:g} usual; six steps lower is about twice the size.",
                "number",
                lambda v: f"{v:g}",
            )
        )
    elif codec.modes:
        found.append(
            make.line(
                BITS,
                "Rate",
                "The picture's average. Type it as 3 Mb/s, 3.5M or 700k.",
                "bits",
                rate_bits_text,
            )
        )
    if codec.modes and picture.control in codec.peaks and not picture.steering.even:
        found.append(
            make.line(
                PEAK,
                "Peak",
                "No moment takes more than this; empty is twice the rate, and none with quality.",
                "bits",
                rate_bits_text,
            )
        )
    if picture.peak:
        found.append(
            make.line(
                BUFFER,
                "Buffer",
                "What the receiver stores while a peak lasts, in bits; empty is one second of the peak.",
                "bits",
                lambda v: f"{v / 1e6:.4g} Mbit",
            )
        )
    if codec.kind == "long" and codec.efforts:
        found.append(
            make.choices(
                "effort",
                "Effort",
                "More effort looks better at the same rate, and takes longer.",
                options=[(effort, {"picture.effort": effort}) for effort in ("fast", "medium", "slow")],
            )
        )
    if codec.kind == "long":
        found.append(
            make.line(
                "picture.key_frame_seconds",
                "Key frame every",
                "Seconds. Shorter is quicker to jump in and larger; two are usual, one for loops.",
                "seconds",
                lambda v: f"{v:g} s",
            )
        )
    if codec.profiles:
        usual_one = usual_profile(picture)
        found.append(
            make.choices(
                "profile",
                "Profile",
                "What a player must be able to do.",
                options=[
                    (f"as needed ({usual_one})", {"picture.profile": None}),
                    *((name, {"picture.profile": name}) for name in codec.profiles),
                ],
                why=profile_reasons(picture),
                weighed=False,
            )
        )
    if table := levels(codec.id, picture.profile or usual_profile(picture)):
        found.append(_levels(make, table))
    return Group("How many bits?", tuple(found))


def _levels(make: _Maker, table: Sequence[Any]) -> Setting:
    picture, seen = make.first.picture, make.seen
    assert picture is not None
    width, height = frame_size(picture.size, seen.width, seen.height, multiple=picture.kind.multiple)
    rate = parse_rate(picture.rate) if picture.rate else seen.rate
    why = {}
    for level in table:
        if clause := broken(
            picture.codec,
            level,
            width=width,
            height=height,
            rate=rate,
            bits=picture.peak or 0,
            buffer=picture.buffer or 0,
            interlaced=picture.scan != "progressive",
        ):
            why[level.name] = clause
    return make.choices(
        "level",
        "Level",
        "How much a player must keep up with; grey ones are too low for this size, rate and peak.",
        options=[
            ("as needed", {"picture.level": None}),
            *((level.name, {"picture.level": level.name}) for level in table),
        ],
        why=why,
        weighed=False,
    )


def _sound(make: _Maker) -> Group:
    sound = make.first.sound
    assert sound is not None
    codec, box = SOUND[sound.codec], CONTAINERS[make.first.container]
    why = {
        item.name: f"{box.name} doesn't hold {item.name}"
        for item in SOUND.values()
        if item.id not in box.sound
    }
    found = [
        make.choices(
            "sound.codec",
            "Codec",
            f"{codec.name}: {codec.use}.",
            options=[(item.name, {"sound.codec": item.id}) for item in SOUND.values()],
            why=why,
        )
    ]
    if codec.lossless:
        found.append(
            make.choices(
                "sound.depth",
                "Depth",
                "16 bits are enough to listen to, 24 to go on working.",
                options=[
                    ("as the source", {"sound.depth": "source"}),
                    ("16 bit", {"sound.depth": 16}),
                    ("24 bit", {"sound.depth": 24}),
                ],
            )
        )
    else:
        low, high, usual = codec.bits
        found.append(
            make.line(
                "sound.bits_per_second",
                "Rate",
                f"A track. {usual // 1000} kb/s is usual; {low // 1000} to {high // 1000} can be had.",
                "bits",
                rate_bits_text,
            )
        )
    found.append(
        make.choices(
            "sound.layout",
            "Layout",
            "5.1 becomes stereo with its centre and surrounds mixed in; mono is stereo folded.",
            options=[
                ("as the source", {"sound.layout": "source"}),
                *((name, {"sound.layout": name}) for name in ("mono", "stereo", "5.1")),
            ],
        )
    )
    found.append(
        make.choices(
            "sound.tracks",
            "Tracks",
            "One: a sequence's tracks as they are heard together, a clip's first or chosen track. Each keeps them all.",
            options=[("one", {"sound.tracks": "mixed"}), ("each as it is", {"sound.tracks": "each"})],
            why={"each as it is": f"{box.name} holds one sound track"} if box.most_tracks == 1 else None,
            weighed=False,
        )
    )
    rates = {
        f"{rate:,} Hz": f"{codec.name} works at {codec.rates[0]:,} Hz only"
        for rate in (44100, 48000)
        if rate not in codec.rates
    }
    found.append(
        make.choices(
            "sound.sample_rate",
            "Sampling rate",
            "48,000 Hz is usual with pictures.",
            options=[
                ("as the source", {"sound.sample_rate": "source"}),
                *((f"{rate:,} Hz", {"sound.sample_rate": rate}) for rate in (44100, 48000)),
            ],
            why=rates,
            weighed=False,
        )
    )
    found.append(
        make.line(
            "sound.choose",
            "Only tracks",
            "Some of a source's sound tracks, by language or number: deu, 2. Empty takes what is usual; what is left out is listed.",
            "languages",
            lambda v: ", ".join(v),
        )
    )
    found.append(
        make.line(
            "sound.languages",
            "Languages",
            "One a track, three letters each: deu, eng. Empty keeps the source's.",
            "languages",
            lambda v: ", ".join(v),
        )
    )
    return Group("What is heard?", tuple(found))


_LABELS = {
    BITS: "rate",
    PEAK: "peak",
    BUFFER: "buffer",
    QUALITY: "quality",
    MODE: "rate control",
    "picture.key_frame_seconds": "key frames",
    "sound.bits_per_second": "sound rate",
    "picture.size.mode": "frame size",
    "picture.size.width": "width",
    "picture.size.height": "height",
}


def label_of(name: str) -> str:
    """A field as a person calls it."""
    return _LABELS.get(name, name.removeprefix("picture.").replace("_", " ").replace(".", " "))


def say(name: str, value: Any) -> str:
    """A field's value as a person says it."""
    if value is None:
        return "none"
    if name.endswith("bits_per_second"):
        return rate_bits_text(value)
    if name.endswith("_seconds"):
        return f"{value:g} s"
    if isinstance(value, dict):
        return "there"
    return ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)
