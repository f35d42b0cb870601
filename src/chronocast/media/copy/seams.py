"""Prove that copied groups fit between encoded pictures, before anything is built on them.

Five things, since each of them has been seen to pass alone on a broken file:
the count of pictures, what the copied ones decode to, what the encoded ones
before and after them decode to, their times, and a decoder that says nothing.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Hashable, Iterator
from pathlib import Path
from typing import NamedTuple

import av
import numpy as np

from chronocast.media.copy.copied import CopyFailed
from chronocast.media.copy.run import Run
from chronocast.media.digest import ASKED, new_digest, written_digest
from chronocast.media.files.join import join
from chronocast.media.files.prove import prove
from chronocast.media.picture_digest import picture_digest
from chronocast.media.piece.encode import encode_pictures
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import JoinJob, PieceJob
from chronocast.model.time.timing import FrameRange

HEAD = 12
"""So many pictures of a run are decoded from where all that follow are decoded as in their source."""
WHOLE = 48
"""A run of no more pictures is decoded whole."""
BESIDE = 2
"""So many encoded pictures stand before and after it while it is proved."""


class Part(NamedTuple):
    """Some of a run by itself, where its pictures are in the run, and the digest of what its source decodes to."""

    run: Run
    range: FrameRange
    digest: str


class Beside(NamedTuple):
    """Encoded pictures' file, and what they decode to by themselves."""

    file: bytes
    digests: tuple[str, ...]


def prove_seams(job: PieceJob, plain: Run, run: Run, readers: Readers) -> tuple[tuple[int, str], ...]:
    """See that a run decodes as its source does, with encoded pictures before and after it.

    What could be decoded otherwise than in the source is decoded whole; of the
    rest, the first pictures and the beginning of the last group: all others
    mean the same pictures and have the same bits as in the source.

    Parameters
    ----------
    job
        The piece's.
    plain
        Its packets as they are in the source.
    run
        The same, made to begin anew.
    readers
        Open readers of its media.

    Returns
    -------
    tuple
        (pictures, digest of what they decode to), one after another, "" of those that weren't decoded.

    Raises
    ------
    CopyFailed
        It doesn't.
    """
    with tempfile.TemporaryDirectory(dir=os.path.dirname(job.target) or ".", prefix=".seams.part ") as folder:
        parts = [
            Part(part, range_, _source_digest(job, readers, range_))
            for part, range_ in _parts(plain, run, job.frames)
        ]
        beside = os.path.join(folder, "beside.mp4")
        encoded = _beside(job, folder)
        Path(beside).write_bytes(encoded.file)
        files = [beside]
        for number, part in enumerate(parts):
            files.append(os.path.join(folder, f"{number}.mp4"))
            part.run.write(files[-1], job.rate, lasting=False)
        files.append(beside)
        frames = [BESIDE, *(len(part.range) for part in parts), BESIDE]
        joined = os.path.join(folder, "joined.mp4")
        join(
            JoinJob(
                name="seams",
                target=joined,
                container="mp4",
                rate=str(job.rate),
                pieces=tuple(zip(files, frames, strict=True)),
                sound=None,
            ),
            lasting=False,
        )
        found = prove(joined, runs=[(count, ASKED) for count in frames], rate=job.rate)
    wanted = [*encoded.digests, *(part.digest for part in parts), *encoded.digests]
    if found.complaints:
        raise CopyFailed(f"Copied beside encoded pictures, a decoder complains: {found.complaints[0]}.")
    if found.frames != sum(frames):
        raise CopyFailed(f"Copied beside encoded pictures, {found.frames} of {sum(frames)} decode.")
    if found.uneven:
        raise CopyFailed(f"Copied beside encoded pictures, {found.uneven} are not in their place.")
    if list(found.digests) != wanted:
        which = next(n for n, (a, b) in enumerate(zip(wanted, found.digests, strict=False)) if a != b)
        what = "encoded" if which in (0, len(wanted) - 1) else "copied"
        raise CopyFailed(f"Copied beside encoded pictures, {what} ones decode otherwise than by themselves.")
    return tuple(_runs(parts, job.frames))


def _parts(plain: Run, run: Run, frames: int) -> Iterator[tuple[Run, FrameRange]]:
    """What of a run is decoded: its beginning, and that of its last group."""
    settled = run.stream.settled(plain.packets, run.packets, plain.dropped)
    begin, last = run.head(settled + HEAD), run.keys[-1]
    if frames <= WHOLE or len(begin.packets) > last:
        yield run, FrameRange(0, frames)
        return
    yield begin, FrameRange(0, len(begin.packets))
    group = plain.last_group().begun()
    first = frames - len(group.packets)
    end = group.head(HEAD)
    yield end, FrameRange(first, first + len(end.packets))


def _source_digest(job: PieceJob, readers: Readers, part: FrameRange) -> str:
    """The digest of what pictures of the job decode to in their source."""
    layer = job.spans[0].layers[0]
    assert layer.media is not None
    reader = readers.reader(layer.media.path, layer.media.fingerprint)
    total = new_digest()
    for number in range(int(layer.start) + part.start, int(layer.start) + part.stop):
        total.update(picture_digest(reader.frame(number)))
    return written_digest(total)


_known: dict[Hashable, Beside] = {}
"""Those of the outputs that runs were proved for last: all runs of one want the same."""
MOST_KNOWN = 8


def _beside(job: PieceJob, folder: str) -> Beside:
    """A few pictures encoded as those around a run will be: none of the film's, since only how they are coded matters."""
    key = (job.settings.model_dump_json(), job.rate, job.width, job.height, job.colour, job.shape)
    if key not in _known:
        if len(_known) >= MOST_KNOWN:
            _known.clear()
        _known[key] = _encoded_beside(job, os.path.join(folder, "alone.mp4"))
    return _known[key]


def _encoded_beside(job: PieceJob, target: str) -> Beside:
    ramp = np.linspace(0, 255, job.width).astype(np.uint8)
    steps = np.empty((job.height, job.width, 3), np.uint8)
    steps[:] = ramp[:, None]
    encode_pictures(
        (
            av.VideoFrame.from_ndarray(each, format="rgb24").reformat(format=job.settings.pixel_format)
            for each in (steps, np.ascontiguousarray(steps[:, ::-1]))
        ),
        target,
        job.rate,
        width=job.width,
        height=job.height,
        settings=job.settings,
        composed=job.colour,
        shape=job.shape,
    )
    return Beside(Path(target).read_bytes(), prove(target, runs=[(BESIDE, ASKED)], rate=job.rate).digests)


def _runs(parts: list[Part], frames: int) -> Iterator[tuple[int, str]]:
    """Parts of a piece and what is between them, with what each decodes to."""
    at = 0
    for part in parts:
        if part.range.start > at:
            yield part.range.start - at, ""
        yield len(part.range), part.digest
        at = part.range.stop
    if at < frames:
        yield frames - at, ""
