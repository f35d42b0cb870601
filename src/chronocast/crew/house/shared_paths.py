"""Paths between machines that share folders: by a root's name on the way, below that root's path where they arrive."""

from __future__ import annotations

import os
from collections.abc import Sequence

from chronocast.model.errors import ChronocastError
from chronocast.model.house import Root
from chronocast.model.paths import real_path


class NotShared(ChronocastError):
    """A file lies in no folder that both machines have."""


def as_shared(path: str, roots: Sequence[Root]) -> str:
    """A path of this machine by the name of the root it lies in: ``name:path below it``.

    Parameters
    ----------
    path
        Of this machine, as text.
    roots
        What it shares.

    Raises
    ------
    NotShared
        It lies in none of them.
    """
    holding = [root for root in roots if path.startswith(root.path.rstrip("/") + "/")]
    if not holding or ".." in path.split("/"):
        raise NotShared(f"{path} lies in no folder that this house shares.")
    root = max(holding, key=lambda root: len(root.path))
    return f"{root.name}:{path[len(root.path.rstrip('/')) + 1 :]}"


def as_here(shared: str, roots: Sequence[Root]) -> str:
    """The path on this machine of a file that another named by its root.

    Parameters
    ----------
    shared
        ``name:path below it``.
    roots
        What this machine shares.

    Raises
    ------
    NotShared
        There is no such root here, or the path leads out of it.
    """
    name, found, below = shared.partition(":")
    root = next((root for root in roots if root.name == name), None)
    if not found or root is None:
        raise NotShared(f"The folder “{name[:40]}” isn't shared with this station.")
    if not below or below.startswith("/") or "\0" in below or ".." in below.split("/"):
        raise NotShared(f"“{below[:200]}” leads out of the folder “{name}”.")
    path = f"{root.path.rstrip('/')}/{below}"
    ground = os.path.realpath(root.path)
    for part in (path.partition("?")[0], os.path.dirname(path.partition("?")[0])):
        reached = os.path.realpath(real_path(part))
        if reached != ground and not reached.startswith(ground.rstrip("/") + "/"):
            raise NotShared(f"“{below[:200]}” leads out of the folder “{name}” by a link.")
    return path
