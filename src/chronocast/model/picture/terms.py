"""Terms of pictures that sources, recipes and batches share."""

from __future__ import annotations

from typing import Literal

Scan = Literal["progressive", "top first", "bottom first"]
"""Whole pictures, or fields and which of them comes first."""
Placing = Literal["fit", "fill", "stretch"]
"""How a picture of another shape lies in a frame: whole with bars, filled and cut, or out of shape."""
