"""The encoder child: one process a slot, one job at a time, kept warm.

It reads jobs as JSON lines on standard input and answers with JSON lines on
standard output.  It dies with its parent, runs at low priority, and writes
what it began and finished to an append-only log of its own.
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
from dataclasses import asdict
from pathlib import Path
from typing import Any

from chronocast.preparation.station.children import die_with_parent

PROGRESS_SECONDS = 0.2


class ChildLog:
    """Lines of what this machine's children did, appended whole."""

    def __init__(self, path: Path | None) -> None:
        self._handle = -1
        if path is not None:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._handle = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o644)

    def write(self, **what: Any) -> None:
        if self._handle >= 0:
            os.write(
                self._handle, (json.dumps({"time": time.time(), "pid": os.getpid(), **what}) + "\n").encode()
            )


def say(**report: Any) -> None:
    """One line to the runner."""
    sys.stdout.write(json.dumps(report) + "\n")
    sys.stdout.flush()


def fault_of(error: BaseException) -> tuple[str, str]:
    """Which fault an error is, and its sentence."""
    from chronocast.media.errors import DecodeFailed, MediaGone, NotMedia, SoundDamaged, SourceDamaged
    from chronocast.model.errors import ChronocastError

    number = getattr(error, "errno", None)
    if number in (errno.ENOSPC, errno.EDQUOT):
        return "space", "The drive is full."
    if isinstance(error, MediaGone):
        return "away", str(error)
    if isinstance(error, DecodeFailed | NotMedia | SourceDamaged | SoundDamaged):
        return "media", str(error)
    if isinstance(error, ChronocastError):
        return "encode", str(error)
    if number in (errno.EACCES, errno.EROFS, errno.ENOENT, errno.ENOTDIR):
        where = getattr(error, "filename", None) or "A file"
        return "place", f"{where} can't be written: {os.strerror(number)}."
    if isinstance(error, MemoryError):
        return "encode", "There was not enough memory."
    return "encode", f"The work failed: {error}."


def damaged_pictures(job: Any, complaints: dict[str, dict[int, str]]) -> list[tuple[str, int, str]]:
    """What decoders said of pictures that a piece shows: (file, picture, sentence), at most 50.

    What they say of pictures on the way to those isn't about the piece.
    """
    found: list[tuple[str, int, str]] = []
    for span in job.spans:
        for layer in span.layers:
            needed = layer.needs(span.frames) if layer.media else None
            if needed is None:
                continue
            each = 2 if layer.deinterlace == "field" else 1
            said = complaints.get(layer.media.path, {})
            found += [
                (layer.media.path, number, told)
                for number, told in sorted(said.items())
                if layer.clock is not None or needed[0] // each <= number <= needed[1] // each
            ]
    return list(dict.fromkeys(found))[:50]


class Worker:
    """Does jobs, and keeps source files open between them."""

    def __init__(self) -> None:
        from chronocast.media.source.readers import Readers

        self.readers = Readers(listen=True)
        self._last = 0.0

    def do(self, job: Any, attempt: int) -> dict[str, Any]:
        """Carry out one job; its result."""
        from chronocast.crew.local.proof import proved_checks
        from chronocast.media.encoders.encode import encode_piece
        from chronocast.media.errors import SoundDamaged, SourceDamaged
        from chronocast.media.files.join import join
        from chronocast.media.files.sound import render_sound
        from chronocast.model.messages.check import Expected

        def progress(count: int, _picture: Any = None) -> None:
            if time.monotonic() - self._last >= PROGRESS_SECONDS:
                self._last = time.monotonic()
                say(what="progress", job=job.name, attempt=attempt, frames=count)

        if job.kind == "piece":
            self._same_media(job)
            self.readers.complaints()
            made = encode_piece(job, self.readers, progress)
            told: dict[str, Any] = (
                {"packets": list(made.packets), "quantizer": made.quantizer}
                if {"crf", "maxrate"} & job.settings.options.keys()
                else {}
            )
            told["sets"] = made.sets
            if made.digest:
                told["digest"] = made.digest
            if damaged := damaged_pictures(job, self.readers.complaints()):
                if not job.accept_damage:
                    raise SourceDamaged(damaged)
                told["damaged"] = [[path, number, sentence] for path, number, sentence in damaged]
            return {"bytes": made.bytes, "frames": job.frames, **told}
        if job.kind == "sound":
            result = render_sound(job, progress)
            if result.complaints and not job.accept_damage:
                raise SoundDamaged(result.complaints)
            return {
                "bytes": result.bytes,
                "samples": result.samples,
                "peak": result.peak,
                "silent": result.silent,
                "onset": result.onset,
                "damaged": list(result.complaints),
            }
        if job.kind == "join":
            return {"bytes": join(job)}
        checks, size = proved_checks(job.target, Expected(**job.expected), progress)
        return {"checks": [asdict(check) for check in checks], "bytes": size}

    def _same_media(self, job: Any) -> None:
        """See that each source still is what was planned with: a replaced file must not end in a piece's name."""
        from chronocast.media.errors import NotMedia
        from chronocast.media.source.images import fingerprint_of

        for media in job.media:
            if media.fingerprint and fingerprint_of(media.path) != media.fingerprint:
                raise NotMedia(
                    f"{media.path} has changed since the run began.",
                    "Put the old file back, or begin the run again with the new one.",
                )


def main() -> None:
    parent = int(sys.argv[1])
    die_with_parent(parent)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(10)
    log = ChildLog(Path(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2] else None)
    from chronocast.model.messages.jobs import read_job

    worker = Worker()
    say(what="ready")
    for line in sys.stdin:
        order = json.loads(line)
        job, attempt = read_job.validate_python(order["job"]), int(order["attempt"])
        log.write(what="start", kind=job.kind, name=job.name, attempt=attempt)
        begin, cpu = time.monotonic(), time.process_time()
        try:
            result = worker.do(job, attempt)
        except Exception as error:
            fault, sentence = fault_of(error)
            pictures = getattr(error, "pictures", None)
            detail = json.dumps({"damaged": pictures}) if pictures else traceback.format_exc()
            log.write(what="failed", kind=job.kind, name=job.name, attempt=attempt, detail=repr(error))
            if fault == "media":
                worker.readers.close()
                worker = Worker()
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
            what="done", job=job.name, attempt=attempt, result=result, wall_seconds=time.monotonic() - begin,
            cpu_seconds=time.process_time() - cpu,
            memory_bytes=resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024,
        )  # fmt: skip


if __name__ == "__main__":
    main()
