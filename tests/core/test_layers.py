"""Layers, weights, places: numbers that must hold for every sequence, not only for those in the examples."""

from __future__ import annotations

import unittest
from fractions import Fraction

from hypothesis import example, given, settings
from hypothesis import strategies as st

from chronocast.model.picture.geometry import Centre, View, place
from chronocast.model.picture.weight import Weight
from chronocast.model.source.cutlist import Layer, MediaRef
from chronocast.timeline.described import Cross, Placed, Track
from chronocast.timeline.flatten import flatten

RATE = Fraction(25)
fractions = st.fractions(-3, 3, max_denominator=60)


class Layers(unittest.TestCase):
    @given(
        st.fractions(0, 500, max_denominator=24),
        st.fractions(-4, 4, max_denominator=24),
        st.integers(0, 200),
        st.integers(0, 200),
        st.sampled_from(["nearest", "blend", "motion"]),
    )
    def test_shares_add_up_and_a_later_layer_shows_the_same(
        self, start: Fraction, step: Fraction, at: int, later: int, retime: str
    ) -> None:
        layer = Layer(media=MediaRef(path="x"), start=start, step=step, last=400, retime=retime)  # type: ignore[arg-type]
        shown = layer.pictures(at + later)
        self.assertEqual(sum(share for _, share in shown), 1)
        self.assertTrue(all(0 <= index <= 400 and share > 0 for index, share in shown))
        self.assertEqual(layer.later(later).pictures(at), shown)
        first, last = layer.needs(at + later + 1) or (0, 0)
        self.assertTrue(all(first <= index <= last for index, _ in shown) or step < 0 or retime == "blend")

    @given(st.lists(fractions, min_size=1, max_size=3), fractions, fractions, st.integers(-20, 20))
    def test_weights_are_exact_polynomials(
        self, terms: list[Fraction], start: Fraction, step: Fraction, at: int
    ) -> None:
        weight = Weight(terms=tuple(terms))

        def value(of: Weight, x: Fraction) -> Fraction:
            return sum((term * x**power for power, term in enumerate(of.terms)), Fraction(0))

        self.assertEqual(value(weight.affine(start, step), Fraction(at)), value(weight, start + step * at))
        self.assertEqual(value(weight.rest(), Fraction(at)), 1 - value(weight, Fraction(at)))
        twice = weight.times(weight).plus(weight)
        self.assertEqual(
            value(twice, Fraction(at)), value(weight, Fraction(at)) ** 2 + value(weight, Fraction(at))
        )


@st.composite
def tracks(draw: st.DrawFn) -> list[Track]:
    """Up to three picture tracks of gaps and clips, with opacities and dissolves."""
    found = []
    for number in range(draw(st.integers(1, 3))):
        at, placed, crosses = 0, [], []
        lengths = draw(st.lists(st.integers(4, 30), min_size=1, max_size=5))
        for item, frames in enumerate(lengths):
            if item and draw(st.booleans()):
                room = min(frames, lengths[item - 1]) // 2
                before, after = draw(st.integers(0, room)), draw(st.integers(0, room))
                if before + after and not (
                    crosses
                    and crosses[-1].at == Fraction(at - lengths[item - 1]) / RATE
                    and before > lengths[item - 1] // 2
                ):
                    crosses.append(Cross(at=at / RATE, before=before / RATE, after=after / RATE))
            gap = draw(st.integers(0, 3)) == 0
            placed.append(
                Placed(
                    start=at / RATE,
                    seconds=frames / RATE,
                    kind="gap" if gap else "media",
                    media=f"{number}-{item}",
                    opacity=draw(st.sampled_from([Fraction(1), Fraction(1), Fraction(1, 2)])),
                )
            )
            at += frames
        found.append(Track(kind="picture", placed=tuple(placed), crosses=tuple(crosses)))
    return found


