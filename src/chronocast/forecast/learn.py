"""What experience says about a quantity: a prior, shifted by observations (conjugate, in logs)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import log, sqrt


@dataclass(frozen=True)
class Belief:
    """A log-normal belief: ``mean`` and ``sd`` of the log; ``seen`` observations behind it.

    ``sd`` is of the common part (this recipe, this station); ``spread`` of one
    piece around it.
    """

    mean: float
    sd: float
    spread: float
    seen: int = 0


def update(prior: Belief, observed: Sequence[float], correlated: float = 0.5) -> Belief:
    """A belief after seeing values (not logs, positive).

    Normal mean with known spread (Gelman et al., Bayesian Data Analysis, 2.5).
    Pieces of one film are alike, so ``n`` of them count as
    n / (1 + correlated·(n − 1)).  The spread follows what was seen once there
    are enough values.
    """
    logs = [log(value) for value in observed if value > 0]
    if not logs:
        return prior
    count = len(logs)
    worth = count / (1 + correlated * (count - 1))
    mean = sum(logs) / count
    spread = prior.spread
    if count >= 4:
        seen = sum((value - mean) ** 2 for value in logs) / (count - 1)
        spread = sqrt((prior.spread**2 * 6 + seen * count) / (6 + count))
    precision = 1 / prior.sd**2 + worth / spread**2
    centre = (prior.mean / prior.sd**2 + mean * worth / spread**2) / precision
    return Belief(centre, sqrt(1 / precision), spread, prior.seen + count)
