"""Open a media file for reading, with errors as sentences."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

import av
from av.container import InputContainer

from chronocast.media.errors import NotMedia

av.logging.set_level(
    None
)  # a decoder's own threads must never wait for Python, least of all while it is closed

_NOT_MEDIA_ENDINGS = {".txt", ".json", ".otio", ".md", ".html", ".py", ".csv", ".xml", ".srt"}


@contextmanager
def opened(path: str | os.PathLike[str]) -> Iterator[InputContainer]:
    """The container of a local media file.

    Raises:
        NotMedia: missing, empty, cut short beyond reading, or not media.
    """
    name = os.fspath(path)
    try:
        if not os.path.isfile(name):
            if os.path.isdir(name):
                raise NotMedia(f"{name} is a folder.", "Choose the files in it.")
            raise NotMedia(f"{name} is missing.", "Put it back, or relink the source.")
        if os.path.getsize(name) == 0:
            raise NotMedia(f"{name} is empty (0 bytes).", "Copy it again from where it came from.")
        if os.path.splitext(name)[1].lower() in _NOT_MEDIA_ENDINGS:
            raise NotMedia(f"{name} is not a media file.", "Choose a film, a sound or a picture.")
        container = av.open("file:" + name, mode="r", metadata_errors="replace")
    except NotMedia:
        raise
    except av.error.InvalidDataError:
        raise NotMedia(
            f"{name} is not a media file, or is cut short so that it can't be opened.",
            "Copy it again from where it came from, or choose another file.",
        ) from None
    except (av.error.FFmpegError, OSError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise NotMedia(f"{name} can't be opened: {reason}.", "Check the file and its permissions.") from None
    with container:
        yield container
