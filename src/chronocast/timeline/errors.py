"""What can go wrong with timeline files, in sentences."""

from __future__ import annotations

from chronocast.model.errors import ChronocastError


class TimelineError(ChronocastError):
    """A timeline file that can't be read, or holds something that can't be rendered."""
