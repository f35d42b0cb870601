"""Sources copied to a station where reading them over its line costs more than a copy.

Nobody knows how often a film will still be read.  So it is copied as soon as
as much of it was read, over a line that held the work up, as it has bytes: at
worst that costs twice what the best choice would have (the rule for renting
or buying skis).  A copy is used only where it is byte for byte what the job
names, by its fingerprint.
"""

from __future__ import annotations

import logging
import os
import shutil
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from chronocast.media.source.fingerprint import fingerprint
from chronocast.model.errors import ChronocastError
from chronocast.model.messages.jobs import Job, PieceJob, SoundJob
from chronocast.model.messages.moved import moved
from chronocast.model.paths import path_text, real_path
from chronocast.model.source.cutlist import MediaRef

log = logging.getLogger("chronocast.station")

HELD_UP = 0.3
"""A job whose reading would take more than this share of its time over the line alone was held up by it."""
LEFT_FREE = 10 * 2**30
MOST_BYTES = 500 * 2**30
"""No more is copied, and so much is left free."""
CHUNK = 8 * 2**20


class SourceCopies:
    """``SourceCopies(folder, speed)``; ``speed`` gives the bytes a second at which a path is read from here, 0 if unknown.

    Safe to use from several threads.
    """

    def __init__(self, folder: Path, speed: Callable[[str], float]) -> None:
        self.folder, self._speed = folder, speed
        self._lock = threading.Lock()
        self._read: dict[str, float] = {}
        self._ready: dict[str, tuple[str, str]] = {}
        self._begun: set[str] = set()
        self._ended = False
        self.clear()

    @property
    def bytes(self) -> int:
        """What the copies take."""
        with self._lock:
            copies = [path for path, _ in self._ready.values()]
        found = 0
        for copy in copies:
            with suppress(OSError):
                found += os.stat(copy).st_size
        return found

    def used(self, job: Job) -> Job:
        """The job with copies in place of sources that are here.

        Parameters
        ----------
        job
            With paths of this machine.
        """
        wanted = {media.path: media.fingerprint for media in _media(job)}
        with self._lock:
            here = {
                path: copy
                for path, mark in wanted.items()
                if (found := self._ready.get(path)) and found[1] == mark
                for copy in (found[0],)
            }
        return moved(job, lambda path: here.get(path, path)) if here else job

    def original(self, path: str) -> str:
        """The source that a path is a copy of; itself where it is none.

        Parameters
        ----------
        path
            As a child told it.
        """
        with self._lock:
            return next((source for source, (copy, _) in self._ready.items() if copy == path), path)

    def note(self, job: Job, read: int, seconds: float) -> None:
        """Take in what a finished job read; begin to copy what was read often enough.

        Parameters
        ----------
        job
            The job, as it was done.
        read
            Bytes it read of all files.
        seconds
            It took so long by the clock.
        """
        with self._lock:
            copies = {copy for copy, _ in self._ready.values()}
        media = [item for item in _media(job) if item.path not in copies and item.fingerprint]
        for item in media:
            speed = self._speed(item.path)
            if speed <= 0 or read / len(media) / speed < HELD_UP * seconds:
                continue
            with self._lock:
                self._read[item.path] = self._read.get(item.path, 0.0) + read / len(media)
                enough = self._read[item.path]
            self._copy_if_worth(item.path, item.fingerprint, enough)

    def _copy_if_worth(self, path: str, mark: str, read: float) -> None:
        try:
            size = os.stat(real_path(path)).st_size
        except OSError:
            return
        with self._lock:
            if self._ended or read < size or path in self._begun:
                return
            self._begun.add(path)
            number = len(self._begun)  # of its own: two sources may be called alike
        if self.bytes + size > MOST_BYTES or shutil.disk_usage(self.folder).free - size < LEFT_FREE:
            log.info("%s was read as often as it is long, and there is no room to copy it", path)
            return
        threading.Thread(target=self._copy, args=(path, mark, size, number), daemon=True).start()

    def _copy(self, path: str, mark: str, size: int, number: int) -> None:
        source = Path(real_path(path))
        target = self.folder / f"{number}{source.suffix}"
        try:
            with open(source, "rb") as there, open(target, "wb") as here:
                while not self._ended and (chunk := there.read(CHUNK)):
                    here.write(chunk)
                status = os.fstat(there.fileno())
            os.utime(
                target, ns=(status.st_atime_ns, status.st_mtime_ns)
            )  # its fingerprint tells of that, too
            if self._ended or os.stat(target).st_size != size or fingerprint(target) != mark:
                raise OSError("it is another file now")
        except (OSError, ChronocastError) as error:
            log.warning("%s could not be copied here: %s", path, error)
            with suppress(OSError):
                target.unlink()
            return
        with self._lock:
            self._ready[path] = (path_text(target), mark)
        log.info("%s was copied here: reading it over the line held work up", path)

    def clear(self) -> None:
        """Throw away every copy."""
        with self._lock:
            self._ready.clear()
        shutil.rmtree(self.folder, ignore_errors=True)
        self.folder.mkdir(parents=True, exist_ok=True)

    def end(self) -> None:
        """Copy no more, and throw away what there is."""
        self._ended = True
        self.clear()


def _media(job: Job) -> list[MediaRef]:
    """The sources that a job reads, each once; of numbered images none."""
    if isinstance(job, PieceJob):
        found = [layer.media for span in job.spans for layer in span.layers if layer.media]
    elif isinstance(job, SoundJob):
        found = [span.media for spans in job.each_track for span in spans]
    else:
        return []
    return list({media.path: media for media in found if "%" not in media.path}.values())
