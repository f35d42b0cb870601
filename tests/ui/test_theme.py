"""Both themes can be read: contrast of text, bars, borders and selections; no text too small."""

from __future__ import annotations

import unittest

from chronocast.ui.theme import INK, PAPER, SMALLEST, Theme, font

GROUNDS = ("ground", "raised", "choice")
WORDS = ("text", "quiet", "tide", "ember", "dusk", "lichen", "rust")


def luminance(colour: str) -> float:
    """Relative luminance (WCAG 2.2)."""
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, other: str) -> float:
    """Contrast ratio (WCAG 2.2)."""
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


class Themes(unittest.TestCase):
    def each(self, roles: tuple[str, ...], grounds: tuple[str, ...], least: float) -> None:
        for theme in (INK, PAPER):
            for role in roles:
                for ground in grounds:
                    with self.subTest(theme=theme.name, role=role, ground=ground):
                        self.assertGreaterEqual(contrast(getattr(theme, role), getattr(theme, ground)), least)

    def test_words_are_read_on_every_ground_selected_rows_included(self) -> None:
        self.each(WORDS, GROUNDS, 4.5)
        self.each(("on_ember",), ("ember",), 4.5)

    def test_bars_borders_and_the_marks_of_selection_stand_out(self) -> None:
        self.each(("bar", "tide", "ember", "dusk"), GROUNDS, 3.0)
        self.each(("edge",), ("ground", "raised"), 3.0)

    def test_the_measure_is_the_standard_s(self) -> None:
        self.assertAlmostEqual(contrast("#000000", "#FFFFFF"), 21.0, 6)
        self.assertAlmostEqual(contrast("#777777", "#FFFFFF"), 4.48, 2)

    def test_a_theme_has_a_colour_for_each_role(self) -> None:
        for theme in (INK, PAPER):
            roles = [name for name in Theme.__dataclass_fields__ if name != "name"]
            self.assertTrue(all(theme.color(role).isValid() for role in roles))

    def test_no_text_is_smaller_than_can_be_read(self) -> None:
        self.assertGreaterEqual(SMALLEST, 13)
        self.assertEqual(font(9).pixelSize(), 13)
        self.assertEqual(font(20, 600).pixelSize(), 20)


if __name__ == "__main__":
    unittest.main()
