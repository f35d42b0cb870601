"""What a batch remembers of a source: its media, where they were found, whose cut it is."""

from __future__ import annotations

from pathlib import Path

from chronocast.model.batch.batch import Source, portable
from chronocast.preparation.source.source_ready import SourceReady


def remembered(source: Source, ready: SourceReady, folder: Path) -> Source:
    """A source with what is known of it now: what its media is, where it was found; of a sequence, whose cut it is.

    Parameters
    ----------
    source
        The source, as the batch has it.
    ready
        The same, looked at.
    folder
        The batch's folder, which relative paths begin at.
    """
    if source.kind == "clip":
        (facts,) = ready.facts.values()
        return source.model_copy(update={"known": {source.path: facts.fingerprint}})
    if ready.timeline is None:
        return source
    by_path = ready.facts
    known = dict(source.known)
    relinked = dict(source.relinked)
    for name in ready.timeline.media:
        place = ready.moved.get(name, name)
        if place in by_path:
            known[name] = by_path[place].fingerprint
    for name, place in ready.moved.items():
        relinked[name] = portable(Path(place), folder)
    return source.model_copy(update={"taken": ready.mark, "known": known, "relinked": relinked})
