"""The encoder child: one process a slot, one job at a time, kept warm.

It reads jobs as JSON lines on standard input and answers with JSON lines on
standard output.  It is forked by a nursery and dies with it, runs at low
priority, and writes what it began and finished to an append-only log of its own.
"""

from __future__ import annotations

import errno
import json
import os
import resource
import signal
import sys
import time
import traceback
from pathlib import Path
from typing import Any, NamedTuple

from chronocast.model.stages import CHECK
from chronocast.preparation.station.children import die_with_parent


class ChildLog:
    """Lines of what this machine's children did, appended whole."""

    def __init__(self, path: Path | None) -> None:
        self._handle = -1
        if path is not None:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._handle = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o644)

    def write(self, **what: Any) -> None:
        """Add a line, whole."""
        if self._handle >= 0:
            os.write(
                self._handle, (json.dumps({"time": time.time(), "pid": os.getpid(), **what}) + "\n").encode()
            )


def say(**report: Any) -> None:
    """One line to the runner."""
    sys.stdout.write(json.dumps(report) + "\n")
    sys.stdout.flush()


def read_so_far() -> int:
    """Bytes that this process has read of files; 0 where the system doesn't tell."""
    try:
        with open("/proc/self/io", encoding="ascii") as told:
            return int(told.readline().partition(":")[2])
    except (OSError, ValueError):
        return 0


def cpu_so_far(kind: str) -> float:
    """Seconds of the processor that this process has used; for a check those of the processes that shared it as well."""
    shared = resource.getrusage(resource.RUSAGE_CHILDREN) if kind == CHECK.id else None
    return time.process_time() + (shared.ru_utime + shared.ru_stime if shared else 0.0)


class FaultTold(NamedTuple):
    """Which fault an error is, and its sentence."""

    fault: str
    sentence: str


def fault_of(error: BaseException) -> FaultTold:
    """Which fault an error is, and its sentence."""
    from chronocast.media.errors import (
        DecodeFailed,
        DeviceFailed,
        MediaGone,
        NotMedia,
        SoundDamaged,
        SourceDamaged,
    )
    from chronocast.media.piece.base import BaseDamaged
    from chronocast.model.errors import ChronocastError

    number = getattr(error, "errno", None)
    if number in (errno.ENOSPC, errno.EDQUOT):
        return FaultTold("space", "The drive is full.")
    if isinstance(error, MediaGone):
        return FaultTold("away", str(error))
    if isinstance(error, DecodeFailed | NotMedia | SourceDamaged | SoundDamaged):
        return FaultTold("media", str(error))
    if isinstance(error, DeviceFailed):
        return FaultTold("device", str(error))
    if isinstance(error, BaseDamaged):
        return FaultTold("base", str(error))
    if isinstance(error, ChronocastError):
        return FaultTold("encode", str(error))
    if number in (errno.EACCES, errno.EROFS, errno.ENOENT, errno.ENOTDIR):
        where = getattr(error, "filename", None) or "A file"
        return FaultTold("place", f"{where} can't be written: {os.strerror(number)}.")
    if isinstance(error, MemoryError):
        return FaultTold("encode", "There was not enough memory.")
    return FaultTold("encode", f"The work failed: {error}.")


def serve(parent: int, log_path: Path | None) -> None:
    """Do jobs until standard input ends.

    Parameters
    ----------
    parent
        The process that this one leaves with.
    log_path
        Where what is done is written down.
    """
    die_with_parent(parent)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(10)
    log = ChildLog(log_path)
    from chronocast.crew.local.work import Worker
    from chronocast.model.messages.jobs import read_job

    worker = Worker(say)
    say(what="ready")
    for line in sys.stdin:
        order = json.loads(line)
        job, attempt = read_job.validate_python(order["job"]), int(order["attempt"])
        log.write(what="start", kind=job.kind, name=job.name, attempt=attempt)
        worker.decode_by(str(order.get("decoder", "")))
        begin, cpu, read = time.monotonic(), cpu_so_far(job.kind), read_so_far()
        try:
            result = worker.do(job, attempt, int(order.get("hands", 1)))
        except Exception as error:
            fault, sentence = fault_of(error)
            pictures = getattr(error, "pictures", None)
            detail = json.dumps({"damaged": pictures}) if pictures else traceback.format_exc()
            log.write(what="failed", kind=job.kind, name=job.name, attempt=attempt, detail=repr(error))
            if fault == "media":
                worker.readers.close()
                worker = Worker(say)
            say(
                what="failed",
                job=job.name,
                attempt=attempt,
                fault=fault,
                sentence=sentence,
                detail=detail,
            )
            continue
        log.write(
            what="done", kind=job.kind, name=job.name, attempt=attempt, target=job.target, result=result
        )
        say(
            what="done",
            job=job.name,
            attempt=attempt,
            result=result,
            wall_seconds=time.monotonic() - begin,
            cpu_seconds=cpu_so_far(job.kind) - cpu,
            read_bytes=read_so_far() - read,
            memory_bytes=resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024,
        )
