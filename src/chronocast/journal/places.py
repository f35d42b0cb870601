"""Where things live: XDG folders, each movable by an environment variable."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs


def _folder(variable: str, default: str) -> Path:
    return Path(os.environ.get(variable) or default)


def config_folder() -> Path:
    """Recipes, cards, stations (CHRONOCAST_CONFIG)."""
    return _folder("CHRONOCAST_CONFIG", platformdirs.user_config_dir("chronocast"))


def data_folder() -> Path:
    """Stock, ledger, facts, the demo (CHRONOCAST_DATA)."""
    return _folder("CHRONOCAST_DATA", platformdirs.user_data_dir("chronocast"))


def state_folder() -> Path:
    """Journals, logs, slots (CHRONOCAST_STATE)."""
    return _folder("CHRONOCAST_STATE", platformdirs.user_state_dir("chronocast"))
