"""What happens to the clips of a sequence that an operator should know before: enlarged, squeezed, retimed, converted."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping

from chronocast.model.picture.colour import same_look, told
from chronocast.model.picture.geometry import View, place
from chronocast.model.source.cutlist import CutList, Layer, media_title
from chronocast.model.source.facts import ClipFacts
from chronocast.model.time.timing import format_timecode, rate_text


def changes(cut: CutList, facts: Mapping[str, ClipFacts]) -> list[str]:
    """One sentence for each clip and what is done to it, with where that is first."""
    seen: dict[tuple[str, tuple[str, ...]], list[int]] = defaultdict(list)
    for span in cut.picture:
        for layer in span.layers:
            if layer.media:
                done = tuple(layer_changes(layer, cut, facts[layer.media.path]))
                seen[(layer.media.path, done)].append(span.start)
    found = []
    for (path, done), starts in seen.items():
        if done:
            at = format_timecode(cut.start_timecode + starts[0], cut.rate, cut.drop_frame)
            told = ", ".join(done[:-1]) + (" and " if len(done) > 1 else "") + done[-1]
            found.append(f"{media_title(path)} at {at} is {told}.")
    return found


def layer_changes(layer: Layer, cut: CutList, clip: ClipFacts) -> Iterator[str]:
    """What is done to one layer's pictures, each as a clause.

    Parameters
    ----------
    layer
        The layer.
    cut
        The cut it is of.
    clip
        What is known of its file.
    """
    size, shape = (clip.width, clip.height), clip.pixel_aspect
    if clip.turned in (90, 270):
        size, shape = (clip.height, clip.width), 1 / clip.pixel_aspect
    canvas = (cut.width, cut.height)
    lies = place(size, shape, layer.placing, canvas=canvas, view=View(), output=canvas)
    if lies and lies.enlarged > 1.02:
        yield f"enlarged to {lies.enlarged:.0%}"
    if layer.placing == "stretch" and lies and abs(lies.scale[0] / lies.scale[1] / float(shape) - 1) > 0.01:
        yield "stretched out of its shape"
    elif lies and lies.size != canvas:
        bars = "at the sides" if lies.size[0] < canvas[0] else "above and below"
        yield f"shown with bars {bars}"
    natural = (2 if layer.deinterlace == "field" else 1) * clip.rate / cut.rate
    speed = layer.step / natural
    if speed == 0:
        yield "frozen"
    elif speed != 1:
        yield f"played {'backwards ' if speed < 0 else ''}at {float(abs(speed)):.0%} of its speed"
    if clip.rate != cut.rate:
        yield f"converted from {rate_text(clip.rate)} to {rate_text(cut.rate)} frames per second ({_HOW[layer.retime]})"
    if layer.deinterlace:
        yield f"deinterlaced, a picture for each {layer.deinterlace}"
    if not same_look(layer.colour, cut.colour):
        yield f"converted from {told(layer.colour)} to {told(cut.colour)}"


_HOW = {"nearest": "nearest picture", "blend": "blended", "motion": "by motion"}
