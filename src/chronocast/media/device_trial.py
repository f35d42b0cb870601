"""Try a hardware encoder: encode a few pictures of everything it claims, and decode them again."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from itertools import islice
from pathlib import Path

import av
import numpy as np
from av.codec.hwaccel import HWAccel, hwdevices_available

from chronocast.media.encoders.encoder import Asked, Encoder, OutsideAsk
from chronocast.media.errors import MediaError
from chronocast.media.picture_digest import picture_digest
from chronocast.media.piece.encode import encode_pictures
from chronocast.media.piece.here import is_here
from chronocast.media.source.opening import listening
from chronocast.model.device import TriedDecoder, TriedEncoder
from chronocast.model.messages.jobs import EncoderSettings
from chronocast.model.recipe.recipe import PictureRecipe, RateControl

RATE = Fraction(25)
PICTURES, LARGE_PICTURES = 6, 2
"""So many pictures of a pixel format are encoded, and of each frame size."""
SMALL, USUAL = (320, 192), (1920, 1080)
MOST_SESSIONS = 4
DECODED, DECODED_SIZE = 50, (1280, 720)
"""So many pictures of H.264 are decoded both ways, and how large they are."""
REASONS = (
    ("libcuda", "no driver: libcuda.so.1 isn't here"),
    ("libnvidia-encode", "no driver: libnvidia-encode.so.1 isn't here"),
    ("device context (AMF)", "no device, or no driver: AMF finds none"),
    ("libamfrt64", "no driver: libamfrt64.so.1 isn't here"),
    ("MFX", "no device, or no driver: oneVPL finds none"),
    ("configure encoder", "no device: none of /dev/video encodes it"),
    ("valid device", "no device: none of /dev/video encodes it"),
    ("Permission denied", "no permission to use its device"),
    ("OpenEncodeSessionEx failed", "it takes no session: others may use all of them"),
)
"""What drivers say, and what that means."""


def try_encoder(encoder: Encoder, driver: str = "") -> TriedEncoder:
    """What a hardware encoder does here, or why it does nothing.

    Parameters
    ----------
    encoder
        The encoder.
    driver
        What tells its driver's version.
    """
    on = encoder.on
    assert on is not None
    found = TriedEncoder(
        encoder=encoder.name, family=on.family, codec=on.codec, driver=driver, stand_in=on.stand_in
    )
    if missing := ("none is plugged in" if on.stand_in and not driver else _missing(encoder)):
        return found.model_copy(update={"why_not": missing})
    with tempfile.TemporaryDirectory(prefix="chronocast-device-") as folder:
        why, formats = "", []
        for pixel_format in on.formats:
            told = _encoded(encoder, folder, pixel_format, SMALL)
            if told:
                why = why or told
            else:
                formats.append(pixel_format)
        if not formats:
            return found.model_copy(update={"why_not": why})
        largest = SMALL
        for size in (USUAL, on.largest):
            within = size[0] <= on.largest[0] and size[1] <= on.largest[1]
            if within and not _encoded(encoder, folder, formats[0], size, LARGE_PICTURES):
                largest = size
        timed = USUAL if largest >= USUAL else SMALL
        begin = time.perf_counter()
        _encoded(encoder, folder, formats[0], timed, 2 * PICTURES)
        middle = time.perf_counter()
        _encoded(encoder, folder, formats[0], timed, PICTURES)
        seconds = max(1e-4, (middle - begin) - (time.perf_counter() - middle))
        return found.model_copy(
            update={
                "formats": tuple(formats),
                "largest": largest,
                "sessions": _sessions(encoder, folder, formats[0], on.sessions or MOST_SESSIONS),
                "seconds_a_megapixel": round(seconds / (PICTURES * timed[0] * timed[1] / 1e6), 5),
            }
        )


def decoder_families() -> tuple[str, ...]:
    """Kinds of device that these libraries can decode with."""
    return tuple(hwdevices_available())


def film_to_decode(path: str) -> None:
    """Write the film by which decoding is tried.

    Parameters
    ----------
    path
        Where.
    """
    settings = EncoderSettings(
        encoder="libx264", options={"preset": "veryfast", "crf": "20"}, colour=(1, 1, 1, 1)
    )
    encode_pictures(
        _pictures("yuv420p", DECODED_SIZE, DECODED),
        path,
        RATE,
        width=DECODED_SIZE[0],
        height=DECODED_SIZE[1],
        settings=settings,
    )


def try_decoder(family: str, film: str) -> TriedDecoder:
    """What decoding by a kind of device does here: the same pictures as the processor's, and how quickly.

    Parameters
    ----------
    family
        By the libraries' name.
    film
        What is decoded.
    """
    found = TriedDecoder(family=family)
    begin = time.perf_counter()
    sentence, made = "", list[bytes]()
    with listening() as said:
        try:
            made = _decoded(film, HWAccel(device_type=family, allow_software_fallback=False))
        except (av.error.FFmpegError, RuntimeError, ValueError, OSError) as error:
            sentence = str(error)
    took = time.perf_counter() - begin
    if sentence:
        whole = " ".join([*said, sentence])
        why = next((words for part, words in REASONS if part in whole), "")
        none = "Operation not permitted" in whole or "no stream is compatible" in whole
        return found.model_copy(update={"why_not": why or ("no device, or no driver" if none else sentence)})
    begin = time.perf_counter()
    plain = _decoded(film, None)
    alone = time.perf_counter() - begin
    return found.model_copy(
        update={"exact": made == plain, "times_quicker": round(alone / max(1e-6, took), 2)}
    )


def _decoded(film: str, hardware: HWAccel | None) -> list[bytes]:
    """Digests of a film's first pictures."""
    with av.open(f"file:{film}", hwaccel=hardware) as container:
        pictures = islice(container.decode(video=0), DECODED)
        return [picture_digest(picture.reformat(format="yuv420p")) for picture in pictures]


