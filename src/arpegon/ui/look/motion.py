"""Whether things move less than they might: where somebody chose that, or the desktop says so."""

from __future__ import annotations

import os

_PORTAL = ("org.freedesktop.portal.Desktop", "/org/freedesktop/portal/desktop", "org.freedesktop.portal.Settings")
_KEY = ("org.freedesktop.appearance", "reduced-motion")
_PATIENCE_MS = 300

_less = False


def less() -> bool:
    """Whether things move less: what only decorates stands still, paper moves in steps."""
    return _less


def use(chosen: bool | None) -> None:
    """Move less (or not); ``None`` asks the desktop."""
    global _less
    _less = desktop_wants_less() if chosen is None else chosen


def desktop_wants_less() -> bool:
    """What the desktop says (XDG desktop portal, ``reduced-motion`` of ``org.freedesktop.appearance``)."""
    if "DBUS_SESSION_BUS_ADDRESS" not in os.environ:
        return False
    from PyQt6.QtDBus import QDBus, QDBusConnection, QDBusMessage

    call = QDBusMessage.createMethodCall(*_PORTAL, "ReadOne")
    call.setArguments(list(_KEY))
    answer = QDBusConnection.sessionBus().call(call, QDBus.CallMode.Block, _PATIENCE_MS)
    values = answer.arguments() if answer.type() == QDBusMessage.MessageType.ReplyMessage else []
    return bool(values and values[0] == 1)
