"""How the libraries' encoders are told what a recipe says."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Literal

import av

from chronocast.media.errors import EncodeFailed
from chronocast.model.messages.jobs import EncoderSettings
from chronocast.model.recipe.contradictions import usual_profile
from chronocast.model.recipe.formats import PICTURE, Sampling
from chronocast.model.recipe.recipe import PictureRecipe
from chronocast.model.time.timing import Rate

FULLNESS = 0.7
"""How full the receiver's buffer is where a piece begins, and has to be again where it ends."""


ENCODER_LIBRARIES = {
    "libx264": "libx264", "libx265": "libx265", "libvpx": "libvpx", "libsvtav1": "libSvtAv1Enc", "libaom": "libaom",
    "libopus": "libopus", "libmp3lame": "libmp3lame",
}  # fmt: skip
"""Libraries of their own that encoders are in, by how their names begin; all others are in avcodec."""


@cache
def library_version(encoder: str) -> str:
    """What distinguishes the bits of this build's encoder from another's: the version of the library it is in.

    The libraries that come with PyAV carry a sum of their content in their
    file names.  Where they are the system's, avcodec's version has to do.
    """
    own = next((name for start, name in ENCODER_LIBRARIES.items() if encoder.startswith(start)), "")
    versions = ".".join(map(str, av.library_versions["libavcodec"]))
    folder = Path(av.__file__).parent.parent / "av.libs"
    found = sorted(path.name for path in folder.glob(f"{own}[-.]*")) if own else []
    return f"{encoder} {found[0]}" if found else f"{encoder} avcodec {versions}"


@cache
def is_here(encoder: str) -> bool:
    """Whether this build of the libraries has an encoder."""
    try:
        av.codec.Codec(encoder, "w")
    except av.error.FFmpegError:
        return False
    except ValueError:
        return False
    return True


def encoder_of(picture: PictureRecipe) -> str:
    """The encoder a recipe means: the one it names, else the first that is here (they are listed fastest first).

    Raises:
        EncodeFailed: none of them is here.
    """
    if picture.encoder in picture.kind.encoders and is_here(picture.encoder):
        return picture.encoder
    if picture.codec == "prores" and picture.alpha == "keep" and is_here("prores_ks"):
        return "prores_ks"  # the other one writes no alpha
    for name in picture.kind.encoders:
        if is_here(name):
            return name
    raise EncodeFailed(
        f"No encoder for {picture.kind.name} is on this machine.", "Choose another codec in the recipe."
    )


def encoder_settings(
    recipe: PictureRecipe, width: int, height: int, rate: Rate, colour: tuple[int, int, int, int],
    quality: float | None = None, rgb: bool = False, light: tuple[str, str] = ("", ""), fullness: float = FULLNESS,
) -> EncoderSettings:  # fmt: skip
    """Everything the encoder is told for one recipe at one frame size and rate.

    Threads are part of it, since they change the bits: 1 up to 1080p, 4 above.
    ``quality`` is the common quality that was found for an output in two passes; ``rgb`` says that the
    source is RGB; ``light`` are HDR10's mastering display and light levels.  ``fullness`` is how full a
    receiver's buffer the encoder begins with: the less, the less a piece may take.  Nothing of it stands
    in the parameter sets, so that pieces of any fullness and any quality fit together.

    Raises:
        EncodeFailed: no encoder for it is here.
    """
    codec = recipe.kind
    sampling = sampling_of(recipe)
    working = sampling.working
    if rgb and sampling.chroma == "RGB":  # what is RGB already needs no way through another colour space
        working = f"gbr{'a' if sampling.alpha else ''}p{'' if sampling.depth == 8 else '16le'}"
        working = "" if working == sampling.pixel_format else working
        working = sampling.working if sampling.working.startswith("gbr") or not sampling.working else working
    encoder = encoder_of(recipe)
    threads = 1 if width * height <= 1920 * 1080 else 4
    options, bits = _TOLD[recipe.codec](recipe, rate, threads, quality, fullness)
    options = _with_light(options, light)
    grade = codec.grade(recipe.grade)
    return EncoderSettings(
        encoder=encoder,
        options=options,
        bits_per_second=bits,
        threads=threads,
        pixel_format=sampling.pixel_format,
        working=working,
        fields=_FIRST.get(recipe.scan, ""),
        piece=codec.piece,
        tag=grade.tag if grade else "",
        key_frame_frames=max(1, round(recipe.key_frame_seconds * rate)) if codec.kind == "long" else 1,
        colour=colour,
    )


