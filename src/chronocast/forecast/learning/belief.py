"""What experience says about a quantity: a prior, shifted by observations (conjugate, in logs)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import log, sqrt


@dataclass(frozen=True)
class Belief:
    """A log-normal belief: ``mean`` and ``sd`` of the log; ``seen`` observations behind it.

    ``sd`` is of what all pieces of one output have in common; ``spread`` of one
    piece around it.  Of ``sd``, ``shared`` is common to all outputs of the
    kind, whatever they show; the rest is a film's own.
    """

    mean: float
    sd: float
    spread: float
    seen: int = 0
    shared: float | None = None

    @property
    def common(self) -> float:
        """The part of ``sd`` that all outputs of the kind share."""
        return self.sd * COMMON if self.shared is None else min(self.shared, self.sd)

    @property
    def own(self) -> float:
        """The part of ``sd`` that is a film's own."""
        return sqrt(max(0.0, self.sd**2 - self.common**2))


COMMON = 0.6
"""How much of an error before anything is seen lies in the prior, against in what a film shows."""


def update_by_film(prior: Belief, films: Mapping[str, Sequence[float]], film: str) -> Belief:
    """A belief about one film after seeing values of several, each value positive.

    What one film showed says little of the next: films differ from each other
    by ``prior.own``, and only several of them say how they differ.  A
    hierarchical normal model in logs (Gelman et al., Bayesian Data Analysis,
    5.4), its variances taken as known.

    Parameters
    ----------
    prior
        What was believed before.
    films
        Observed factors by the film they are of.
    film
        The film that is asked about; where it was seen itself, that counts most.
    """
    logs = {name: [log(v) for v in values if v > 0] for name, values in films.items()}
    logs = {name: values for name, values in logs.items() if values}
    if not logs:
        return prior
    means = {name: sum(values) / len(values) for name, values in logs.items()}
    between = prior.own
    if len(means) >= 4:
        centre = sum(means.values()) / len(means)
        seen = sum((mean - centre) ** 2 for mean in means.values()) / (len(means) - 1)
        between = sqrt((between**2 * 4 + seen * len(means)) / (4 + len(means)))
    within = {name: prior.spread**2 / (1 + 0.8 * (len(values) - 1)) for name, values in logs.items()}
    weights = {name: 1 / (between**2 + within[name]) for name in means}
    precision = 1 / prior.common**2 + sum(weights.values())
    centre = (prior.mean / prior.common**2 + sum(means[n] * w for n, w in weights.items())) / precision
    common, count = sqrt(1 / precision), sum(len(values) for values in logs.values())
    if film not in means:
        return Belief(centre, sqrt(common**2 + between**2), prior.spread, count, common)
    own_precision = 1 / between**2 + 1 / within[film]
    mean = (centre / between**2 + means[film] / within[film]) / own_precision
    left = (1 / within[film]) / own_precision  # how far the common part no longer matters
    return Belief(
        mean, sqrt(1 / own_precision + (common * (1 - left)) ** 2), prior.spread, count, common * (1 - left)
    )


def update(prior: Belief, observed: Sequence[float], correlated: float = 0.5) -> Belief:
    """A belief after seeing values (not logs, positive).

    Normal mean with known spread (Gelman et al., Bayesian Data Analysis, 2.5).
    Pieces of one film are alike, so ``n`` of them count as
    n / (1 + correlated·(n − 1)).  The spread follows what was seen once there
    are enough values.

    Parameters
    ----------
    prior
        What was believed before.
    observed
        Factors that were seen.
    correlated
        How alike they are: 0 not at all, 1 wholly.
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
    sd = sqrt(1 / precision)
    return Belief(centre, sd, spread, prior.seen + count, prior.common * sd / prior.sd if prior.sd else 0.0)
