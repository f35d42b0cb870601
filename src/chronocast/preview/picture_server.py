"""The looking child: shows pictures of a source to the desktop, from a process of its own.

Orders come as JSON lines on standard input; each answer is a JSON line on
standard output, a picture's followed by its bytes (RGB).  The newest order of
a slot stands for those before it, so that dragging never queues up.  A file
that brings the decoder down takes this process with it, not the desktop.
"""

from __future__ import annotations

import json
import os
import signal
import sys
import threading
from collections import OrderedDict
from typing import Any

from chronocast.preparation.station.children import die_with_parent

SLOTS = ("here", "after", "last", "first")
KEPT_BYTES = 80_000_000
BACK = 48
"""How many pictures are decoded at once when going backwards."""


class Orders:
    """What is wanted, newest first of its kind.  Filled by one thread, emptied by another."""

    def __init__(self) -> None:
        self._wake = threading.Condition()
        self._opened: list[dict[str, Any]] = []
        self._shows: dict[str, dict[str, Any]] = {}
        self._ends: dict[str, Any] | None = None
        self._strip: dict[str, Any] | None = None
        self.over = False

    def put(self, order: dict[str, Any]) -> None:
        """Take an order; one of the same kind and slot that waits is dropped."""
        with self._wake:
            kind = order["do"]
            if kind == "open":
                self._opened.append(order)
            elif kind == "show":
                self._shows[order["slot"]] = order
            elif kind == "ends":
                self._ends = order
            elif kind == "strip":
                self._strip = order
            self._wake.notify()

    def end(self) -> None:
        """No more will come."""
        with self._wake:
            self.over = True
            self._wake.notify()

    def take(self, wait: bool) -> dict[str, Any] | None:
        """What to do next; a strip is given a picture at a time.  None when there is nothing."""
        with self._wake:
            while True:
                if self._opened:
                    return self._opened.pop(0)
                for slot in SLOTS:
                    if slot in self._shows:
                        return self._shows.pop(slot)
                if self._ends:
                    order, self._ends = self._ends, None
                    return order
                if self._strip and self._strip["frames"]:
                    frame, *rest = self._strip["frames"]
                    order = {**self._strip, "frame": frame}
                    self._strip = {**self._strip, "frames": rest}
                    return order
                if self.over or not wait:
                    return None
                self._wake.wait()


