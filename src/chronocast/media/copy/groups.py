"""Copy whole groups of pictures of a long-GOP codec, so that a decoder can begin at the first of them."""

from __future__ import annotations

import os

from chronocast.media.bitstream.registry import bare_packets
from chronocast.media.copy.copied import Copied, CopyFailed
from chronocast.media.copy.run import Run
from chronocast.media.copy.seams import prove_seams
from chronocast.media.digest import new_digest, written_digest
from chronocast.media.source.opening import opened
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import PieceJob


def copy_groups(job: PieceJob, readers: Readers) -> Copied:
    """Write a run of whole groups, and prove that it decodes as in its source with encoded pictures before and after.

    Parameters
    ----------
    job
        The piece's: one span, from a key frame to before another or to the end.
    readers
        Open readers of its media: they know where pictures are.

    Raises
    ------
    CopyFailed
        Its groups can't be had, or don't prove to be the same.
    StreamUnreadable
        The stream uses what isn't rewritten.
    JoinFailed
        They can't stand in one file with what is encoded.
    """
    layer = job.spans[0].layers[0]
    if len(job.spans) != 1 or layer.media is None:
        raise CopyFailed("A run of groups is of one source.")
    index = readers.reader(layer.media.path, layer.media.fingerprint).index
    first = int(layer.start)
    with opened(layer.media.path, packets_alone=True) as film:
        plain = Run.read(film, index, first, first + job.frames, job.sets_moved)
        run = plain.begun()
        run.write(job.target, job.rate)
        decoded = prove_seams(job, plain, run, readers)
    return Copied(
        os.path.getsize(job.target),
        tuple(map(len, run.packets)),
        _digest(job.target, job.frames),
        decoded=decoded,
    )


def _digest(path: str, frames: int) -> str:
    """Of a piece's packets as they are in its file, read once more.

    Raises
    ------
    CopyFailed
        They are not as many.
    """
    total, count = new_digest(), 0
    with opened(path, packets_alone=True) as container:
        stream = container.streams.video[0]
        context = stream.codec_context
        bare = bare_packets(context.codec.canonical_name, bytes(context.extradata or b""))
        for packet in container.demux(stream):
            if packet.size:
                total.update(bare(bytes(packet)))
                count += 1
    if count != frames:
        raise CopyFailed(f"Of {frames} pictures {count} were copied.")
    return written_digest(total)
