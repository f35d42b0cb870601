"""All encoders, by the libraries' names: every file of this room, and of its devices, that has ``ENCODERS``."""

from __future__ import annotations

import importlib
import pkgutil

import chronocast.media.encoders as room
from chronocast.media.encoders import devices
from chronocast.media.encoders.encoder import Encoder

_FILES = ("encoder", "registry")


def _found() -> dict[str, Encoder]:
    places = ((room, _FILES), (devices, ()))
    modules = [
        importlib.import_module(f"{place.__name__}.{item.name}")
        for place, others in places
        for item in sorted(pkgutil.iter_modules(place.__path__), key=lambda item: item.name)
        if not item.ispkg and item.name not in others
    ]
    return {encoder.name: encoder for module in modules for encoder in module.ENCODERS}


ENCODERS: dict[str, Encoder] = _found()
