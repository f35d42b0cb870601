"""What is typed into a line of *Recipe*, as fields of a recipe."""

from __future__ import annotations

import re
from typing import Any

from chronocast.model.errors import ModelError
from chronocast.model.recipe.typed import parse_bits
from chronocast.ui.places.recipe.settings import Setting


def read_typed(setting: Setting, text: str) -> dict[str, Any]:
    """What was typed for a setting, as fields.

    Raises
    ------
    ModelError
        It can't be read.
    """
    text = text.strip()
    if setting.kind == "bits":
        return {setting.key: parse_bits(text) if text else None}
    if setting.kind == "languages":
        words = [word for word in text.lower().replace(";", ",").replace(" ", ",").split(",") if word]
        if wrong := next((word for word in words if len(word) != 3 or not word.isalpha()), ""):
            raise ModelError(f"“{wrong}” is no language code.", "Three letters each, as deu, eng.")
        return {setting.key: words}
    if setting.kind == "size":
        return _read_size(text)
    try:
        return {setting.key: float(text.replace(",", ".").removesuffix("s").strip())}
    except ValueError:
        raise ModelError(f"“{text}” is no number.", "Type it as 2 or 0.5.") from None


def _read_size(text: str) -> dict[str, Any]:
    if not text:
        return {"picture.size.mode": "source"}
    found = re.fullmatch(r"(up to )?\s*(\d{2,5})\s*[x×*]\s*(\d{2,5})", text.lower())
    if not found:
        raise ModelError(f"“{text}” is no frame size.", "Type it as 1440×1080, or up to 1440×1080.")
    width, height = int(found[2]), int(found[3])
    if not (16 <= width <= 16384 and 16 <= height <= 16384):
        raise ModelError(f"{width}×{height} can't be made.", "Sides from 16 to 16384 can.")
    return {
        "picture.size.mode": "ceiling" if found[1] else "fixed",
        "picture.size.width": width,
        "picture.size.height": height,
    }
