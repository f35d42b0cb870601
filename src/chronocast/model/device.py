"""What was found of a hardware encoder when it was tried."""

from __future__ import annotations

from chronocast.model.frozen import FrozenModel


class TriedEncoder(FrozenModel):
    """A hardware encoder, as it was tried on a station.

    Parameters
    ----------
    encoder
        The libraries' name, or ours where it lives outside them.
    family
        The kind of device.
    codec
        Our word for what it writes.
    why_not
        Why it can't be used, in a few words; "" where it can.
    formats
        Pixel formats of which pictures were encoded and decoded again.
    largest
        Width and height of the largest frame that was.
    sessions
        How many encodes it did at once.
    seconds_a_megapixel
        By the clock, of frames of 1080 lines where it takes them.
    driver
        What tells its driver from another version of it.
    stand_in
        Whether it only stands in for a device.
    resting
        Whether it is left alone for a while, since it failed.
    at
        The stations of the house that have it, where this machine has none; "" where it is this machine's.
    """

    encoder: str
    family: str
    codec: str
    why_not: str = ""
    formats: tuple[str, ...] = ()
    largest: tuple[int, int] = (0, 0)
    sessions: int = 0
    seconds_a_megapixel: float = 0.0
    driver: str = ""
    stand_in: bool = False
    resting: bool = False
    at: str = ""

    @property
    def works(self) -> bool:
        """Whether it can be used."""
        return not self.why_not

    @property
    def told(self) -> str:
        """What it does, or why nothing, in a few words."""
        name = f"{self.device}, a stand-in for a device" if self.stand_in else self.device
        name += f", at {self.at}" if self.at else ""
        if not self.works:
            return f"{self.family}: {self.why_not}"
        takes = ", ".join(self.formats)
        sessions = "1 session" if self.sessions == 1 else f"{self.sessions} sessions"
        return (
            f"{name}: {takes}, frames up to {self.largest[0]}×{self.largest[1]}, {sessions}, "
            f"{1 / max(1e-6, self.seconds_a_megapixel):.0f} million pixels a second each"
        )

    @property
    def device(self) -> str:
        """The device family and its driver: another one makes other bits."""
        return f"{self.family} {self.driver}".strip()


QUICKER = 1.2
"""So many times as quick as the processor a device must be to decode films: what it gives is fetched back."""


class TriedDecoder(FrozenModel):
    """A way to decode in hardware, as it was tried on a station with H.264.

    Parameters
    ----------
    family
        The kind of device, by the libraries' name.
    why_not
        Why it can't be used, in a few words; "" where it can.
    exact
        Whether every picture came out as the processor decodes it.
    times_quicker
        How many times as quick as the processor it was.
    """

    family: str
    why_not: str = ""
    exact: bool = False
    times_quicker: float = 0.0

    @property
    def helps(self) -> bool:
        """Whether films are decoded by it: exactly, and quicker than by the processor."""
        return not self.why_not and self.exact and self.times_quicker >= QUICKER

    @property
    def told(self) -> str:
        """What it does, or why nothing, in a few words."""
        if self.why_not:
            return self.why_not
        how = "every picture exact" if self.exact else "pictures differ"
        use = "used for H.264 of 8 bits" if self.helps else "not used"
        return f"{how}, {self.times_quicker:.1f} × as quick as the processor; {use}"
