"""Files sent across a line as they are proved: when each has gone."""

from __future__ import annotations

import numpy as np

from chronocast.forecast.band import Draws
from chronocast.forecast.inverse import send_seconds


def sent_across(proved: Draws, sizes: Draws, bits_per_second: float) -> Draws:
    """Send files one after another in the order in which they are proved; the line rests while there is none.

    Parameters
    ----------
    proved
        Seconds from now, shape (files, draws).
    sizes
        Bytes, of the same shape.
    bits_per_second
        What the line carries.

    Returns
    -------
    array
        When each has arrived, seconds from now, of the same shape. Each file ends ``max over the files j that were proved no later, j's proof + all that is sent from j to it``:
        Lindley's recursion for a queue with one server, in closed form.
    """
    takes = send_seconds(sizes, bits_per_second)
    order = np.argsort(proved, axis=0, kind="stable")
    ready, long = (np.take_along_axis(what, order, axis=0) for what in (proved, takes))
    through = np.cumsum(long, axis=0)
    sorted_end = through + np.maximum.accumulate(ready - (through - long), axis=0)
    end: Draws = np.empty_like(takes)
    np.put_along_axis(end, order, sorted_end, axis=0)
    return end
