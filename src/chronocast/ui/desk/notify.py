"""A word to the desktop, by the freedesktop notification interface; where nobody listens nothing happens."""

from __future__ import annotations

import logging
import os
from html import escape
from pathlib import Path

log = logging.getLogger(__name__)
SERVICE, PLACE = "org.freedesktop.Notifications", "/org/freedesktop/Notifications"


def tell_desktop(summary: str, body: str) -> bool:
    """Show a notification; whether somebody could be told.  Nobody is waited for.

    Source: Desktop Notifications Specification 1.2, ``Notify``.

    Parameters
    ----------
    summary
        In a few words.
    body
        A sentence or two.
    """
    own = Path(os.environ.get("XDG_RUNTIME_DIR", "/nowhere")) / "bus"
    if not os.environ.get("DBUS_SESSION_BUS_ADDRESS") and not own.exists():
        return False
    from PyQt6.QtCore import QMetaType, QVariant
    from PyQt6.QtDBus import QDBusConnection, QDBusMessage

    bus = QDBusConnection.sessionBus()
    if not bus.isConnected():
        return False
    replaces, actions = QVariant(0), QVariant([])
    replaces.convert(QMetaType.fromName(b"uint"))
    actions.convert(QMetaType.fromName(b"QStringList"))
    message = QDBusMessage.createMethodCall(SERVICE, PLACE, SERVICE, "Notify")
    message.setArguments(
        ["Chronocast", replaces, "chronocast", summary, escape(body, quote=False), actions, {}, -1]
    )
    told = bool(bus.send(message))
    if not told:
        log.info("the desktop could not be told: %s", summary)
    return told
