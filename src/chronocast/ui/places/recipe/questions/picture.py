"""*What picture?*: codec, samples, size, rate, scan."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from chronocast.media.piece.settings import sampling_of
from chronocast.model.batch.columns import MIXED, common
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.recipe.formats.containers import CONTAINERS, IMAGE_EXTENSIONS
from chronocast.model.recipe.recipe import frame_size
from chronocast.model.recipe.routes import Wanted, hardware_route
from chronocast.pieces.copying import GRADED, GROUPED
from chronocast.ui.places.recipe.settings import (
    Group,
    Setting,
    SettingMaker,
)

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


def _copies(make: SettingMaker) -> Setting:
    """Which pictures of the source aren't encoded once more."""
    picture = make.first.picture
    assert picture is not None
    name = picture.kind.name.split(" (")[0]
    encoded = ("all encoded", {"picture.copies": "never"})
    if picture.kind.id in GRADED:
        return make.choices(
            "copies",
            "Copied",
            f"Pictures of a {name} source of the same grade and size are taken as they are, bit by bit.",
            options=[("where nothing changes", {"picture.copies": "exact"}), encoded],
            weighed=False,
        )
    fixed = picture.steering.id != "quality" or bool(picture.peak)
    return make.choices(
        "copies",
        "Copied",
        f"Whole groups of a {name} source of the same size and samples are taken as they are, whatever rate they have; "
        "only what is around cuts is encoded.",
        options=[
            ("all encoded", {"picture.copies": "exact"}),
            ("where the source fits", {"picture.copies": "alike"}),
        ],
        why={
            "where the source fits": "copied pictures have the rate of their source: choose a constant quality without a peak"
        }
        if fixed
        else None,
        weighed=False,
    )


def _route(make: SettingMaker) -> list[Setting]:
    """Software or hardware, why not, and what becomes of it where a device is lost."""
    picture = make.first.picture
    assert picture is not None
    if not picture.kind.hardware:
        return []
    out = frame_size(picture.size, make.seen.width, make.seen.height, multiple=picture.kind.multiple)
    route = hardware_route(Wanted(picture, out, sampling_of(picture)), make.seen.devices)
    tried = make.seen.devices
    if not tried:
        why = "this machine's hardware encoders weren't tried yet: House tries them"
    elif route.encoder is None and route.nearest is not None:
        why = f"{route.nearest.sentence}. {route.nearest.cure}"
    else:
        why = ""
    told = "Hardware is quicker and takes more bits for the same look; either takes what is sooner, and says what."
    if why:
        told = f"Hardware is out here. {why[0].upper()}{why[1:].rstrip('.')}."
    if route.encoder is not None:
        told = f"Here: {route.encoder.told}. {told}"
    found = [
        make.choices(
            "route",
            "Encoded in",
            told,
            options=[
                ("software", {"picture.route": "software"}),
                ("hardware", {"picture.route": "hardware"}),
                ("either", {"picture.route": "either"}),
            ],
            why={"hardware": why} if why else None,
            weighed=False,
        )
    ]
    if picture.route != "software":
        found.append(
            make.choices(
                "without_device",
                "If it is lost",
                "A device that fails twice at a piece is left alone for ten minutes. Software encodes the file anew, or it waits for you.",
                options=[
                    ("software", {"picture.without_device": "software"}),
                    ("wait for me", {"picture.without_device": "wait"}),
                ],
                weighed=False,
            )
        )
    return found


KERNELS = {
    "bicubic": "bicubic",
    "bilinear": "bilinear, soft",
    "lanczos": "Lanczos, sharp",
    "spline": "spline, sharp",
    "area": "area, for much smaller",
    "neighbor": "nearest, for pixels",
}


def _composing(make: SettingMaker) -> list[Setting]:
    """What pictures are scaled with, and how many bits they are composed in; whether that does anything."""
    picture = make.first.picture
    assert picture is not None
    out = frame_size(picture.size, make.seen.width, make.seen.height, multiple=picture.kind.multiple)
    scaled = out != (make.seen.width, make.seen.height)
    how = (
        f"{make.seen.width}×{make.seen.height} becomes {out[0]}×{out[1]}; all of them cost about the same."
        if scaled
        else "Nothing of this source is scaled: it does nothing here but where clips are of other sizes."
    )
    found = [
        make.choices(
            "kernel",
            "Scaled with",
            how,
            options=[(words, {"picture.kernel": name}) for name, words in KERNELS.items()],
            weighed=False,
        )
    ]
    written = sampling_of(picture)
    if not (written.working or written.pixel_format).startswith("yuv") or written.pixel_format.startswith(
        "yuvj"
    ):
        return found
    found.append(
        make.choices(
            "working_depth",
            "Composed in",
            f"It is written in {written.depth} bits. With more, what is mixed, scaled or converted is rounded once, at "
            "the end, for a few hundredths more work; pictures that are only read come out the same.",
            options=[
                ("as it is written", {"picture.working_depth": None}),
                ("8 bits", {"picture.working_depth": 8}),
                ("10 bits", {"picture.working_depth": 10}),
                ("16 bits", {"picture.working_depth": 16}),
            ],
            weighed=False,
        )
    )
    return found


def picture_group(make: SettingMaker) -> Group:
    """What picture is made."""
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
    found += _route(make)
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
                    ("automatic", {"picture.depth": None, "picture.chroma": None}),
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
    if codec.id in GRADED | GROUPED:
        found.append(_copies(make))
    found.append(
        make.choices(
            "drawn",
            "Drawn from",
            "Proxies are quick to read and small: for drafts. The file, its check and its record say so.",
            options=[
                ("originals", {"picture.drawn": "originals"}),
                ("proxies, a draft", {"picture.drawn": "proxies"}),
            ],
            weighed=False,
        )
    )
    found += _composing(make)
    found.append(
        make.choices(
            "bases",
            "Composed once",
            "Pictures that are costly to make are kept without loss while several files, or both passes, are encoded "
            "from them. Kept, they wait in the stock for what is changed later.",
            options=[
                ("where it pays", {"picture.bases": "pays"}),
                ("always, and kept", {"picture.bases": "kept"}),
                ("never", {"picture.bases": "never"}),
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


def _stills(make: SettingMaker) -> Setting:
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


def _size_text(make: SettingMaker) -> str:
    value = common(make.recipes, "picture.size")
    if value is MIXED or not value:
        return ""
    if value["mode"] == "source":
        return ""
    return ("up to " if value["mode"] == "ceiling" else "") + f"{value['width']}×{value['height']}"