def _with_light(options: dict[str, str], light: tuple[str, str]) -> dict[str, str]:
    """HDR10's static data, where the encoder can say it in the stream."""
    mastering, levels = light
    for key, names in (
        ("x265-params", ("master-display", "max-cll")),
        ("x264-params", ("mastering-display", "cll")),
    ):
        if key in options and (mastering or levels):
            more = [f"{names[0]}={mastering}"] if mastering else []
            more += [f"{names[1]}={levels}"] if levels else []
            return {**options, key: ":".join([options[key], *more])}
    return options


CARRIES_LIGHT = frozenset({"h264", "hevc"})
"""Codecs whose encoders write HDR10's mastering display and light levels."""
_FIRST: dict[str, Literal["", "top", "bottom"]] = {
    "progressive": "",
    "top first": "top",
    "bottom first": "bottom",
}
Told = tuple[dict[str, str], int | None]
"""Options and a bit rate."""


def usual_quality(recipe: PictureRecipe) -> float:
    """Where the search for a common quality begins."""
    return recipe.kind.quality[2] if recipe.kind.quality else 20.0


def _buffered(recipe: PictureRecipe) -> dict[str, str]:
    """A peak and its buffer, where the recipe keeps one."""
    if not recipe.peak:
        return {}
    return {"maxrate": str(recipe.peak), "bufsize": str(recipe.buffer)}


def _rates(recipe: PictureRecipe, quality: float | None) -> Told:
    """Rate control as H.264's and HEVC's encoders take it."""
    control = recipe.rate_control
    options = _buffered(recipe)
    if control.mode == "quality":
        return options | {"crf": f"{control.quality:g}"}, None
    if control.mode == "two pass":
        return options | {"crf": f"{usual_quality(recipe) if quality is None else quality:.4f}"}, None
    return options, control.target_bits_per_second


def _h264(recipe: PictureRecipe, rate: Rate, _threads: int, quality: float | None, fullness: float) -> Told:
    options, bits = _rates(recipe, quality)
    # stitchable: the parameter sets don't follow from the quality, so that pieces of several share them
    told = ["open-gop=0", "stitchable=1"]
    if recipe.control == "constant":
        told.append("nal-hrd=cbr")
    if recipe.peak:
        told.append(f"vbv-init={fullness:g}")
    if recipe.scan != "progressive":
        told.append("tff=1" if recipe.scan == "top first" else "bff=1")
    options |= {"preset": recipe.effort, "profile": recipe.profile or str(usual_profile(recipe)),
                "x264-params": ":".join(told)}  # fmt: skip
    if recipe.level:
        options["level"] = recipe.level
    return options, bits


def _hevc(recipe: PictureRecipe, rate: Rate, threads: int, quality: float | None, fullness: float) -> Told:
    options, bits = _rates(recipe, quality)
    told = ["open-gop=0", "log-level=none", "info=0", f"pools={threads}", f"frame-threads={min(threads, 2)}"]
    if recipe.peak:
        told.append(f"vbv-init={fullness:g}")
    if recipe.level:
        told.append(f"level-idc={recipe.level}")
    options |= {"preset": recipe.effort, "profile": recipe.profile or str(usual_profile(recipe)),
                "x265-params": ":".join(told)}  # fmt: skip
    return options, bits


def _av1(recipe: PictureRecipe, rate: Rate, threads: int, quality: float | None, fullness: float) -> Told:
    options = {"preset": {"fast": "10", "medium": "8", "slow": "5"}[recipe.effort],
               "svtav1-params": f"lp={threads}:irefresh-type=2"}  # fmt: skip
    if recipe.control == "quality":
        options["crf"] = f"{recipe.rate_control.quality:g}"
        return options, None
    return options, recipe.rate_control.target_bits_per_second


def _vp9(recipe: PictureRecipe, rate: Rate, _threads: int, quality: float | None, fullness: float) -> Told:
    options = {"deadline": "good", "cpu-used": {"fast": "6", "medium": "4", "slow": "2"}[recipe.effort],
               "auto-alt-ref": "1", "lag-in-frames": "16", "row-mt": "0", **_buffered(recipe)}  # fmt: skip
    if recipe.control == "quality":
        return {"crf": f"{recipe.rate_control.quality:g}", "b": "0", **options}, None
    if recipe.control == "constant":
        options["minrate"] = str(recipe.rate_control.target_bits_per_second)
    return options, recipe.rate_control.target_bits_per_second


_MPEG2_LEVEL = {"low": "10", "main": "8", "high1440": "6", "high": "4"}
_MPEG2_422_LEVEL = {"main": "5", "high": "2"}


