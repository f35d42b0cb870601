"""The end of a run is told to the desktop, by its own bus."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from chronocast.ui.desk.notify import tell_desktop

TELL = """
import sys
from PyQt6.QtCore import QCoreApplication
from chronocast.ui.desk.notify import tell_desktop
app = QCoreApplication(sys.argv)
sys.exit(0 if tell_desktop("Evening: every file proved", "3 files · 12 s") else 1)
"""


class Notification(unittest.TestCase):
    @unittest.skipUnless(shutil.which("dbus-run-session") and shutil.which("dbus-monitor"), "no bus is here")
    def test_it_is_said_as_the_freedesktop_interface_wants_it(self) -> None:
        folder = Path(tempfile.mkdtemp())
        (folder / "tell.py").write_text(TELL)
        script = (
            f"dbus-monitor --session > {folder}/heard 2>&1 & "
            f"for n in $(seq 100); do [ -s {folder}/heard ] && break; sleep 0.1; done; "
            f'"$PYTHON" {folder}/tell.py; told=$?; '
            f"for n in $(seq 100); do grep -q Evening {folder}/heard && break; sleep 0.1; done; kill %1; exit $told"
        )
        ran = subprocess.run(
            ["dbus-run-session", "--", "bash", "-c", script],
            env={**os.environ, "PYTHON": sys.executable},
            timeout=60,
            check=False,
        )
        self.assertEqual(ran.returncode, 0)
        heard = (folder / "heard").read_text()
        call = heard[heard.index("member=Notify") :]
        kinds = [line.split()[0] for line in call.splitlines()[1:] if line.startswith("   ") and line.split()]
        self.assertEqual(
            [k for k in kinds if k != "]"][:8],
            ["string", "uint32", "string", "string", "string", "array", "array", "int32"],
        )
        self.assertIn("Evening: every file proved", call)

    def test_without_a_bus_nothing_happens(self) -> None:
        before = {key: os.environ.pop(key, None) for key in ("DBUS_SESSION_BUS_ADDRESS", "XDG_RUNTIME_DIR")}
        try:
            self.assertFalse(tell_desktop("a", "b"))
        finally:
            os.environ.update({key: value for key, value in before.items() if value is not None})


if __name__ == "__main__":
    unittest.main()
