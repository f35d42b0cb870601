"""An output as the forecast asks for it: its pieces, what of them is in the stock, what its source says."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from math import exp, log

from chronocast.forecast.container import container_bytes
from chronocast.forecast.learning.film_seen import held
from chronocast.forecast.outputs import OutputAsk, SoundAsk
from chronocast.forecast.picture.ask import PictureAsk
from chronocast.forecast.sound import sound_bits
from chronocast.forecast.work import BASE_READING, COMPOSING, CopyAsk, PieceAsk, base_pace
from chronocast.media.copy.seams import BESIDE, HEAD, WHOLE
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.frozen import EMPTY
from chronocast.model.messages.jobs import MEASURED, PieceJob, SoundJob
from chronocast.model.recipe.formats.codecs import SOUND
from chronocast.model.recipe.formats.layouts import channels_of
from chronocast.pieces.base_pieces import base_bytes
from chronocast.pieces.stock import Stock
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.station.drives import drive_of


def picture_ask(ready: OutputReady, stock: Stock) -> PictureAsk:
    """An output's picture as the forecast of bytes asks for it.

    Parameters
    ----------
    ready
        The output, planned.
    stock
        Where finished pieces are.
    """
    plan = ready.plan
    sizes = [(piece.frames, stock.size(piece.name)) for piece in plan.pieces]
    box = plan.settings.piece if plan.settings else "mp4"
    kept = [
        None
        if size is None
        else max(0, size - round(container_bytes(box, frames, 0, whole=ready.whole_frames)))
        for frames, size in sizes
    ]
    if ready.searching:  # what is there now is of qualities that are being tried
        kept = [None] * len(kept)
    copied = frozenset(n for n, piece in enumerate(plan.pieces) if piece.copied) or EMPTY
    kept = [source_bytes(ready, n) if n in copied and size is None else size for n, size in enumerate(kept)]
    return PictureAsk(
        name=ready.output.id,
        family=ready.family,
        prior=ready.size_prior,
        pieces=tuple(piece.frames for piece in plan.pieces),
        kept=tuple(kept),
        windows=tuple(item.window for item in ready.content),
        packets=tuple(
            item.packets if item.source_kind == ready.source_kind else None for item in ready.content
        ),
        source_kind=ready.source_kind,
        film=ready.film,
        look=ready.look_prior,
        copied=copied,
        blank=tuple(item.blank for item in ready.content)
        if any(item.blank for item in ready.content)
        else (),
    )


def source_bytes(ready: OutputReady, number: int) -> int:
    """Bytes of the source's packets that one piece shows."""
    piece, total = ready.plan.pieces[number], 0.0
    for span in piece.spans:
        for layer in span.layers:
            if layer.media and (needed := layer.needs(span.frames)):
                total += ready.source.facts[layer.media.path].bytes_of(*needed) or 0.0
    return round(total)


def _copied_rate(ready: OutputReady) -> float:
    """The rate of a source's sound in bit/s: what its file holds besides its pictures, shared by its tracks."""
    (media,) = {span.media.path for span in ready.plan.sound.spans} if ready.plan.sound else {""}
    clip = ready.source.facts[media]
    return max(0.0, 8 * (clip.bytes - sum(clip.weights)) / max(0.1, clip.seconds) / max(1, len(clip.audio)))


