"""How much of a picture is seen, frame by frame: an exact polynomial, so that fades of fades stay exact."""

from __future__ import annotations

from fractions import Fraction

from pydantic import BaseModel, ConfigDict


class Weight(BaseModel):
    """``terms[0] + terms[1]·k + terms[2]·k² …`` at frame ``k`` of a span; 1 is all of it.

    >>> Weight.ramp(Fraction(1, 8), Fraction(1, 4)).at(2)
    Fraction(5, 8)
    >>> Weight.ramp(Fraction(0), Fraction(1, 4)).affine(Fraction(2), Fraction(1)).at(1)
    Fraction(3, 4)
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    terms: tuple[Fraction, ...] = (Fraction(1),)

    @classmethod
    def constant(cls, value: Fraction) -> Weight:
        """The same at every frame."""
        return cls(terms=(value,))

    @classmethod
    def ramp(cls, first: Fraction, step: Fraction) -> Weight:
        """``first`` at frame 0, ``step`` more with each."""
        return cls(terms=(first, step))._trimmed()

    @classmethod
    def rise(cls, frames: int) -> Weight:
        """From nothing to all over ``frames``, each frame's share taken at its middle."""
        return cls.ramp(Fraction(1, 2 * frames), Fraction(1, frames))

    def at(self, frame: int) -> Fraction:
        """The share seen at a frame, kept within 0 and 1."""
        value = Fraction(0)
        for term in reversed(self.terms):
            value = value * frame + term
        return min(Fraction(1), max(Fraction(0), value))

    def affine(self, start: Fraction, step: Fraction) -> Weight:
        """The weight whose frame ``k`` is this one's ``start + step·k``."""
        found = Weight(terms=(Fraction(0),))
        inner = Weight(terms=(start, step))
        for term in reversed(self.terms):
            found = found.times(inner).plus(Weight(terms=(term,)))
        return found._trimmed()

    def shifted(self, frames: int) -> Weight:
        """The weight seen from ``frames`` later on."""
        return self if frames == 0 or len(self.terms) == 1 else self.affine(Fraction(frames), Fraction(1))

    def plus(self, other: Weight) -> Weight:
        """The two added up."""
        size = max(len(self.terms), len(other.terms))
        mine = self.terms + (Fraction(0),) * (size - len(self.terms))
        theirs = other.terms + (Fraction(0),) * (size - len(other.terms))
        return Weight(terms=tuple(a + b for a, b in zip(mine, theirs, strict=True)))._trimmed()

    def times(self, other: Weight) -> Weight:
        """The two multiplied."""
        terms = [Fraction(0)] * (len(self.terms) + len(other.terms) - 1)
        for i, a in enumerate(self.terms):
            for j, b in enumerate(other.terms):
                terms[i + j] += a * b
        return Weight(terms=tuple(terms))._trimmed()

    def rest(self) -> Weight:
        """What this leaves for what lies below: 1 − self."""
        return Weight(terms=(1 - self.terms[0], *(-term for term in self.terms[1:])))._trimmed()

    @property
    def is_all(self) -> bool:
        """Whether it is 1 throughout."""
        return len(self.terms) == 1 and self.terms[0] == 1

    @property
    def is_none(self) -> bool:
        """Whether it is 0 throughout."""
        return len(self.terms) == 1 and self.terms[0] == 0

    def _trimmed(self) -> Weight:
        terms = list(self.terms)
        while len(terms) > 1 and terms[-1] == 0:
            terms.pop()
        return self if len(terms) == len(self.terms) else Weight(terms=tuple(terms))


ALL = Weight()
NONE = Weight(terms=(Fraction(0),))
