"""Where packets of a long-GOP film can be cut: looked at while all of them are read."""

from __future__ import annotations

import hashlib
import logging
from typing import Any

import av

from chronocast.media.bitstream.bits import StreamUnreadable
from chronocast.media.bitstream.registry import LONG_GOP
from chronocast.media.bitstream.stream import Begin, LongGopStream
from chronocast.media.source.index import FrameIndex
from chronocast.model.source.facts import GroupFacts, KeyFrame

log = logging.getLogger(__name__)


class GroupsWatch:
    """``GroupsWatch(codec)``: sees every packet of a film, by the libraries' name of its codec, in decoding order."""

    def __init__(self, codec: str) -> None:
        self._codec = LONG_GOP.get(codec)
        self._stream: LongGopStream | None = None
        self._keys: list[tuple[int, Begin]] = []
        self._leading: list[int] = []
        self._trouble = ""

    def see(self, packet: av.Packet[Any]) -> None:
        """The next packet."""
        if self._codec is None or self._trouble:
            return
        if packet.pts is None or packet.is_corrupt:
            self._trouble = "its packets have no times, or are damaged"
        elif packet.is_keyframe:
            self._key(packet, packet.pts)
        elif self._keys and packet.pts < self._keys[-1][0]:
            self._leading[-1] += 1

    def _key(self, packet: av.Packet[Any], time: int) -> None:
        assert self._codec is not None
        try:
            if self._stream is None:
                self._stream = self._codec.stream(bytes(packet.stream.codec_context.extradata or b""), 0)
                self._trouble = self._stream.sets.trouble
            self._keys.append((time, self._stream.begins(bytes(packet))))
            self._leading.append(0)
        except StreamUnreadable as error:
            self._trouble = str(error)
        except (ValueError, IndexError) as error:  # a broken stream must not keep its film from being used
            log.warning("the groups of a film can't be read: %r", error)
            self._trouble = "its packets can't be read"

    def found(self, index: FrameIndex) -> GroupFacts | None:
        """What there was; None for codecs whose packets are cut in another way, or not at all.

        Parameters
        ----------
        index
            Of the film: which of its pictures are shown.
        """
        if self._codec is None:
            return None
        if self._trouble or self._stream is None:
            return GroupFacts(trouble=self._trouble or "it has no key frames")
        sets = self._stream.sets
        keys = tuple(
            KeyFrame(index.number[time], leading, begin)
            for (time, begin), leading in zip(self._keys, self._leading, strict=True)
            if time in index.number
        )
        return GroupFacts(
            keys,
            hashlib.blake2b(sets.content, digest_size=8).hexdigest(),
            tuple(sorted(sets.numbers)),
            sets.level,
            able=sets.able,
        )
