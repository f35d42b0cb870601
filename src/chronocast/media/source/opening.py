"""Open a media file for reading, with errors as sentences."""

from __future__ import annotations

import logging
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import av
from av.codec.hwaccel import HWAccel
from av.container import InputContainer

from chronocast.media.errors import MediaGone, NotMedia
from chronocast.model.paths import real_path, shown


def stop_listening() -> None:
    """Let what the libraries log go nowhere.

    A decoder's own threads must never wait for Python, least of all while it
    is closed; nor may they write to whoever's terminal.  What decoders say is
    kept where it is listened to.
    """
    av.logging.set_level(None)
    av.logging.set_libav_level(av.logging.PANIC)


stop_listening()
logging.getLogger("libav").addHandler(logging.NullHandler())
logging.getLogger("libav").propagate = False
_lock = threading.Lock()
_listeners = 0


@contextmanager
def listening(*, everywhere: bool = False) -> Iterator[list[str]]:
    """What the libraries log as an error meanwhile, as sentences: of this thread, or ``everywhere``.

    Whoever listens must decode with one thread.
    """
    global _listeners
    said: list[str] = []
    with av.logging.Capture(local=not everywhere) as logs:
        with _lock:
            _listeners += 1
            av.logging.set_level(av.logging.ERROR)
        try:
            yield said
        finally:
            with _lock:
                _listeners -= 1
                if not _listeners:
                    stop_listening()
    said += [f"{name}: {message.strip()}" for level, name, message in logs if level <= av.logging.ERROR]


def missing(path: str | os.PathLike[str]) -> NotMedia:
    """That a media file is not there; and whether its folder is gone as well."""
    if not os.path.isdir(os.path.dirname(os.path.abspath(real_path(path)))):
        return MediaGone(
            f"{shown(path)} is missing, and so is its folder.",
            "Connect its drive again, or relink the source.",
        )
    return NotMedia(f"{shown(path)} is missing.", "Put it back, or relink the source.")


_NOT_MEDIA_ENDINGS = {".txt", ".json", ".otio", ".md", ".html", ".py", ".csv", ".xml", ".srt"}


_PACKETS_ALONE: Any = [{"skip_frame": "all"}] * 8  # of each stream; the library's types say otherwise


@contextmanager
def opened(
    path: str | os.PathLike[str], *, packets_alone: bool = False, hardware: HWAccel | None = None
) -> Iterator[InputContainer]:
    """The container of a local media file.

    Parameters
    ----------
    path
        The file's.
    packets_alone
        That only its packets are read: no picture is decoded to learn what they are, which takes
        as long as reading a short file.  For pieces, whose container says all there is to be known.
    hardware
        What decodes its pictures; the processor, if None.

    Raises
    ------
    NotMedia
        Missing, empty, cut short beyond reading, or not media.
    """
    name = real_path(path)
    said = shown(path)
    try:
        if not os.path.isfile(name):
            if os.path.isdir(name):
                raise NotMedia(f"{said} is a folder.", "Choose the files in it.")
            raise missing(name)
        if os.path.getsize(name) == 0:
            raise NotMedia(f"{said} is empty (0 bytes).", "Copy it again from where it came from.")
        if os.path.splitext(name)[1].lower() in _NOT_MEDIA_ENDINGS:
            raise NotMedia(f"{said} is not a media file.", "Choose a film, a sound or a picture.")
        container = av.open(
            "file:" + name,
            mode="r",
            metadata_errors="replace",
            options={"probesize": "32", "analyzeduration": "0"} if packets_alone else {},
            stream_options=_PACKETS_ALONE if packets_alone else None,
            hwaccel=hardware,
        )
    except NotMedia:
        raise
    except av.error.InvalidDataError:
        raise NotMedia(
            f"{said} is not a media file, or is cut short so that it can't be opened.",
            "Copy it again from where it came from, or choose another file.",
        ) from None
    except (av.error.FFmpegError, OSError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise NotMedia(f"{said} can't be opened: {reason}.", "Check the file and its permissions.") from None
    with container:
        yield container
