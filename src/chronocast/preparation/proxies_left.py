"""Proxies that nobody needs: of films that have gone or changed, and ones that were never finished."""

from __future__ import annotations

from typing import NamedTuple

from chronocast.journal.films.proxies import ProxyStore
from chronocast.media.source.images import fingerprint_of
from chronocast.model.errors import ChronocastError
from chronocast.model.show import counted, size_text
from chronocast.model.source.proxy import Proxy


class ProxiesLeft(NamedTuple):
    """Proxies that can go without being missed.

    Parameters
    ----------
    stale
        Those whose film has gone, or is another now.
    halves
        How many were begun and never finished.
    """

    stale: tuple[Proxy, ...] = ()
    halves: int = 0

    @property
    def told(self) -> str:
        """What would go, in a few words."""
        if not self.stale and not self.halves:
            return "each of a film that is there"
        size = size_text(sum(proxy.bytes for proxy in self.stale))
        told = f"{len(self.stale)} of films that have gone or changed ({size})" if self.stale else ""
        half = f"{counted(self.halves, 'unfinished one')}" if self.halves else ""
        return " and ".join(words for words in (told, half) if words)


def proxies_left(store: ProxyStore, everything: bool = False) -> ProxiesLeft:
    """Which proxies can go.

    Parameters
    ----------
    store
        Where proxies are.
    everything
        Whether all of them may.
    """
    gone = (proxy for proxy in store.all() if everything or _is_stale(proxy))
    return ProxiesLeft(tuple(gone), len(store.halves()))


def _is_stale(proxy: Proxy) -> bool:
    try:
        return fingerprint_of(proxy.source) != proxy.fingerprint
    except (ChronocastError, OSError):
        return True


def remove_proxies(store: ProxyStore, left: ProxiesLeft) -> int:
    """Take proxies away, and what was never finished; how many bytes came free.

    Parameters
    ----------
    store
        Where proxies are.
    left
        Which.
    """
    freed = sum(store.remove(proxy) for proxy in left.stale)
    store.remove_halves()
    return freed
