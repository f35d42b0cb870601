"""Proxies in the real window: made by a command, seen in Range, told in House; by themselves where that is set."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from PyQt6.QtCore import Qt

from chronocast.journal.documents import save_batch
from chronocast.journal.settings import Settings, save_settings
from chronocast.journal.workspace import Workspace
from chronocast.model.batch.batch import Batch
from chronocast.model.batch.edits import add_source
from chronocast.model.show import counted
from chronocast.ui.commands import RANGE
from tests.footage import clip
from tests.ui.hands import Desk

CTRL = Qt.KeyboardModifier.ControlModifier


class ProxiesSeen(unittest.TestCase):
    def desk_of(self, number: int) -> Desk:
        folder = Path(tempfile.mkdtemp())
        clip(folder / "deep tank.mp4", number, 40, width=1920, height=1080, sound=False, options={"g": "250"})
        path = folder / "tanks.batch.json"
        save_batch(add_source(Batch(title="Tanks"), "deep tank.mp4", "Deep tank", "clip"), path)
        desk = Desk(path)
        self.addCleanup(desk.close)
        return desk

    def test_they_are_made_by_a_command_and_what_is_looked_at_says_so(self) -> None:
        desk = self.desk_of(260)
        window, told = desk.window, list[str]()
        desk.window.session.proxies.said.connect(told.append)
        desk.key(Qt.Key.Key_2, CTRL)
        self.assertEqual(window.place, RANGE)
        here = window.range_place.parts.here
        desk.until(lambda: here.image is not None, "a picture")
        self.assertFalse(here.from_proxy)
        window.commands.by_id["run.proxies"].trigger()
        desk.until(lambda: not desk.window.session.proxies.going and len(told) == 2, "the proxy", 90)
        self.assertIn("1 film is slow to look at (Deep tank: its key frames lie 40 pictures apart)", told[0])
        self.assertEqual(told[1], "1 of 1 proxy made.")
        desk.until(lambda: here.from_proxy, "the same picture, from the proxy")
        window.commands.by_id["range.originals"].trigger()
        desk.until(lambda: not here.from_proxy, "the original")
        desk.key(Qt.Key.Key_6, CTRL)
        house = window.house_place
        there = counted(len(Workspace().proxies.all()), "proxy", "proxies")
        desk.until(lambda: there in house.proxies.text(), "what proxies there are")
        self.assertIn("each of a film that is there", house.proxies.text())

    def test_they_are_made_by_themselves_where_that_is_set(self) -> None:
        save_settings(Settings(proxies="by themselves"))
        self.addCleanup(save_settings, Settings())
        desk = self.desk_of(261)
        store = Workspace().proxies
        (facts,) = [
            facts for ready in desk.window.session.prospect.sources.values() for facts in ready.facts.values()
        ]  # type: ignore[union-attr]
        desk.until(lambda: store.find(facts.fingerprint) is not None, "the proxy", 90)
        desk.until(lambda: not desk.window.session.proxies.going, "rest")
        desk.window.session.proxies.by_themselves(list(desk.window.session.prospect.sources.values()))  # type: ignore[union-attr]
        self.assertFalse(desk.window.session.proxies.going, "once a film is enough")
