"""The application on a real (virtual) screen, as its own process, driven by its mouse."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from tests.runs import QUICK, over, see, small_batch


@unittest.skipUnless(shutil.which("Xvfb"), "Xvfb is not installed")
class OnScreen(unittest.TestCase):
    def setUp(self) -> None:
        read, write = os.pipe()
        self.server = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
            pass_fds=[write],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        os.close(write)
        with os.fdopen(read) as told:
            self.display = ":" + told.readline().strip()
        self.addCleanup(self.end_server)

    def end_server(self) -> None:
        self.server.terminate()
        self.server.wait()

    def test_the_desktop_paints_takes_a_click_and_renders(self) -> None:
        folder = Path(tempfile.mkdtemp())
        path = small_batch(folder, clips=1, frames=75, recipes=(QUICK,), first=120)
        env = {**os.environ, "DISPLAY": self.display, "QT_QPA_PLATFORM": "xcb"}
        code = (
            "import sys\n"
            "from PyQt6.QtCore import QTimer, Qt\nfrom PyQt6.QtTest import QTest\nfrom PyQt6.QtWidgets import QApplication\n"
            "from chronocast.ui import app, window\n"
            "class Watch(window.Window):\n"
            "    def showEvent(self, event):\n"
            "        super().showEvent(event); QTimer.singleShot(300, self.work)\n"
            "    def work(self):\n"
            "        if self.session.view is None: QTimer.singleShot(100, self.work); return\n"
            "        QTest.mouseClick(self.begin, Qt.MouseButton.LeftButton); QTimer.singleShot(60000, lambda: QApplication.exit(3)); self.look()\n"
            "    def look(self):\n"
            "        if not (self.session.run and self.session.run.outcome): QTimer.singleShot(100, self.look); return\n"
            "        image = self.screen().grabWindow(0).toImage()\n"
            "        image.save(sys.argv[2]); QApplication.quit()\n"
            "app.Window = Watch\n"
            "sys.exit(app.main(sys.argv[1]))\n"
        )
        picture = folder / "screen.png"
        done = subprocess.run(
            [sys.executable, "-c", code, str(path), str(picture)],
            env=env,
            capture_output=True,
            text=True,
            timeout=90,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        from PyQt6.QtGui import QImage

        image = QImage(str(picture))
        self.assertEqual((image.width(), image.height()), (1280, 800))
        colours = {image.pixel(x, y) for x in range(0, 1280, 16) for y in range(0, 800, 8)}
        self.assertGreater(len(colours), 12, "the screen shows next to nothing")
        from chronocast.run.client import last_run

        journal = last_run(path)
        assert journal is not None
        end = time.monotonic() + 10
        while not over(see(journal)) and time.monotonic() < end:
            time.sleep(0.05)
        self.assertEqual(see(journal).outcome, "done")


if __name__ == "__main__":
    unittest.main()
