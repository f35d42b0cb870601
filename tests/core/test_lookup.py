"""Finding one of many: always what looking through all of them finds."""

from __future__ import annotations

import unittest
from operator import itemgetter

from chronocast.model.lookup import FEW, find, once_each

FIRST = itemgetter(0)


class Lookup(unittest.TestCase):
    def test_it_finds_what_looking_through_all_finds(self) -> None:
        for count in (0, 3, FEW + 1, 500):
            items = tuple((f"n{number % 300}", number) for number in range(count))
            for wanted in ("n0", "n2", "n299", "nobody"):
                there = next((item for item in items if item[0] == wanted), None)
                self.assertEqual(find(items, FIRST, wanted), there, (count, wanted))

    def test_another_sequence_is_another_question_even_where_the_first_is_forgotten(self) -> None:
        for number in range(200):  # memory of those that are gone is used again
            items = tuple((f"n{n}", number) for n in range(FEW + 1))
            self.assertEqual(find(items, FIRST, "n3"), ("n3", number))
            del items

    def test_a_list_that_grows_is_looked_through_anew(self) -> None:
        items = [(f"n{n}", n) for n in range(FEW + 1)]
        self.assertIsNone(find(items, FIRST, "later"))
        items.append(("later", 1))
        self.assertEqual(find(items, FIRST, "later"), ("later", 1))

    def test_it_is_worked_out_once_for_each_object_and_anew_for_another_that_is_alike(self) -> None:
        asked = []

        @once_each
        def length(items: list[int]) -> int:
            asked.append(items)
            return len(items)

        one, other = [1], [1]
        self.assertEqual([length(one), length(one), length(other)], [1, 1, 1])
        self.assertEqual(len(asked), 2)


if __name__ == "__main__":
    unittest.main()