def sound_ask(sound: SoundJob, stock: Stock, copied_rate: float | None = None) -> SoundAsk:
    """An output's sound as the forecast asks for it.

    Parameters
    ----------
    sound
        The sound's job.
    stock
        Where finished pieces are.
    copied_rate
        The rate of its source in bit/s, where it is copied.
    """
    codec, tracks = SOUND[sound.codec], len(sound.each_track)
    channels = sum(channels_of(sound.layout_of(n)) for n in range(tracks)) / tracks
    rate = sound_bits(
        codec,
        sample_rate=sound.sample_rate,
        channels=channels,
        depth=sound.depth,
        bits_per_second=sound.bits_per_second,
    )
    if copied_rate is not None:
        rate = copied_rate
    return SoundAsk(
        sound.name, tracks, rate, tracks * -(-sound.samples // codec.packet), stock.size(sound.name)
    )


def _megapixels_compared(ready: OutputReady, frames: int) -> float:
    """Pictures of a piece that are decoded to be held against the original, in millions of pixels: of whole ones few."""
    if ready.look_prior is None:
        return 0.0
    decoded = min(frames, MEASURED) if ready.whole_frames else frames
    return decoded * ready.plan.width * ready.plan.height / 1e6


def _copy_ask(ready: OutputReady, number: int) -> CopyAsk:
    """A copied piece; of groups, with what is decoded to prove it: about its first pictures and those of its last group."""
    piece = ready.plan.pieces[number]
    size = source_bytes(ready, number)
    media = piece.media[0]
    groups = ready.source.facts[media.path].groups
    if ready.whole_frames or groups is None or not groups.keys:
        return CopyAsk(piece.name, size, piece.frames)
    pixels = piece.width * piece.height / 1e6
    decoded = piece.frames if piece.frames <= WHOLE else 2 * HEAD
    return CopyAsk(piece.name, size, piece.frames, decoded * pixels, BESIDE * pixels)


def _bases_left(ready: OutputReady, pieces: Sequence[PieceJob], stock: Stock) -> list[PieceJob]:
    """The base pieces of some pieces that aren't in the stock, each once."""
    bases = (ready.base_of[piece.name] for piece in pieces if piece.name in ready.base_of)
    return list({base.name: base for base in bases if stock.size(base.name) is None}.values())


def _base_ask(ready: OutputReady, base: PieceJob) -> PieceAsk:
    encoder = base.settings.encoder
    return PieceAsk(
        base.name,
        ready.work(base),
        ENCODERS[encoder].effort("medium"),
        base_pace(encoder),
        composing=ready.composing(base),
    )


def _busier(ready: OutputReady) -> list[float]:
    """How many more bits each piece takes than all on the whole, as logarithms: as its source's packets say, if they do."""
    told = [item.packets for item in ready.content if item.source_kind == ready.source_kind]
    known = [value for value in told if value is not None]
    if len(known) < len(ready.content) or len(known) < 2 or held(known):
        return [0.0] * len(ready.plan.pieces)
    frames = [piece.frames for piece in ready.plan.pieces]
    whole = log(sum(n * exp(value) for n, value in zip(frames, known, strict=True)) / max(1, sum(frames)))
    return [value - whole for value in known]


def output_ask(
    ready: OutputReady,
    stock: Stock,
    made: int | None,
    claimed: Collection[str] = (),
    drive: str | None = None,
) -> OutputAsk:
    """An output as the forecast asks for it; ``made`` is the bytes of its file where it is made already.

    Parameters
    ----------
    ready
        The output, planned.
    stock
        Where finished pieces are.
    made
        Bytes of its file where it is made already.
    claimed
        Base pieces that are counted with another output.
    drive
        Where its file is written, where that is known.
    """
    plan = ready.plan
    there = [stock.size(piece.name) is not None for piece in plan.pieces]
    times = ready.times
    if ready.searching:  # what of this round is there already
        done = sum(piece.frames for piece, kept in zip(plan.pieces, there, strict=True) if kept)
        times = max(0.05, times - done / max(1, plan.frames))
    pieces = tuple(
        PieceAsk(
            piece.name,
            ready.work(piece),
            ENCODERS[piece.settings.encoder].effort(ready.effort),
            ready.pace,
            times,
            _megapixels_compared(ready, piece.frames),
            ready.composing(piece, piece.name in ready.base_of),
            BASE_READING if piece.name in ready.base_of else COMPOSING,
            ready.route.device.seconds_a_megapixel if ready.route.device else 0.0,
            more,
        )
        for piece, more in zip(plan.pieces, _busier(ready), strict=True)
    )
    is_open = tuple(
        made is None and not piece.copied and (ready.searching or not kept)
        for piece, kept in zip(plan.pieces, there, strict=True)
    )
    still = [piece for piece, still in zip(plan.pieces, is_open, strict=True) if still]
    bases = [base for base in _bases_left(ready, still, stock) if base.name not in claimed]
    return OutputAsk(
        id=ready.output.id,
        container=ready.recipe.container,
        frames=plan.frames,
        seconds=plan.seconds,
        megapixels=plan.width * plan.height * plan.frames / 1e6,
        picture=picture_ask(ready, stock) if plan.settings else None,
        sound=sound_ask(plan.sound, stock, _copied_rate(ready) if plan.sound.copies else None)
        if plan.sound
        else None,
        pieces=pieces,
        open=is_open,
        whole=ready.whole_frames,
        timecode=bool(ready.timecode),
        made=made,
        drive=drive_of(ready.path.parent) if drive is None else drive,
        copies=tuple(
            _copy_ask(ready, n)
            for n, (piece, kept) in enumerate(zip(plan.pieces, there, strict=True))
            if piece.copied and not kept and made is None
        ),
        bases=tuple(_base_ask(ready, base) for base in bases),
        device=ready.device,
        base_bytes=sum(base_bytes(base) for base in bases),
    )