def _missing(encoder: Encoder) -> str:
    """Why it can't even be tried; "" where it can."""
    assert encoder.on is not None
    if encoder.on.program is None:
        return "" if is_here(encoder.name) else "these libraries don't bring it"
    ask = OutsideAsk("nv12", *SMALL, RATE, {}, 0, 50, (1, 1, 1, 1), os.devnull)
    program = encoder.on.program(ask)[0]
    return "" if shutil.which(program) else f"no program “{program}” is on this machine"


def settings_for(encoder: Encoder, pixel_format: str) -> EncoderSettings:
    """What it is told for a quality that is usual.

    Parameters
    ----------
    encoder
        The encoder.
    pixel_format
        By the libraries' name.
    """
    assert encoder.on is not None
    deep = "10" in pixel_format
    picture = PictureRecipe.model_validate(
        {
            "codec": encoder.on.codec,
            "depth": 10 if deep else None,
            "rate_control": RateControl(mode="quality", quality=26),
        }
    )
    told = encoder.told(Asked(picture, RATE))
    return EncoderSettings(
        encoder=encoder.name,
        options=told.options,
        bits_per_second=told.bits_per_second,
        pixel_format=pixel_format,
        colour=(1, 1, 1, 1),
    )


def _pictures(pixel_format: str, size: tuple[int, int], count: int) -> Iterator[av.VideoFrame]:
    """Drifting texture."""
    width, height = size
    ground = np.random.default_rng(1).integers(
        40, 215, (height // 16 + 3, width // 16 + 3, 3), dtype=np.uint8
    )
    ground = ground.repeat(16, axis=0).repeat(16, axis=1)
    for number in range(count):
        at = number % 12
        shown = np.ascontiguousarray(ground[at : at + height, 2 * at : 2 * at + width])
        yield av.VideoFrame.from_ndarray(shown, format="rgb24").reformat(format=pixel_format)


def _encoded(
    encoder: Encoder, folder: str, pixel_format: str, size: tuple[int, int], count: int = PICTURES
) -> str:
    """Encode a few pictures and decode them again; "" if all went well, else what went wrong, in a few words."""
    target = Path(folder) / f"{encoder.name} {pixel_format} {size[0]} {time.monotonic_ns()}.mp4"
    sentence, worst = "", 99.0
    with listening() as said:
        try:
            made = encode_pictures(
                _pictures(pixel_format, size, count),
                str(target),
                RATE,
                width=size[0],
                height=size[1],
                settings=settings_for(encoder, pixel_format),
                measure_every=count,
            )
            worst = min((found.psnr for found in made.likeness.values()), default=99.0)
        except (MediaError, av.error.FFmpegError, OSError, ValueError) as error:
            sentence = error.sentence if isinstance(error, MediaError) else str(error)
    if sentence:
        return _reason([*said, sentence], encoder)
    return "" if worst > 20 else f"its pictures come out wrong (PSNR {worst:.0f} dB)"


def _reason(said: list[str], encoder: Encoder) -> str:
    """What is wrong, in a few words."""
    whole = " ".join(said)
    for part, words in REASONS:
        if part in whole:
            return words
    assert encoder.on is not None
    return said[-1].removeprefix(f"{encoder.on.family}: ").rstrip(".")


def _sessions(encoder: Encoder, folder: str, pixel_format: str, most: int) -> int:
    """How many encodes it does at once."""
    with ThreadPoolExecutor(most) as pool:
        told = list(pool.map(lambda _: _encoded(encoder, folder, pixel_format, SMALL, 40), range(most)))
    return sum(not sentence for sentence in told)
