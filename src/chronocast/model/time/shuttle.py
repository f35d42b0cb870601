"""Playing at a speed that keys change, on a clock that someone else keeps: no widgets, no timers."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

STEPS = (1, 2, 4, 8, 16)
SLOW = Fraction(1, 4)


@dataclass(frozen=True)
class Shuttle:
    """Where it stands: since ``moment`` (seconds) at ``frame``, moving at ``speed`` (1 is forwards, 0 stands)."""

    rate: Fraction = Fraction(25)
    frames: int = 0
    frame: int = 0
    speed: Fraction = Fraction(0)
    moment: float = 0.0

    @property
    def moving(self) -> bool:
        """Whether it plays."""
        return self.speed != 0

    def at(self, moment: float) -> int:
        """The frame shown at a moment; it stays at either end."""
        if not self.speed:
            return self.frame
        passed = max(0.0, moment - self.moment) * float(self.speed * self.rate)
        return max(0, min(self.frames - 1, self.frame + int(passed)))

    def ended(self, moment: float) -> bool:
        """Whether it has come to the end it moves towards."""
        return self.moving and self.at(moment) == (self.frames - 1 if self.speed > 0 else 0)

    def run(self, speed: Fraction, moment: float) -> Shuttle:
        """The same place at another speed; from the very end forwards, it begins again at the beginning."""
        frame = self.at(moment)
        if speed > 0 and frame >= self.frames - 1 and not self.moving:
            frame = 0
        return replace(self, frame=frame, speed=speed, moment=moment)

    def stand(self, moment: float) -> Shuttle:
        """Standing where it is."""
        return replace(self, frame=self.at(moment), speed=Fraction(0), moment=moment)

    def go(self, frame: int, moment: float) -> Shuttle:
        """At another frame, at the same speed; never outside."""
        return replace(self, frame=max(0, min(frame, self.frames - 1)), moment=moment)

    def faster(self, way: int, moment: float) -> Shuttle:
        """A step faster in one way (1 or −1); moving the other way, first at plain speed this way.

        >>> still = Shuttle(frames=1000)
        >>> [str(still.faster(1, 0).speed), str(still.faster(1, 0).faster(1, 0).speed)]
        ['1', '2']
        >>> str(still.faster(1, 0).faster(1, 0).faster(-1, 0).speed)
        '-1'
        """
        now = self.speed * way
        if now <= 0:
            return self.run(Fraction(way), moment)
        faster = next((step for step in STEPS if step > now), STEPS[-1])
        return self.run(Fraction(faster * way), moment)
