"""Where *Range* stands: the source, the range, the file, the picture; and what is being dragged.  Plain Python."""

from __future__ import annotations

from dataclasses import dataclass, field

from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.time.timing import FrameRange
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.source.source_ready import SourceReady
from chronocast.ui.places.range.model import Draft, RangeRow, RangeSheet


@dataclass
class Standing:
    """``source``, ``part`` and ``output`` are ids; ``frame`` is the picture shown, counted in the source.

    ``live`` is a range that is being dragged; ``framing`` whether framing is
    what is looked at; ``drafts`` is what is marked and not taken, by source;
    ``recipes`` what new ranges become outputs of, where that was chosen.
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
    drafts: dict[str, Draft] = field(default_factory=dict)
    recipes: tuple[str, ...] | None = None

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

    @property
    def draft(self) -> Draft:
        """What is marked and not taken; marks beyond the end of a cut that got shorter are none."""
        have, ready = self.drafts.get(self.source, Draft()), self.ready()
        if ready is None:
            return have
        last = ready.cut.frames
        return Draft(
            have.start if have.start is None or have.start < last else None,
            have.stop if have.stop is None or have.stop <= last else None,
        )

    def becoming(self) -> tuple[str, ...]:
        """The recipes that new ranges become outputs of."""
        known = {recipe.id for recipe in self.batch.recipes}
        if self.recipes is not None:
            return tuple(name for name in self.recipes if name in known)
        used = dict.fromkeys(o.recipe for o in self.batch.outputs if o.source == self.source)
        return tuple(used) or tuple(recipe.id for recipe in self.batch.recipes[:1])