def plainly(stack: list[Track], frame: int) -> dict[str, Fraction]:
    """The weight of each item at a frame, worked out for that frame alone."""
    seen: dict[str, Fraction] = {}
    for track in stack:
        shares: dict[str, Fraction] = {}
        for item in track.placed:
            first, stop = item.start * RATE, (item.start + item.seconds) * RATE
            share = Fraction(int(first <= frame < stop))
            for cross in track.crosses:
                cut, before, after = cross.at * RATE, cross.before * RATE, cross.after * RATE
                if not cut - before <= frame < cut + after:
                    continue
                rise = (2 * (frame - (cut - before)) + 1) / (2 * (before + after))
                if cut == stop:
                    share = 1 - rise
                elif cut == first:
                    share = rise
                else:
                    share = Fraction(0)
            if share and item.kind != "gap":
                shares[item.media] = share * item.opacity
        covered = sum(shares.values(), Fraction(0))
        seen = {name: share * (1 - covered) for name, share in seen.items()} | shares
    return {name: share for name, share in seen.items() if share}


class Flattening(unittest.TestCase):
    @settings(max_examples=300)
    @given(tracks())
    def test_every_frame_is_what_it_is_alone(self, stack: list[Track]) -> None:
        def make(item: Placed, first: int, before: int, after: int) -> Layer:
            return Layer(media=MediaRef(path=item.media), start=Fraction(first))

        made = flatten(stack, RATE, make)
        self.assertEqual([part.first for part in made[1:]], [part.stop for part in made[:-1]])
        for part in made:
            for frame in range(part.first, part.stop):
                found: dict[str, Fraction] = {}
                for layer in part.layers:
                    assert layer.media
                    share = layer.weight.at(frame - part.first)
                    found[layer.media.path] = found.get(layer.media.path, Fraction(0)) + share
                    self.assertEqual(layer.start + layer.step * (frame - part.first), frame)
                self.assertEqual({n: s for n, s in found.items() if s}, plainly(stack, frame), (frame, stack))


class Places(unittest.TestCase):
    @example(16, 16, 8, 49, "fill", "fill", Fraction(1), Fraction(0))
    @given(
        st.integers(16, 4000),
        st.integers(16, 4000),
        st.integers(8, 1500),
        st.integers(8, 1500),
        st.sampled_from(["fit", "fill", "stretch"]),
        st.sampled_from(["fit", "fill", "stretch"]),
        st.fractions(0, 1, max_denominator=50),
        st.fractions(0, Fraction(2, 5), max_denominator=50),
    )
    def test_pictures_lie_inside_are_even_and_keep_their_shape(
        self,
        width: int,
        height: int,
        half_width: int,
        half_height: int,
        placing: str,
        seen: str,
        x: Fraction,
        cut: Fraction,
    ) -> None:
        output = (half_width * 2, half_height * 2)
        view = View(placing=seen, left=cut, bottom=cut, centres=(Centre(frame=0, x=x, y=x),))  # type: ignore[arg-type]
        lies = place((width, height), Fraction(1), placing, canvas=(1920, 1080), view=view, output=output)  # type: ignore[arg-type]
        if lies is None:
            return
        (cx, cy, cw, ch), (w, h), (left, top) = lies.crop, lies.size, lies.at
        self.assertTrue(
            cx >= 0 and cy >= 0 and cw >= 2 and ch >= 2 and cx + cw <= width and cy + ch <= height
        )
        self.assertTrue(left >= 0 and top >= 0 and left + w <= output[0] and top + h <= output[1])
        self.assertEqual((w % 2, h % 2, left % 2, top % 2), (0, 0, 0, 0))
        if "stretch" not in (placing, seen) and min(w, h, cw, ch) > 100:
            self.assertLess(abs((w / cw) / (h / ch) - 1), 0.04)

    def test_an_upright_frame_follows_its_centre(self) -> None:
        view = View(
            placing="fill", centres=(Centre(frame=0, x=Fraction(0)), Centre(frame=100, x=Fraction(1)))
        )
        found = [
            place(
                (1920, 1080),
                Fraction(1),
                "fit",
                canvas=(1920, 1080),
                view=view,
                output=(608, 1080),
                frame=frame,
            )
            for frame in (0, 50, 100)
        ]
        self.assertEqual(
            [lies.crop for lies in found if lies],
            [(0, 0, 608, 1080), (656, 0, 608, 1080), (1312, 0, 608, 1080)],
        )
        self.assertEqual(view.later(50).centre(0), view.centre(50))
