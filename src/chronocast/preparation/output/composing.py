"""What composing a piece's pictures costs, from the layers it shows and what is known of their media."""

from __future__ import annotations

from collections.abc import Mapping

from chronocast.forecast.composing import LayerRead, layer_work, layers_work
from chronocast.model.messages.jobs import PieceJob
from chronocast.model.source.cutlist import Layer, PictureSpan
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.origin import samples_of


def composing_work(piece: PieceJob, facts: Mapping[str, ClipFacts]) -> float:
    """What composing a piece costs, in millions of pixels encoded by x264 at medium effort.

    Parameters
    ----------
    piece
        The piece.
    facts
        What is known of its media, by path.
    """
    made, total = piece.width * piece.height / 1e6, 0.0
    for span in piece.spans:
        reads = [found for layer in span.layers if (found := _layer_read(layer, span, facts))]
        total += sum(layer_work(read, made) for read in reads)
        total += layers_work(len(span.layers), made * span.frames)
    return total


def _layer_read(layer: Layer, span: PictureSpan, facts: Mapping[str, ClipFacts]) -> LayerRead | None:
    """One layer of a span as it is priced; None without a medium."""
    if layer.media is None or (needed := layer.needs(span.frames)) is None:
        return None
    clip = facts[layer.media.path]
    whole = abs(layer.step) == 1 and layer.start.denominator == 1
    return LayerRead(
        codec=clip.video_codec,
        deep=samples_of(clip.pixel_format).depth > 8,
        pictures=(needed.last - needed.first + 1) / (2 if layer.deinterlace == "field" else 1),
        megapixels=clip.width * clip.height / 1e6,
        shown=span.frames,
        fields=bool(layer.deinterlace),
        between="" if whole or layer.retime == "nearest" else layer.retime,
    )
