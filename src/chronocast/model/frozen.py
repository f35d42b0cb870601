"""The base of every value that goes from room to room and from process to process."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class FrozenModel(BaseModel):
    """Frozen, complete, and written as JSON wherever it goes."""

    model_config = ConfigDict(frozen=True, extra="forbid")
