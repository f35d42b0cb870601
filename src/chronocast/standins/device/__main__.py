"""The stand-in device's program: ``python -m chronocast.standins.device JSON FILE``, raw pictures at standard input.

It encodes with the libraries' quickest presets: faster than software at its
usual effort, and larger for the same look.  What goes wrong is told on standard error, as
drivers do: a sentence and an exit status.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any, NoReturn

from filelock import FileLock, Timeout

from chronocast.media.piece.encode import encode_pictures
from chronocast.media.piece.raw import raw_pictures
from chronocast.model.messages.jobs import EncoderSettings
from chronocast.standins.device.plugged import LARGEST, SESSIONS, Behaviour, behaviour, place, pull

NO_DEVICE, NO_SESSION, LOST = 70, 75, 74
X264 = "open-gop=0:stitchable=1:bframes=0"
X265 = "open-gop=0:log-level=none:info=0:pools=1:frame-threads=1:bframes=0"


def leave(status: int, sentence: str) -> NoReturn:
    """Say what is wrong and go."""
    sys.stderr.write(sentence + "\n")
    sys.stderr.flush()
    sys.exit(status)


def session(how: Behaviour, path: Path) -> FileLock:
    """One of its sessions, held until this process ends."""
    if how.refuse:
        leave(NO_SESSION, "stand-in device: it takes no session")
    for number in range(max(0, SESSIONS - how.busy)):
        lock = FileLock(f"{path}.session-{number}")
        try:
            lock.acquire(timeout=0)
        except Timeout:
            continue
        return lock
    leave(NO_SESSION, f"stand-in device: all of its {SESSIONS} sessions are in use")


def misbehaving(pictures: Iterator[Any], how: Behaviour, path: Path) -> Iterator[Any]:
    """Pictures, until something goes wrong as it is told to.

    Parameters
    ----------
    pictures
        In order.
    how
        How the device behaves.
    path
        Its file.
    """
    held: list[Any] = []
    for count, picture in enumerate(pictures):
        if how.lose_after is not None and count >= how.lose_after:
            leave(LOST, "stand-in device: the session was lost")
        if how.vanish_after is not None and count >= how.vanish_after:
            pull(path)
            leave(NO_DEVICE, "stand-in device: the device is gone")
        if how.hang_after is not None and count >= how.hang_after:
            time.sleep(100_000)
        held.append(picture)
        if len(held) > how.short:
            yield held.pop(0)


def settings_of(said: dict[str, Any], how: Behaviour) -> EncoderSettings:
    """What the libraries are told."""
    options = {"preset": "superfast" if said["codec"] == "h264" else "ultrafast"}
    if said["codec"] == "h264":
        encoder = "libx264"
        options["x264-params"] = X264
    else:
        encoder = "libx265"
        options["x265-params"] = X265
    if said["quality"]:
        options["crf"] = str(said["quality"])
    colour: tuple[int, int, int, int] = tuple(said["colour"])
    return EncoderSettings(
        encoder=encoder,
        options=options,
        bits_per_second=said["bits_per_second"] or None,
        pixel_format=said["pixel_format"],
        key_frame_frames=said["key_frame_frames"],
        colour=(9, 16, 9, 1) if how.wrong_tags else colour,
    )


def main() -> None:
    """Encode what comes."""
    said, target = json.loads(sys.argv[1]), sys.argv[2]
    path, how = place(), behaviour()
    if how is None:
        leave(NO_DEVICE, "stand-in device: none is plugged in")
    if said["width"] > LARGEST[0] or said["height"] > LARGEST[1]:
        leave(64, f"stand-in device: frames are at most {LARGEST[0]}x{LARGEST[1]}")
    held = session(how, path)
    pictures = raw_pictures(sys.stdin.buffer, said["pixel_format"], said["width"], said["height"])
    settings = settings_of(said, how)
    encode_pictures(
        misbehaving(pictures, how, path),
        target,
        Fraction(said["rate"]),
        width=said["width"],
        height=said["height"],
        settings=settings,
        composed=tuple(said["colour"]),
    )
    if how.garbage:
        whole = bytearray(Path(target).read_bytes())
        middle = range(len(whole) // 3, len(whole) * 2 // 3)
        whole[middle.start : middle.stop] = bytes((n * 37) % 251 for n in middle)
        Path(target).write_bytes(whole)
    held.release()


if __name__ == "__main__":
    main()
