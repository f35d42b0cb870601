"""A batch's file in another folder: what it names stays where it is."""

from __future__ import annotations

from pathlib import Path

from chronocast.model.batch.batch import Batch, Source, portable, resolve


def as_from(batch: Batch, old: Path, new: Path) -> Batch:
    """The batch with its paths as they must stand in a file of another folder.

    Parameters
    ----------
    batch
        The batch.
    old, new
        Folders of its file, absolute.
    """

    def moved(path: str) -> str:
        return portable(resolve(path, old), new) if path else path

    def source_moved(source: Source) -> Source:
        own = source.kind == "clip"  # a sequence names its media as its timeline file does
        return source.model_copy(
            update={
                "path": moved(source.path),
                "known": {moved(name): mark for name, mark in source.known.items()} if own else source.known,
                "relinked": {name: moved(path) for name, path in source.relinked.items()},
            }
        )

    return batch.model_copy(
        update={
            "folder": moved(batch.folder),
            "search": tuple(moved(path) for path in batch.search),
            "sources": tuple(source_moved(source) for source in batch.sources),
            "outputs": tuple(
                output.model_copy(update={"folder": moved(output.folder)}) for output in batch.outputs
            ),
        }
    )
