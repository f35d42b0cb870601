"""A source drawn from proxies: the same cut, its pictures read from the small copies of its films."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from fractions import Fraction

from chronocast.journal.films.facts import FactsStore
from chronocast.journal.films.proxies import ProxyStore
from chronocast.model.errors import ChronocastError
from chronocast.model.source.cutlist import CutList, Layer
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.proxy import shown_aspect
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.timeline.clip_layout import clip_layer


def with_proxies(ready: SourceReady, proxies: ProxyStore, store: FactsStore) -> SourceReady:
    """The source, and beside it the same drawn from the proxies that its films have, if any has one.

    A proxy that isn't picture for picture its film is left alone.

    Parameters
    ----------
    ready
        The source, looked at.
    proxies
        Where proxies are.
    store
        What is known of media.
    """
    found: dict[str, ClipFacts] = {}
    for path, facts in ready.facts.items():
        proxy = proxies.find(facts.fingerprint)
        if proxy is None or facts.variable_timing:
            continue
        try:
            small = store.clip(proxy.path)
        except (ChronocastError, OSError):
            continue
        if small.frames == facts.frames and small.rate == facts.rate and not small.problems:
            found[path] = small
    if not found:
        return ready
    key = (
        "drawn from proxies",
        ready.source.model_dump_json(exclude={"ranges"}),
        ready.mark,
        *(f"{facts.fingerprint} {facts.alpha}" for facts in ready.facts.values()),
        *(item.fingerprint for item in found.values()),
    )
    kept: SourceReady | None = store.ready.get(key)
    proxied = replace(kept, original=ready, source=ready.source) if kept else _proxied(ready, found)
    store.ready.put(key, proxied)
    return replace(ready, proxied=proxied)


def _proxied(ready: SourceReady, found: Mapping[str, ClipFacts]) -> SourceReady:
    """A source drawn from the proxies of some of its films."""
    canvas = Fraction(ready.cut.width, ready.cut.height)

    def drawn(layer: Layer) -> Layer:
        if layer.media is None or layer.clock is not None or (small := found.get(layer.media.path)) is None:
            return layer
        film = clip_layer(small)
        # sides are rounded: what fills the frame still does
        fills = shown_aspect(ready.facts[layer.media.path]) == canvas
        return layer.model_copy(
            update={
                "media": film.media,
                "colour": film.colour,
                "alpha": film.alpha,
                "deinterlace": "",
                "placing": "stretch" if fills else layer.placing,
            }
        )

    small_ones = {item.path: item for item in found.values()}
    return replace(
        ready,
        cut=_redrawn(ready, drawn),
        facts={**ready.facts, **small_ones},
        plans={},
        proxied=None,
        from_proxies={small.path: film for film, small in found.items()},
        original=ready,
    )


def _redrawn(ready: SourceReady, drawn: Callable[[Layer], Layer]) -> CutList:
    """A source's cut with other layers."""
    spans = tuple(
        span.model_copy(update={"layers": tuple(drawn(layer) for layer in span.layers)})
        for span in ready.cut.picture
    )
    return ready.cut.model_copy(update={"picture": spans})
