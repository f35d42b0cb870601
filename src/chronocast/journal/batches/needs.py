"""Which pieces the outputs of batches wait for: a note for each batch, so that tidying the stock never takes one away."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from chronocast.journal.batches.batch_key import batch_key
from chronocast.journal.documents import load_json, save_json

VERSION = 1


class NeedsStore:
    """``NeedsStore(folder)``: a small file for each batch that was forecast or rendered here."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._said: dict[str, int] = {}

    def note(self, batch: Path, names: Collection[str]) -> None:
        """Remember what a batch's outputs wait for; the same again costs nothing.

        Parameters
        ----------
        batch
            The batch's file.
        names
            Pieces and sound by their names in the stock.

        Raises
        ------
        DocumentError
            It can't be written.
        """
        key, mark = batch_key(batch), hash(frozenset(names))
        if self._said.get(key) == mark:
            return
        path = self.folder / f"{key}.json"
        save_json(path, {"version": VERSION, "batch": str(batch.resolve()), "names": sorted(names)})
        self._said[key] = mark

    def all(self) -> set[str]:
        """What outputs of batches that are still there wait for."""
        found: set[str] = set()
        for path in sorted(self.folder.glob("*.json")):
            value = load_json(path)
            if value.get("version") == VERSION and Path(str(value.get("batch", ""))).exists():
                found.update(str(name) for name in value.get("names", ()))
        return found
