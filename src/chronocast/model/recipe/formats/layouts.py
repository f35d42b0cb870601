"""Sound layouts: how people name them, how the libraries do, and how many channels each has."""

from __future__ import annotations

LAYOUTS = {
    "mono": 1,
    "stereo": 2,
    "2.1": 3,
    "4.0": 4,
    "quad": 4,
    "5.0": 5,
    "5.0(side)": 5,
    "5.1": 6,
    "5.1(side)": 6,
    "6.1": 7,
    "7.1": 8,
}
"""The libraries' names of the layouts that are written, with their channels."""
USUAL = {1: "mono", 2: "stereo", 3: "2.1", 4: "4.0", 5: "5.0", 6: "5.1", 7: "6.1", 8: "7.1"}
"""What so many channels are taken for where a file doesn't say."""


def channels_of(layout: str) -> int:
    """How many channels a layout has.

    >>> channels_of("5.1(side)")
    6
    """
    return LAYOUTS[layout]


def layout_told(layout: str) -> str:
    """A layout in words: where its surrounds stand is left out."""
    return layout.partition("(")[0]


def known_layout(layout: str, channels: int) -> str:
    """A source's layout as one that is written; what a file doesn't say is taken for the usual one.

    >>> known_layout("6 channels", 6)
    '5.1'
    """
    if layout in LAYOUTS and LAYOUTS[layout] == channels:
        return layout
    return USUAL.get(channels, "7.1" if channels > 8 else "stereo")