class Looker:
    """Carries orders out."""

    def __init__(self) -> None:
        self._cuts: OrderedDict[str, Any] = OrderedDict()
        self._originals: set[str] = set()
        self._stills: dict[tuple[str, bool], Any] = {}
        self._kept: OrderedDict[Any, Any] = OrderedDict()
        self._bytes = 0
        self._ahead: dict[str, Any] | None = None
        self._block: list[int] = []

    def open(self, order: dict[str, Any]) -> None:
        """Know a source by its name."""
        from chronocast.model.source.cutlist import CutList

        self._close(order["source"])
        self._cuts[order["source"]] = CutList.model_validate(order["cut"])
        (self._originals.add if order.get("originals") else self._originals.discard)(order["source"])
        while len(self._cuts) > 2:
            self._close(next(iter(self._cuts)))

    def _close(self, source: str) -> None:
        self._cuts.pop(source, None)
        for moving in (False, True):
            if known := self._stills.pop((source, moving), None):
                known.readers.close()
        self._kept = OrderedDict((key, kept) for key, kept in self._kept.items() if key[0] != source)
        self._bytes = sum(kept.nbytes for kept in self._kept.values())

    def stills(self, source: str, moving: bool) -> Any:
        """What gives a source's pictures: jumps come sooner with one thread, playing is faster with several."""
        from chronocast.journal.films.proxies import ProxyStore
        from chronocast.journal.settings import kept_place
        from chronocast.media.viewing.stills import LookingReaders, Stills

        key = (source, moving)
        if key not in self._stills:
            threads = (os.cpu_count() or 2) if moving else 1
            find = ProxyStore(kept_place().folder / "proxies").find
            proxy_of = (lambda _: None) if source in self._originals else find
            readers = LookingReaders(4, threads, hurry=True, proxy_of=proxy_of)
            self._stills[key] = Stills(self._cuts[source], readers)
        return self._stills[key]

    def show(self, order: dict[str, Any]) -> Any:
        """The picture of an order, from what is kept where it is; backwards, with those before it."""
        frame, step = int(order["frame"]), int(order.get("ahead", 0))
        if order.get("slot") == "here":
            if step >= 0 or (self._ahead and self._ahead["source"] != order["source"]):
                self._block = []
            self._ahead = order if step else None
            if step < 0 and self._key(order, frame) not in self._kept:
                if frame not in self._block:
                    self._block = list(range(max(0, frame - BACK + 1), frame + 1))
                while self._block and frame in self._block:
                    self._picture(order, self._block.pop(0))
        return self._picture(order, frame)

    def _key(self, order: dict[str, Any], frame: int) -> tuple[Any, ...]:
        size = (int(order["width"]), int(order["height"]))
        return order["source"], frame, size, json.dumps(order.get("view")), order.get("first", 0)

    def _picture(self, order: dict[str, Any], frame: int) -> Any:
        from fractions import Fraction

        from chronocast.media.viewing.stills import Frame
        from chronocast.model.picture.geometry import View

        key = self._key(order, frame)
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key]
        stills = self.stills(order["source"], bool(order.get("ahead")))
        view = View.model_validate(order["view"]) if order.get("view") else None
        rate = Fraction(order["rate"]) if order.get("rate") else None
        made = stills.picture(frame, Frame(key[2], view), int(order.get("first", 0)), rate)
        self._kept[key] = made
        self._bytes += made.nbytes
        while self._bytes > KEPT_BYTES:
            self._bytes -= self._kept.popitem(last=False)[1].nbytes
        return made

    def idle(self) -> bool:
        """Make one picture that will be asked for soon; False when there is none to make."""
        order = self._ahead
        if order is None:
            return False
        step, here = int(order["ahead"]), int(order["frame"])
        if step > 0:
            ahead = here + step
            if ahead >= self._cuts[order["source"]].frames or self._key(order, ahead) in self._kept:
                return False
            self._picture(order, ahead)
            return True
        if not self._block:
            low = next((n for n in range(here, -1, -1) if self._key(order, n) not in self._kept), -1)
            if low < 0 or low < here - BACK:
                return False
            self._block = list(range(max(0, low - BACK + 1), low + 1))
        self._picture(order, self._block.pop(0))
        return True

    def ends(self, order: dict[str, Any]) -> dict[str, Any]:
        """What is wrong at the ends of a range."""
        from chronocast.media.viewing.end_pictures import look_at_ends
        from chronocast.model.time.timing import FrameRange

        found = look_at_ends(self.stills(order["source"], False), FrameRange(order["start"], order["stop"]))
        return {
            side: {"kind": end.kind, "frames": end.frames} if end else None
            for side, end in zip(("first", "last"), found, strict=True)
        }


def answer(head: dict[str, Any], picture: Any = None) -> None:
    """One answer, and a picture's bytes after it."""
    out = sys.stdout.buffer
    if picture is not None:
        head = {**head, "height": picture.shape[0], "width": picture.shape[1], "bytes": picture.nbytes}
    out.write(json.dumps(head).encode() + b"\n")
    if picture is not None:
        out.write(memoryview(picture).cast("B"))
    out.flush()


def carry_out(looker: Looker, order: dict[str, Any]) -> None:
    """Do one order and answer it; what goes wrong is an answer too."""
    from chronocast.model.errors import ChronocastError

    head = {key: order.get(key) for key in ("ask", "slot", "source", "frame", "start", "stop")}
    try:
        if order["do"] == "open":
            looker.open(order)
        elif order["do"] == "ends":
            answer({**head, "what": "ends", **looker.ends(order)})
        else:
            picture = looker.show(order)
            head["proxy"] = looker.stills(order["source"], bool(order.get("ahead"))).from_proxy(
                int(order["frame"])
            )
            answer({**head, "what": "picture" if order["do"] == "show" else "still"}, picture)
    except ChronocastError as error:
        answer({**head, "what": "failed", "sentence": str(error)})
    except Exception as error:
        answer({**head, "what": "failed", "sentence": f"This picture can't be shown: {error!r}."})


def main() -> None:
    """Answer orders until standard input ends."""
    die_with_parent(int(sys.argv[1]))
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    orders = Orders()

    def listen() -> None:
        for line in sys.stdin:
            orders.put(json.loads(line))
        orders.end()

    threading.Thread(target=listen, daemon=True).start()
    import chronocast.media.viewing.end_pictures  # the libraries are loaded before the first picture is asked for

    assert chronocast.media.viewing.end_pictures
    looker = Looker()
    while True:
        order = orders.take(wait=False)
        if order is None:
            try:
                if looker.idle():
                    continue
            except Exception:
                pass  # what was only made ahead is asked for again, and then said
            order = orders.take(wait=True)
        if order is None:
            return
        carry_out(looker, order)


if __name__ == "__main__":
    main()
