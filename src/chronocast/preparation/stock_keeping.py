"""The stock made smaller: what would go, what that would cost, and doing it; pieces that are damaged found."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import NamedTuple

from chronocast.journal.settings import load_settings
from chronocast.journal.workspace import Workspace
from chronocast.model.show import counted, size_text, time_text
from chronocast.model.source.proxy import Proxy
from chronocast.pieces.stock import Entry
from chronocast.pieces.tidying import Tidying, choose_to_go
from chronocast.preparation.proxies_left import ProxiesLeft, proxies_left


class StockKnown(NamedTuple):
    """What the stock holds, which of it outputs wait for; and the proxies that lie beside it."""

    entries: tuple[Entry, ...]
    needed: frozenset[str]
    proxies: tuple[Proxy, ...] = ()
    left_over: ProxiesLeft = ProxiesLeft()

    @property
    def proxies_told(self) -> str:
        """What proxies there are, in a sentence, and which of them nobody needs."""
        if not self.proxies and not self.left_over.halves:
            return "no proxies"
        size = size_text(sum(proxy.bytes for proxy in self.proxies))
        return f"{counted(len(self.proxies), 'proxy', 'proxies')}, {size}; {self.left_over.told}"

    @property
    def told(self) -> str:
        """In a sentence: how much, what it is worth, what of it nothing waits for."""
        if not self.entries:
            return "the stock is empty"
        free = [entry for entry in self.entries if entry.name not in self.needed]
        rest = (
            f"; {size_text(sum(e.bytes for e in free))} of it no batch waits for "
            f"({time_text(sum(e.cpu_seconds for e in free))} of work)"
            if free
            else "; all of it is waited for"
        )
        return (
            f"{counted(len(self.entries), 'piece')}, {size_text(sum(e.bytes for e in self.entries))}, "
            f"{time_text(sum(e.cpu_seconds for e in self.entries))} of work{rest}"
        )


def stock_known(workspace: Workspace) -> StockKnown:
    """What the stock holds now."""
    entries, needed = tuple(workspace.stock.entries()), frozenset(workspace.needs.all())
    return StockKnown(entries, needed, tuple(workspace.proxies.all()), proxies_left(workspace.proxies))


def plan_tidying(
    workspace: Workspace, *, most_bytes: float | None = None, unused_days: float | None = None
) -> Tidying:
    """What would go; nothing is removed yet.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    most_bytes
        What the stock may hold; None for any size.
    unused_days
        What was used since stays; None for all.
    """
    known = stock_known(workspace)
    return choose_to_go(
        known.entries, known.needed, time.time(), most_bytes=most_bytes, unused_days=unused_days
    )


def tidying_told(plan: Tidying) -> str:
    """What a tidying would cost, in a sentence."""
    kept = (
        f" {counted(plan.needed, 'piece')} that outputs wait for {'stays' if plan.needed == 1 else 'stay'}."
        if plan.needed
        else ""
    )
    short = (
        f" {size_text(plan.short)} more would have to go, but everything else is waited for."
        if plan.short
        else ""
    )
    if not plan.go:
        return f"Nothing has to go.{kept}{short}"
    return (
        f"{counted(len(plan.go), 'piece')}, {size_text(plan.bytes)}, would go; making them again would take "
        f"{time_text(plan.seconds)} of work.{kept}{short}"
    )


def carry_out_tidying(workspace: Workspace, plan: Tidying) -> int:
    """Remove what was planned; how many bytes came free.

    What began to be waited for meanwhile stays.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    plan
        What goes.

    Raises
    ------
    OSError
        The stock can't be written.
    """
    needed, freed = workspace.needs.all(), 0
    for entry in plan.go:
        if entry.name not in needed:
            workspace.stock.discard(entry.name)
            freed += entry.bytes
    return freed


def keep_to_limit(workspace: Workspace) -> int:
    """Make the stock keep the size that was set for it, if one was; how many bytes came free."""
    most = load_settings().stock_bytes
    if most is None:
        return 0
    return carry_out_tidying(workspace, plan_tidying(workspace, most_bytes=most))


def damaged_pieces(
    workspace: Workspace, progress: Callable[[int, int], None] = lambda _done, _all: None
) -> list[Entry]:
    """Pieces whose bytes aren't those that were put in, or that can't be read.

    Parameters
    ----------
    workspace
        What is kept of all batches.
    progress
        Told how many of how many were looked at.
    """
    entries, found = list(workspace.stock.entries()), []
    for number, entry in enumerate(entries):
        try:
            whole = workspace.stock.whole(entry.name)
        except OSError:
            whole = False
        if not whole:
            found.append(entry)
        progress(number + 1, len(entries))
    return found
