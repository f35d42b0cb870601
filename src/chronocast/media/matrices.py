"""What the libraries' filters and scalers call the matrices of colour, by their code points (ITU-T H.273)."""

from __future__ import annotations

from typing import NamedTuple


class Matrix(NamedTuple):
    """A matrix as filters call it, and as the scaler's own interface does."""

    filters: str
    scaler: str


MATRICES = {
    1: Matrix("bt709", "ITU709"),
    4: Matrix("fcc", "FCC"),
    5: Matrix("bt470bg", "ITU601"),
    6: Matrix("smpte170m", "SMPTE170M"),
    7: Matrix("smpte240m", "SMPTE240M"),
    9: Matrix("bt2020", "BT2020"),
    10: Matrix("bt2020", "BT2020"),
}
USUAL_MATRIX = MATRICES[1]
JPEG_MATRIX = MATRICES[5]
"""JPEG's own (JFIF 1.02)."""
