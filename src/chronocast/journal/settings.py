"""What a person has set for this machine, in ``settings.json`` of the settings folder."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from chronocast.journal.documents import load_json, save_json
from chronocast.journal.places import config_folder

USUAL_RESERVE = 500_000_000


class Settings(BaseModel):
    """``reserve_bytes`` are left free on every drive (on small drives at most a twentieth of it).

    ``stock_bytes`` is what the stock may hold; None for any size.
    """

    model_config = ConfigDict(frozen=True, extra="allow")

    reserve_bytes: int = Field(default=USUAL_RESERVE, ge=0, le=10**15)
    stock_bytes: int | None = Field(default=None, ge=0, le=10**16)


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
