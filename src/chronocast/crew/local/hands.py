"""Several processes that decode one file together: each its own stretches of it."""

from __future__ import annotations

import logging
import multiprocessing
import os
import time
from collections.abc import Callable
from multiprocessing.connection import Connection, wait
from types import TracebackType
from typing import Self

from chronocast.media.errors import MediaError
from chronocast.media.files.prove import read_share
from chronocast.media.files.reading import Part, Share, Wanted
from chronocast.model.errors import ChronocastError
from chronocast.preparation.station.children import die_with_parent

log = logging.getLogger(__name__)
PROGRESS_SECONDS = 0.2


class HandLost(ChronocastError):
    """A process that decoded a share of a file didn't finish it."""


def _decode(line: Connection, parent: int, path: str, wanted: Wanted, share: Share) -> None:
    """In a process of its own: decode a share, say now and then how far it is, then what was found."""
    die_with_parent(parent)
    last = 0.0

    def progressed(count: int) -> None:
        nonlocal last
        if time.monotonic() - last >= PROGRESS_SECONDS:
            last = time.monotonic()
            line.send(count)

    try:
        line.send(read_share(path, progressed, wanted, share))
    except (MediaError, OSError) as error:
        line.send(str(error))


class Hands:
    """``Hands(path, wanted, count, progress)``: other processes that decode all shares of a file but the first.

    Whoever forks them has no threads of its own.

    Parameters
    ----------
    path
        The file's.
    wanted
        What is looked for besides.
    count
        How many processes decode it, this one included; one, where no others can be begun.
    progress
        Told now and then how many pictures all of them have decoded.
    """

    def __init__(self, path: str, wanted: Wanted, count: int, progress: Callable[[int], None] | None) -> None:
        self._path, self._wanted, self.count = path, wanted, count
        self._progress, self._own, self._told = progress, 0, 0.0
        self._lines: dict[Connection, int] = {}
        self._processes: list[multiprocessing.process.BaseProcess] = []
        self._parts: list[Part] = []

    def __enter__(self) -> Self:
        try:
            for number in range(1, self.count):
                self._begin(number)
        except OSError as error:  # the system has no more processes to give: one can do it
            log.warning("a file is decoded by one process: %s", error)
            self._end()
            self.count = 1
        return self

    def _begin(self, number: int) -> None:
        fork = multiprocessing.get_context("fork")
        ours, its = fork.Pipe(duplex=False)
        with its:
            self._lines[ours] = 0
            asked = (its, os.getpid(), self._path, self._wanted, Share(number, self.count))
            process = fork.Process(target=_decode, args=asked, daemon=True)
            process.start()
            self._processes.append(process)

    def _end(self) -> None:
        """End the others, whatever they do."""
        for process in self._processes:
            process.kill()
            process.join()
        for line in self._lines:
            line.close()
        self._processes.clear()
        self._lines.clear()

    def __exit__(self, *_: BaseException | type[BaseException] | TracebackType | None) -> None:
        self._end()

    def progressed(self, count: int) -> None:
        """This process has decoded so many pictures."""
        self._own = count
        if time.monotonic() - self._told >= PROGRESS_SECONDS:
            self._told = time.monotonic()
            self._hear(0.0)
            self._tell()

    def found(self) -> list[Part]:
        """Wait for what the others found.

        Raises
        ------
        HandLost
            One of them couldn't open the file, or ended without a word.
        """
        while len(self._parts) < len(self._lines):
            self._hear(PROGRESS_SECONDS)
            self._tell()
        self._tell()
        return self._parts

    def _tell(self) -> None:
        if self._progress is not None:
            self._progress(self._own + sum(self._lines.values()))

    def _hear(self, seconds: float) -> None:
        """Take what the others say, waiting for so long if they say nothing."""
        open_lines = [line for line in self._lines if not line.closed]
        for line in wait(open_lines, seconds) if open_lines else ():
            assert isinstance(line, Connection)
            try:
                said = line.recv()
            except EOFError:
                raise HandLost("A process that decoded a part of the file ended without a word.") from None
            if isinstance(said, str):
                raise HandLost(said)
            if isinstance(said, int):
                self._lines[line] = said
            else:
                self._parts.append(said)
                self._lines[line] = said.frames
                line.close()