def _mpeg2(recipe: PictureRecipe, rate: Rate, _threads: int, quality: float | None, fullness: float) -> Told:
    flags = ["+cgop"]
    options = {"bf": "2", "sc_threshold": "1000000000", **_buffered(recipe)}
    if recipe.peak:
        options["rc_init_occupancy"] = str(round((recipe.buffer or 0) * fullness))
    if recipe.scan != "progressive":
        flags.append("+ildct+ilme")
        options["alternate_scan"] = "1"
    wide = usual_profile(recipe) == "4:2:2" or recipe.profile == "4:2:2"
    options["profile"] = "0" if wide else "4"
    if recipe.level:
        table = _MPEG2_422_LEVEL if wide else _MPEG2_LEVEL
        options["level"] = table.get(recipe.level, "4")
    bits = None if recipe.control == "quality" else recipe.rate_control.target_bits_per_second
    if recipe.control == "quality":
        options |= _steps(recipe)
        bits = UNBOUND
    if recipe.control == "constant":
        options["minrate"] = str(bits)
    options["flags"] = "".join(flags)
    return options, bits


UNBOUND = 400_000_000
"""A rate that never binds, for encoders whose quality is set by its least and its greatest step."""


def _steps(recipe: PictureRecipe) -> dict[str, str]:
    step = str(max(1, round(recipe.rate_control.quality)))
    return {"qmin": step, "qmax": step}


def _grade(
    recipe: PictureRecipe, _rate: Rate, _threads: int, _quality: float | None, _fullness: float
) -> Told:
    grade = recipe.kind.grade(recipe.grade)
    assert grade is not None
    if recipe.codec == "cineform":
        return {"quality": grade.profile}, None
    if recipe.codec == "prores":
        told = {"profile": grade.profile}
        if encoder_of(recipe) == "prores_ks":
            told["vendor"] = "chrc"
            if recipe.alpha == "keep" and grade.with_alpha:
                told["alpha_bits"] = "16"
        if recipe.scan != "progressive":
            told["flags"] = "+ildct"
        return told, None
    return {"profile": grade.profile}, None


def _ffv1(
    _recipe: PictureRecipe, _rate: Rate, _threads: int, _quality: float | None, _fullness: float
) -> Told:
    return {"level": "3", "coder": "1", "context": "1", "slices": "4", "slicecrc": "1"}, None


def _jpeg(
    recipe: PictureRecipe, _rate: Rate, _threads: int, _quality: float | None, _fullness: float
) -> Told:
    return _steps(recipe) | {"huffman": "optimal"}, UNBOUND


def _plain(
    recipe: PictureRecipe, _rate: Rate, _threads: int, _quality: float | None, _fullness: float
) -> Told:
    return {
        "png": {"pred": "mixed"},
        "tiff": {"compression_algo": "lzw"},
        "exr": {"compression": "zip16", "format": "half"},
    }.get(recipe.codec, {}), None


_TOLD: dict[str, Callable[[PictureRecipe, Rate, int, float | None, float], Told]] = {
    "h264": _h264, "hevc": _hevc, "av1": _av1, "vp9": _vp9, "mpeg2": _mpeg2, "prores": _grade, "dnxhr": _grade,
    "cineform": _grade, "ffv1": _ffv1, "rle": _plain, "jpeg": _jpeg, "png": _plain, "tiff": _plain, "dpx": _plain, "exr": _plain,
}  # fmt: skip


def sampling_of(recipe: PictureRecipe) -> Sampling:
    """Depth and colour resolution a recipe is written in."""
    depth = recipe.depth if recipe.depth != "source" else None
    chroma = recipe.chroma if recipe.chroma != "source" else None
    return PICTURE[recipe.codec].sampling(depth, chroma, recipe.grade, recipe.alpha == "keep")


SOUND_ENCODERS = {"aac": "aac", "opus": "libopus", "flac": "flac", "mp3": "libmp3lame"}


def sound_encoder(codec: str, depth: int) -> tuple[str, str]:
    """The libraries' encoder of a sound codec, and the sample format it takes."""
    if codec == "pcm":
        return ("pcm_s16le", "s16") if depth == 16 else ("pcm_s24le", "s32")
    if codec == "flac":
        return "flac", "s16" if depth == 16 else "s32"
    return SOUND_ENCODERS[codec], {"opus": "flt"}.get(codec, "fltp")


def sound_muxer(codec: str) -> str:
    """The kind of file an output's sound is kept in."""
    return "mov" if codec == "pcm" else "mp4"
