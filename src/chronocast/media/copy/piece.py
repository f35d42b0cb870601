"""Copy a source's packets to a piece, by whichever way its codec allows."""

from __future__ import annotations

import errno

import av

from chronocast.media.bitstream.bits import StreamUnreadable
from chronocast.media.bitstream.registry import LONG_GOP
from chronocast.media.copy.copied import Copied, CopyFailed
from chronocast.media.copy.groups import copy_groups
from chronocast.media.copy.whole import copy_whole
from chronocast.media.errors import JoinFailed
from chronocast.media.source.readers import Readers
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.recipe.formats.codecs import PICTURE

_NOT_OURS = (errno.ENOSPC, errno.EDQUOT, errno.EACCES, errno.EROFS)


def copy_piece(job: PieceJob, readers: Readers) -> Copied:
    """Write the piece's pictures to ``job.target`` (the caller renames it), packet by packet, and prove them.

    Parameters
    ----------
    job
        The piece's.
    readers
        Open readers of its media: they know where pictures are.

    Raises
    ------
    CopyFailed
        Packets can't be had, or what was copied isn't the same afterwards.
    OSError
        The target can't be written.
    """
    codec = next(row for row in PICTURE.values() if job.settings.encoder in row.encoders)
    try:
        return (copy_groups if codec.stream_name in LONG_GOP else copy_whole)(job, readers)
    except av.error.FFmpegError as error:
        if isinstance(error, OSError) and error.errno in _NOT_OURS:
            raise
        raise CopyFailed(f"Packets can't be copied: {error.strerror or error}.") from error
    except StreamUnreadable as error:
        raise CopyFailed(f"Packets can't be copied: {error}.") from error
    except JoinFailed as error:
        raise CopyFailed(error.sentence) from error
