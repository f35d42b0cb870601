"""A forecast quantity: P10, likely (P50) and safe (P90), from draws."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np
from numpy.typing import NDArray

from chronocast.model.pauses import pause

Draws = NDArray[np.float64]
DRAWS = 400
FEWER_DRAWS = ((2000, 100), (1000, 200))
"""Beyond so many outputs a forecast is worked out with so many draws: steps, so that an edit seldom changes them."""
AT_ONCE = 200
"""So many of thousands are worked out with one call: whoever waits for a turn waits for no more, and nothing is as quick."""
Z90 = 1.2815515655446004


@dataclass(frozen=True, slots=True)
class Band:
    """*likely*: half the time it is no more.  *safe*: nine times in ten it is no more."""

    p10: float
    likely: float
    safe: float

    def as_json(self) -> dict[str, float]:
        """As answers have it."""
        return {"p10": round(self.p10, 3), "likely": round(self.likely, 3), "safe": round(self.safe, 3)}

    def __add__(self, other: float) -> Band:
        return Band(self.p10 + other, self.likely + other, self.safe + other)


def kept_draws(draws: Draws) -> Draws:
    """Draws of seconds or of a look as they are kept: in 32 bits each, of thousands of outputs half the memory."""
    return cast("Draws", draws.astype(np.float32))


def band(draws: Draws) -> Band:
    """The band of draws, shape (draws,)."""
    low, mid, high = np.quantile(draws, (0.1, 0.5, 0.9))
    return Band(float(low), float(mid), float(high))


def bands(rows: Sequence[Draws] | Draws) -> list[Band]:
    """The bands of several quantities at once, a row of draws each, shape (rows, draws)."""
    found: list[Band] = []
    for begin in range(0, len(rows), AT_ONCE):
        pause()
        some = np.quantile(np.asarray(rows[begin : begin + AT_ONCE]), (0.1, 0.5, 0.9), axis=1)
        found += [Band(low, middle, high) for low, middle, high in some.T.tolist()]
    return found


def exact(value: float) -> Band:
    """A quantity that is known."""
    return Band(value, value, value)


def draws_for(count: int) -> int:
    """How many draws a forecast of so many outputs is worked out with: of very many, fewer tell as much of the whole.

    The error of a P90 from 100 draws is a sixth of its quantity's standard deviation.

    Parameters
    ----------
    count
        How many outputs.
    """
    return next((draws for most, draws in FEWER_DRAWS if count > most), DRAWS)


MOST_KNOWN = 2000
"""So many named causes are remembered: those that many outputs share are asked for again and again."""


class _Numbers(threading.local):
    """A thread's generator, which begins anew with each key: making one takes four times as long."""

    def __init__(self) -> None:
        self._bits = np.random.Philox(key=0)
        self._generator = np.random.Generator(self._bits)
        self._state = self._bits.state

    def keyed(self, mark: bytes) -> np.random.Generator:
        """The generator at the beginning of what follows from a key of 16 bytes."""
        self._state["state"]["key"] = np.frombuffer(mark, "<u8").astype(np.uint64)
        self._bits.state = self._state
        return self._generator


_numbers = _Numbers()


class Chance:
    """Random numbers that are the same each time, so that a forecast doesn't flicker.

    The same name gives the same draws: two outputs that share a cause of
    error share its draws.
    """

    def __init__(self, draws: int = DRAWS, seed: int = 20) -> None:
        self.draws, self._seed = draws, seed
        self._known: dict[str, Draws] = {}

    def normal(self, name: str) -> Draws:
        """Standard normal draws for a named cause, shape (draws,), balanced around zero."""
        known = self._known.get(name)
        if known is None:
            half = self._generator(name, "shared").standard_normal(self.draws // 2)
            known = np.concatenate([half, -half])
            known.setflags(write=False)
            if len(self._known) < MOST_KNOWN:
                self._known[name] = known
        return known

    def uniform(self, name: str) -> Draws:
        """Independent draws between 0 and 1, neither included, shape (draws,)."""
        found: Draws = 1.0 - self._generator(name, "uniform").random(self.draws) * (1 - 1e-12)
        return found

    def normals(self, name: str, count: int) -> Draws:
        """Independent standard normal draws, shape (count, draws)."""
        return self._generator(name, "each").standard_normal((count, self.draws))

    def _generator(self, name: str, kind: str) -> np.random.Generator:
        """Random numbers of a name's own, whatever was asked for before; they are to be drawn before the next are."""
        mark = hashlib.blake2b(
            f"{self._seed} {kind} {name}".encode(errors="surrogatepass"), digest_size=16
        ).digest()
        return _numbers.keyed(mark)
