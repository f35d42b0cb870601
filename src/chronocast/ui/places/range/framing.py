"""What *Range* does about framing: for the chosen file, on the real frame, live while something is dragged."""

from __future__ import annotations

from fractions import Fraction

from PyQt6.QtCore import QObject, QRectF, pyqtSignal
from PyQt6.QtWidgets import QWidget

from chronocast.model.batch.batch import Framing, Output
from chronocast.model.batch.framing import (
    Framed,
    centre_share,
    crop_share,
    framed,
    shaped_crop,
    with_centre,
    with_crop,
    without_centre,
)
from chronocast.model.batch.ranges import set_framing
from chronocast.model.errors import ModelError
from chronocast.model.picture.geometry import View
from chronocast.pieces.plan import output_rate
from chronocast.preparation.source.source_ready import framing_view
from chronocast.ui.places.range.parts.parts import RangeParts
from chronocast.ui.places.range.standing import Standing


class FramingDesk(QObject):
    """``FramingDesk(standing, parts)``; ``live`` is a framing that is being dragged.

    ``switched`` says that another thing is looked at; ``edited`` brings (what,
    batch); ``tried`` says that a drag goes on; ``after_wanted`` asks for the
    picture of the file (frame, size in pixels, view, first frame, rate).
    """

    switched = pyqtSignal()
    edited = pyqtSignal(str, object)
    tried = pyqtSignal()
    after_wanted = pyqtSignal(int, object, object, int, str)
    said = pyqtSignal(str)
    trouble = pyqtSignal(str)

    def __init__(self, standing: Standing, parts: RangeParts, parent: QWidget) -> None:
        super().__init__(parent)
        self.standing, self.parts = standing, parts
        self.live: Framing | None = None
        page, here = parts.framing, parts.here
        page.placing_asked.connect(
            lambda name: self._take(self.now().model_copy(update={"placing": name}), "place the picture")
        )
        page.crop_typed.connect(self._crop_typed)
        page.centre_typed.connect(self._centre_typed)
        page.key_asked.connect(self.set_key)
        page.shape_asked.connect(self._crop_to_shape)
        page.same_asked.connect(self._frame_alike)
        page.reset_asked.connect(lambda: self._take(Framing(), "frame it as the recipe says"))
        here.cropping.connect(lambda *crop: self._crop(crop, live=True))
        here.cropped.connect(lambda *crop: self._crop(crop, live=False))
        here.centring.connect(lambda x, y: self._centre(x, y, live=True))
        here.centred.connect(lambda x, y: self._centre(x, y, live=False))

    def switch(self, on: bool) -> None:
        """The pictures before and after framing, or the first and the last."""
        self.standing.framing = on
        self.switched.emit()

    def chosen(self) -> Output | None:
        """The file being framed."""
        return self.standing.batch.output(self.standing.output) if self.standing.output else None

    def now(self) -> Framing:
        """How it is framed now, a drag in progress included."""
        output = self.chosen()
        return self.live or (output.framing if output and output.framing else Framing())

    def framed(self) -> tuple[Framed, View, int, Fraction] | None:
        """What the framing does at this frame, its view, the frame of the output, the output's rate."""
        output, ready, part = self.chosen(), self.standing.ready(), self.standing.now()
        recipe = self.standing.batch.made_by(output) if output else None
        if recipe is None or recipe.picture is None or ready is None or part is None:
            return None
        rate = output_rate(ready.cut, recipe.picture)
        frame = max(0, round((self.standing.frame - part.start) * rate / ready.cut.rate))
        view = framing_view(self.now(), recipe)
        return (
            framed((ready.cut.width, ready.cut.height), view, recipe.picture.size, frame),
            view,
            frame,
            rate,
        )

    def key_frames(self) -> tuple[int, ...]:
        """The key positions of the chosen file, in frames of the source."""
        found, part, ready = self.framed(), self.standing.now(), self.standing.ready()
        if (
            found is None
            or part is None
            or ready is None
            or len(self.now().centres) < 2
            or not self.standing.framing
        ):
            return ()
        return tuple(part.start + round(key[0] * ready.cut.rate / found[3]) for key in self.now().centres)

    def show(self) -> None:
        parts = self.parts
        found, output = self.framed(), self.chosen()
        if not self.standing.framing or found is None or output is None:
            parts.here.set_crop((0, 0, 0, 0), QRectF(0, 0, 1, 1), False, False)
            parts.framing.show_nothing(
                "Ask for a file of this range first: framing is of an output." if self.standing.sheet else ""
            )
            return
        said, _, frame, _ = found
        framing, recipe = self.now(), self.standing.batch.made_by(output)
        assert recipe.picture is not None
        x, y, w, h = said.lies.crop
        window = QRectF(x / said.canvas[0], y / said.canvas[1], w / said.canvas[0], h / said.canvas[1])
        crop = (framing.left, framing.top, framing.right, framing.bottom)
        parts.here.set_crop(crop, window, said.placing == "fill", True)
        parts.after.shape = said.output[0] / said.output[1]
        parts.after.set_caption(f"the file's picture  {said.output[0]}×{said.output[1]}, square pixels")
        parts.here.set_caption(f"the source's picture  {said.canvas[0]}×{said.canvas[1]}")
        keys = (
            [n for n, key in enumerate(framing.centres) if key[0] == frame]
            if len(framing.centres) > 1
            else []
        )
        alike = sum(
            o.recipe == output.recipe and o.id != output.id and o.source == self.standing.source
            for o in self.standing.batch.outputs
        )
        row = self.standing.row()
        title = f"{row.name if row else ''} · {recipe.title}"
        parts.framing.show_framing(
            title,
            framing,
            said,
            by_recipe=recipe.picture.framing,
            key=keys[0] if keys else None,
            alike=alike,
            fixed=recipe.picture.size.mode == "fixed",
        )

    def ask_after(self, frame: int) -> None:
        found, part = self.framed(), self.standing.now()
        if found is None or part is None:
            return
        said, view, _, rate = found
        wide, high = self.parts.after.wanted_size()
        shape = said.output[0] / said.output[1]
        size = (
            (round(high * shape / 2) * 2, high)
            if wide / high > shape
            else (wide, round(wide / shape / 2) * 2)
        )
        self.after_wanted.emit(frame, size, view, part.start, str(rate))

    def _take(self, framing: Framing, what: str, outputs: list[str] | None = None) -> None:
        self.live = None
        names = outputs or ([self.standing.output] if self.standing.output else [])
        self.edited.emit(what, set_framing(self.standing.batch, names, framing))
        self.show()
        self.ask_after(self.standing.frame)

    def _try(self, framing: Framing) -> None:
        self.live = framing
        self.show()
        self.ask_after(self.standing.frame)
        self.tried.emit()

    def _crop(self, crop: tuple[float, ...], live: bool) -> None:
        try:
            framing = with_crop(self.now(), *crop)
        except ModelError as error:
            self.trouble.emit(str(error))
            return
        if live:
            self._try(framing)
        else:
            self._take(framing, "crop the picture")

    def _crop_typed(self, side: str, text: str) -> None:
        found = self.framed()
        if found is None:
            return
        canvas = found[0].canvas
        try:
            share = crop_share(text, canvas[0] if side in ("left", "right") else canvas[1])
            crop = {name: getattr(self.now(), name) for name in ("left", "top", "right", "bottom")} | {
                side: share
            }
            framing = with_crop(self.now(), **crop)
        except ModelError as error:
            self.trouble.emit(str(error))
            self.parts.framing.sides[side].setModified(True)
            return
        self.parts.framing.sides[side].setModified(False)
        self._take(framing, "crop the picture")

    def _centre(self, x: float, y: float, live: bool) -> None:
        found = self.framed()
        if found is None:
            return
        framing = with_centre(self.now(), found[2], x, y, len(self.now().centres) > 1)
        if live:
            self._try(framing)
        else:
            self._take(framing, "move the centre")

    def _centre_typed(self, axis: str, text: str) -> None:
        found = self.framed()
        if found is None:
            return
        _, view, frame, _ = found
        try:
            share = centre_share(text)
        except ModelError as error:
            self.trouble.emit(str(error))
            return
        x, y = (float(value) for value in view.centre(frame))
        x, y = (share, y) if axis == "x" else (x, share)
        self.parts.framing.centre[axis].setModified(False)
        self._take(with_centre(self.now(), frame, x, y, len(self.now().centres) > 1), "move the centre")

    def set_key(self, on: bool) -> None:
        """The centre gets a key position at this frame, or loses it."""
        found = self.framed()
        if found is None or found[0].placing != "fill":
            self.said.emit("A centre can move only where the frame is filled.")
            return
        _, view, frame, _ = found
        framing = self.now()
        if not on:
            self._take(without_centre(framing, frame), "take a key away")
            return
        x, y = (float(value) for value in view.centre(frame))
        if not framing.centres:
            framing = framing.model_copy(update={"centres": ((0, x, y),)})
        self._take(with_centre(framing, frame, x, y, True), "set a key")

    def _crop_to_shape(self) -> None:
        found = self.framed()
        if found is not None:
            try:
                self._take(
                    shaped_crop(self.now(), found[0].canvas, found[0].output), "crop to the frame's shape"
                )
            except ModelError as error:
                self.trouble.emit(str(error))

    def _frame_alike(self) -> None:
        output = self.chosen()
        if output is not None:
            alike = [
                o.id
                for o in self.standing.batch.outputs
                if o.recipe == output.recipe and o.source == self.standing.source
            ]
            self._take(self.now(), f"frame {len(alike)} outputs alike", alike)
