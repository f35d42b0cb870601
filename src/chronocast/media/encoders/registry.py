"""All encoders, by the libraries' names: every file of this room that has ``ENCODERS``."""

from __future__ import annotations

import importlib
import pkgutil

import chronocast.media.encoders as room
from chronocast.media.encoders.encoder import Encoder

_FILES = ("encoder", "registry")


def _found() -> dict[str, Encoder]:
    names = sorted(item.name for item in pkgutil.iter_modules(room.__path__) if item.name not in _FILES)
    modules = [importlib.import_module(f"{room.__name__}.{name}") for name in names]
    return {encoder.name: encoder for module in modules for encoder in module.ENCODERS}


ENCODERS: dict[str, Encoder] = _found()
