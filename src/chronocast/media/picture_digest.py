"""What decoded pictures are held against each other by."""

from __future__ import annotations

import av
import numpy as np

from chronocast.media.digest import ASKED, new_digest


def picture_digest(picture: av.VideoFrame, kind: str = ASKED) -> bytes:
    """A digest of a picture's samples, without what pads their lines and without bytes that mean nothing."""
    total = new_digest(kind)
    layout = picture.format
    for number, plane in enumerate(picture.planes):
        if layout.is_planar or len(layout.components) == 1:
            part = next(part for part in layout.components if part.plane == number)
            width = part.width * (1 if part.bits <= 8 else 2 if part.bits <= 16 else 4)
        else:
            width = picture.width * (layout.padded_bits_per_pixel // 8)
        lines = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)[:, :width]
        if layout.name in ("bgr0", "rgb0"):
            lines = np.delete(lines.reshape(plane.height, -1, 4), 3, axis=2).reshape(plane.height, -1)
        total.update(
            np.ascontiguousarray(lines).reshape(-1).data
        )  # as it lies in memory, where nothing pads its lines
    return total.digest()
