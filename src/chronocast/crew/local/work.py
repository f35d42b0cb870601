"""Who does each kind of work: its job in, its result out."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from chronocast.crew.local.proof import proved_checks
from chronocast.media.copy.copied import CopyFailed
from chronocast.media.copy.piece import copy_piece
from chronocast.media.copy.sound import copy_sound
from chronocast.media.errors import DamagedPicture, NotMedia, SoundDamaged, SourceDamaged
from chronocast.media.files.join import join
from chronocast.media.files.sound import render_sound
from chronocast.media.filter_graph import FilterGraph
from chronocast.media.piece.encode import encode_piece
from chronocast.media.piece.pair import Pair, write_pair
from chronocast.media.source.images import fingerprint_of
from chronocast.media.source.readers import Readers
from chronocast.model.answers import Answer
from chronocast.model.messages.check import Expected
from chronocast.model.messages.jobs import CheckJob, Job, JoinJob, PieceJob, SoundJob, pair_beside
from chronocast.model.stages import BASE, CHECK, COPY, ENCODE, JOIN, SOUND

log = logging.getLogger(__name__)

PROGRESS_SECONDS = 0.2
"""A job says how far it is so often."""
DAMAGE_AT_MOST = 50
"""So many damaged pictures of a piece are told."""


def damaged_pictures(job: PieceJob, complaints: dict[str, dict[int, str]]) -> list[DamagedPicture]:
    """What decoders said of pictures that a piece shows.

    What they say of pictures on the way to those isn't about the piece.
    """
    found: list[DamagedPicture] = []
    for span in job.spans:
        for layer in span.layers:
            needed = layer.needs(span.frames) if layer.media else None
            if needed is None or layer.media is None:
                continue
            each = 2 if layer.deinterlace == "field" else 1
            said = complaints.get(layer.media.path, {})
            found += [
                DamagedPicture(layer.media.path, number, told)
                for number, told in sorted(said.items())
                if layer.clock is not None or needed[0] // each <= number <= needed[1] // each
            ]
    return list(dict.fromkeys(found))[:DAMAGE_AT_MOST]


class Worker:
    """``Worker(say)``: does jobs, and keeps source files open between them; ``say`` reports a line."""

    def __init__(self, say: Callable[..., None]) -> None:
        self.readers = Readers(listen=True)
        FilterGraph.threads = 1  # a slot has one core
        self._say = say
        self._last = 0.0
        self._hands = 1
        self._doers: dict[str, Callable[[Any, Callable[..., None]], Answer]] = {
            BASE.id: self._encode,
            ENCODE.id: self._encode,
            COPY.id: self._encode,
            SOUND.id: self._sound,
            JOIN.id: self._join,
            CHECK.id: self._check,
        }

    def decode_by(self, device: str) -> None:
        """Decode films by a kind of device from now on; by the processor, if ""."""
        if device != self.readers.device:
            self.readers.close()
            self.readers = Readers(listen=True, device=device)

    def do(self, job: Job, attempt: int, hands: int = 1) -> Answer:
        """Carry out one job; its result.

        Parameters
        ----------
        job
            The job.
        attempt
            The attempt's number.
        hands
            How many processes may be at it.
        """
        self._hands = hands

        def progress(count: int, _picture: Any = None) -> None:
            if time.monotonic() - self._last >= PROGRESS_SECONDS:
                self._last = time.monotonic()
                self._say(what="progress", job=job.name, attempt=attempt, frames=count)

        return self._doers[job.kind](job, progress)

    def _encode(self, job: PieceJob, progress: Callable[..., None]) -> Answer:
        self._same_media(job)
        why = ""
        if job.copied:
            try:
                return self._copy(job)
            except CopyFailed as error:
                why = str(error)
        self.readers.complaints()
        made = encode_piece(job, self.readers, progress)
        result: Answer = {"bytes": made.bytes, "frames": job.frames, "sets": made.sets}
        result["composing_seconds"] = round(made.composing_seconds, 4)
        if {"crf", "maxrate"} & job.settings.options.keys():
            result |= {"packets": list(made.packets), "quantizer": made.quantizer}
        if made.likeness:
            result["likeness"] = [[number, *found] for number, found in sorted(made.likeness.items())]
            result["measure_seconds"] = round(made.measure_seconds, 4)
        if made.poorest is not None and self._pictured(job, made.poorest):
            result["pictured"] = [made.poorest.number, round(made.poorest.xpsnr, 2)]
        if made.digest:
            result["digest"] = made.digest
        if made.decoded:
            result["decoded"] = [[job.frames, made.decoded]]
        if why:
            result["encoded_because"] = why
        if damaged := damaged_pictures(job, self.readers.complaints()):
            if not job.accept_damage:
                raise SourceDamaged(damaged)
            result["damaged"] = [list(entry) for entry in damaged]
        return result

    @staticmethod
    def _pictured(job: PieceJob, pair: Pair) -> bool:
        """Write a picture of the piece beside its original; without room for it the piece is as good."""
        try:
            write_pair(pair_beside(job.target), pair)
        except OSError as error:
            log.info("no picture of %s is kept: %s", job.name, error)
            return False
        return True

    def _copy(self, job: PieceJob) -> Answer:
        """Copy the source's packets, each as it is."""
        made = copy_piece(job, self.readers)
        result: Answer = {"bytes": made.bytes, "frames": job.frames, "copied": made.digest, "sets": made.sets}
        return result | ({"decoded": [list(run) for run in made.decoded]} if made.decoded else {})

    @staticmethod
    def _sound(job: SoundJob, progress: Callable[..., None]) -> Answer:
        why = ""
        if job.copies:
            try:
                result = copy_sound(job)
            except CopyFailed as error:
                why = str(error)
        if why or not job.copies:
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
        } | ({"encoded_because": why} if why else {"copied": True} if job.copies else {})

    @staticmethod
    def _join(job: JoinJob, _: Callable[..., None]) -> Answer:
        return {"bytes": join(job)}

    def _check(self, job: CheckJob, progress: Callable[..., None]) -> Answer:
        checks, size = proved_checks(job.target, Expected(**job.expected), progress, self._hands)
        return {"checks": [asdict(check) for check in checks], "bytes": size}

    @staticmethod
    def _same_media(job: PieceJob) -> None:
        """See that each source still is what was planned with: a replaced file must not end in a piece's name."""
        for media in job.media:
            if media.fingerprint and fingerprint_of(media.path) != media.fingerprint:
                raise NotMedia(
                    f"{media.path} has changed since the run began.",
                    "Put the old file back, or begin the run again with the new one.",
                )
