"""What a person has set for this machine, in ``settings.json`` of the settings folder."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from chronocast.journal.documents import load_json, save_json
from chronocast.journal.places import config_folder, data_folder

USUAL_RESERVE = 500_000_000


class Settings(BaseModel):
    """``reserve_bytes`` are left free on every drive (on small drives at most a twentieth of it).

    ``stock_bytes`` is what the stock may hold; None for any size.  ``kept_in`` is the folder in which pieces
    and proxies are kept, on shared storage say; "" for the usual one.  ``proxies`` are made *when asked*, or
    *by themselves* when a batch is open and nothing else goes on.
    """

    model_config = ConfigDict(frozen=True, extra="allow")

    reserve_bytes: int = Field(default=USUAL_RESERVE, ge=0, le=10**15)
    stock_bytes: int | None = Field(default=None, ge=0, le=10**16)
    kept_in: str = Field(default="", max_length=4096)
    proxies: Literal["when asked", "by themselves"] = "when asked"


def load_settings() -> Settings:
    """The settings as they are saved; the usual ones where nothing sensible is."""
    try:
        return Settings.model_validate(load_json(config_folder() / "settings.json"))
    except ValidationError:
        return Settings()


def save_settings(settings: Settings) -> None:
    """Keep settings.

    Raises
    ------
    DocumentError
        They can't be written.
    """
    save_json(config_folder() / "settings.json", settings.model_dump(mode="json"))


class Kept(NamedTuple):
    """Where pieces and proxies are kept; ``trouble`` is a sentence where that isn't where it should be."""

    folder: Path
    trouble: str = ""


def kept_place() -> Kept:
    """Where pieces and proxies are kept: in the folder that was set, or the usual one while that can't be used."""
    wanted = load_settings().kept_in
    if not wanted:
        return Kept(data_folder())
    folder = Path(wanted)
    why = (
        "isn't there"
        if not folder.is_dir()
        else ""
        if os.access(folder, os.W_OK | os.X_OK)
        else "can't be written"
    )
    if not why:
        return Kept(folder)
    return Kept(
        data_folder(),
        f"Pieces are to be kept in {folder}, which {why}; until it can be used they are kept on this machine.",
    )
