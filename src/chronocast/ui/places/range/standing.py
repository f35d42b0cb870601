"""Where *Range* stands: the source, the range, the file, the picture; and what is being dragged.  Plain Python."""

from __future__ import annotations

from dataclasses import dataclass, field

from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.places.range.model import RangeRow, RangeSheet


@dataclass
class Standing:
    """``source``, ``part`` and ``output`` are ids; ``frame`` is the picture shown, counted in the source.

    ``live`` is a range that is being dragged; ``framing`` whether framing is
    what is looked at.
    """

    batch: Batch = field(default_factory=Batch)
    prospect: Prospect | None = None
    source: str = ""
    part: str = FULL
    output: str = ""
    frame: int = 0
    sheet: RangeSheet | None = None
    live: FrameRange | None = None
    framing: bool = False

    def ready(self) -> SourceReady | None:
        """The source, if it can be used."""
        return self.prospect.sources.get(self.source) if self.prospect else None

    def row(self) -> RangeRow | None:
        """The chosen range."""
        return self.sheet.row(self.part) if self.sheet else None

    def now(self) -> FrameRange | None:
        """The chosen range as it stands, a drag in progress included."""
        row = self.row()
        return self.live or (row.range if row else None)
