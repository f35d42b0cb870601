"""What a screen reader hears of the window's notices, and that nothing else is disturbed by it."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import unittest
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit, QVBoxLayout, QWidget

from chronocast.ui.theme import INK
from chronocast.ui.widgets.left_out import LeftOut
from chronocast.ui.widgets.notice_bar import NoticeBar

LAUNCHER = Path("/usr/libexec/at-spi-bus-launcher")
ALERT = 2
"""``ATSPI_ROLE_ALERT`` (at-spi2-core, ``atspi-constants.h``)."""
SPOKEN = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QVBoxLayout, QWidget
from chronocast.ui.theme import INK
from chronocast.ui.widgets.left_out import LeftOut
from chronocast.ui.widgets.notice_bar import NoticeBar
app = QApplication(sys.argv)
window = QWidget(); column = QVBoxLayout(window)
bar, left_out = NoticeBar(INK), LeftOut(INK)
column.addWidget(bar); column.addWidget(left_out); window.show()
QTimer.singleShot(1500, lambda: bar.tell("It is saved."))
QTimer.singleShot(2000, lambda: bar.tell("It is saved."))
QTimer.singleShot(2200, bar.hide)
QTimer.singleShot(2350, lambda: bar.tell("It is undone."))
QTimer.singleShot(2500, lambda: left_out.add(["reef.txt: no film"]))
QTimer.singleShot(3500, app.quit)
app.exec()
"""
LISTENER = """
import json, os, subprocess, sys, time
from PyQt6.QtCore import QCoreApplication, QObject, QTimer, pyqtSlot
from PyQt6.QtDBus import QDBusConnection, QDBusMessage
launcher = subprocess.Popen([sys.argv[1], "--launch-immediately"])
app = QCoreApplication(sys.argv)
def call(bus, service, path, interface, name, *values):
    message = QDBusMessage.createMethodCall(service, path, interface, name)
    message.setArguments(list(values))
    return bus.call(message).arguments()
heard, address = [], None
while not address:
    address = call(QDBusConnection.sessionBus(), "org.a11y.Bus", "/org/a11y/bus", "org.a11y.Bus", "GetAddress")
    address = address if address and address[0].startswith("unix:") else time.sleep(0.1)
bus = QDBusConnection.connectToBus(address[0], "alerts")
class Ear(QObject):
    @pyqtSlot(QDBusMessage)
    def changed(self, message):
        if message.arguments()[:2] == ["showing", 1]:
            at = message.service(), message.path()
            role = call(bus, *at, "org.a11y.atspi.Accessible", "GetRole")
            name = call(bus, *at, "org.freedesktop.DBus.Properties", "Get", "org.a11y.atspi.Accessible", "Name")
            heard.append((role[0], str(name[0].variant() if hasattr(name[0], "variant") else name[0])))
ear = Ear()
bus.connect("", "", "org.a11y.atspi.Event.Object", "StateChanged", ear.changed)
call(bus, "org.a11y.atspi.Registry", "/org/a11y/atspi/registry", "org.a11y.atspi.Registry", "RegisterEvent", "object:state-changed")
speaker = subprocess.Popen([sys.executable, "-c", sys.argv[2]], env={**os.environ, "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1"})
over = QTimer(interval=100); over.timeout.connect(lambda: speaker.poll() is not None and app.quit()); over.start()
QTimer.singleShot(30000, app.quit)
app.exec()
launcher.terminate()
print(json.dumps(heard))
"""


class Notices(unittest.TestCase):
    @unittest.skipUnless(
        LAUNCHER.exists() and all(map(shutil.which, ("dbus-run-session", "xvfb-run", "xauth"))),
        "AT-SPI is not installed",
    )
    def test_each_notice_reaches_assistive_programs_as_an_alert(self) -> None:
        done = subprocess.run(
            [
                "xvfb-run",
                "-a",
                "dbus-run-session",
                "--",
                sys.executable,
                "-c",
                LISTENER,
                str(LAUNCHER),
                SPOKEN,
            ],
            env={**os.environ, "QT_QPA_PLATFORM": "xcb"},
            capture_output=True,
            text=True,
            timeout=60,
        )
        heard = json.loads(done.stdout.splitlines()[-1])
        self.assertEqual(
            [words for role, words in heard if role == ALERT],
            [
                "It is saved.",
                "It is saved.",
                "It is undone.",
                "1 thing left out of what was brought in. reef.txt: no film",
            ],
            done.stderr,
        )

    def test_saying_something_takes_neither_keyboard_nor_a_stop_of_the_tab_key(self) -> None:
        app = QApplication.instance() or QApplication([])
        window = QWidget()
        column = QVBoxLayout(window)
        first, second, bar, left_out = QLineEdit(), QLineEdit(), NoticeBar(INK), LeftOut(INK)
        for part in (first, second, bar, left_out):
            column.addWidget(part)
        window.show()
        window.activateWindow()
        first.setFocus()
        app.processEvents()
        bar.tell_trouble("The drive is full.")
        app.processEvents()
        self.assertTrue(first.hasFocus())
        QTest.keyClicks(first, "reef")
        seen = set()
        for _ in range(6):
            QTest.keyClick(window.focusWidget(), Qt.Key.Key_Tab)
            seen.add(window.focusWidget())
        self.assertEqual(seen, {first, second})
        self.assertEqual(first.text(), "reef")
        window.close()
