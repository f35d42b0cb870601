"""Hundreds of spoilt timeline files: each is read or refused with a sentence; none kills, hangs or fills the memory."""

from __future__ import annotations

import unittest
from importlib import resources

from tests.fuzz import run


class Spoilt(unittest.TestCase):
    def test_hundreds_of_spoilt_documents(self) -> None:
        footage = resources.files("chronocast.demo") / "footage"
        seeds = [
            (name, (footage / name).read_bytes())
            for name in ("tide-walk.otio", "night-round.otio", "guided-tour.edl")
        ]
        found = run(1, 90, seeds)
        bad = {what: count for what, count in found.items() if what not in ("read", "refused")}
        self.assertEqual(bad, {})
        self.assertGreater(found["read"], 4)
        self.assertGreater(found["refused"], 25)
