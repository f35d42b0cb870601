"""The table of commands: every name and key once, and the page of the documentation as it is."""

from __future__ import annotations

import itertools
import unittest
from pathlib import Path

from chronocast.ui.commands import COMMANDS, PLACES, as_markdown

PAGE = Path(__file__).parents[2] / "docs" / "commands.md"


class Table(unittest.TestCase):
    def test_no_two_commands_are_called_alike_or_share_a_key(self) -> None:
        for one, other in itertools.combinations(COMMANDS, 2):
            self.assertNotEqual(one.id, other.id)
            self.assertNotEqual(one.words, other.words)
            if one.key:
                self.assertNotEqual(one.key, other.key, f"{one.id} and {other.id}")

    def test_places_are_known_and_a_condition_holds_or_not(self) -> None:
        for command in COMMANDS:
            self.assertLessEqual(set(command.places), set(PLACES))
            for place in PLACES:
                allowed = not command.places or place in command.places
                self.assertEqual(command.can_be_used(place, frozenset({command.when})), allowed)
                if command.when:
                    self.assertFalse(command.can_be_used(place, frozenset()))

    def test_the_page_of_commands_is_of_today(self) -> None:
        self.assertEqual(PAGE.read_text(), as_markdown(), "make it anew with tools/commands")


if __name__ == "__main__":
    unittest.main()
