"""What was decided for whole outputs, kept so that their pieces keep their names."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError

from chronocast.journal.documents import load_json, save_json
from chronocast.pieces.rounds import Rounds

VERSION = 1


class RoundsStore:
    """One small JSON file an output, by a key of what it is."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def load(self, key: str) -> Rounds | None:
        """Where the search for an output's quality stands; None if it hasn't begun."""
        value = load_json(self.folder / f"{key}.json")
        if value.pop("version", None) != VERSION:
            return None
        try:
            return Rounds.model_validate(value)
        except ValidationError:
            return None

    def save(self, key: str, rounds: Rounds) -> None:
        """Keep it.

        Raises
        ------
        DocumentError
            It can't be written.
        """
        save_json(self.folder / f"{key}.json", {"version": VERSION, **rounds.model_dump(mode="json")})

    def forget(self, key: str) -> None:
        """Decide anew the next time."""
        (self.folder / f"{key}.json").unlink(missing_ok=True)
