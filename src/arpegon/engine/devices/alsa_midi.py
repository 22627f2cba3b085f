"""MIDI ports over ALSA's sequencer, where there is one."""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Sequence
from typing import Any

import rtmidi

from arpegon.core.events import Event
from arpegon.core.time import studio
from arpegon.engine.devices.systems import OWN_CLIENT, Take

_SEQUENCER = "/dev/snd/seq"
"""Where there is none, to ask for it costs time and fills the log."""
_LAST_CALLBACK_SECONDS = 0.02
"""How long a callback that is under way may take. To delete its client would wait for it with Python's lock held; to
take the callback away before the port is closed may crash in a thread of the library's."""


class _Port:
    alive = True

    def __init__(self, device: Any) -> None:
        self.device = device

    def send(self, events: Sequence[Event]) -> None:
        with contextlib.suppress(Exception):  # the port went away in the middle: the next look will notice
            for event in events:
                self.device.send_message(event.to_bytes())

    def close(self) -> None:
        with contextlib.suppress(Exception):  # rtmidi raises several unrelated types
            self.device.close_port()
            if hasattr(self.device, "cancel_callback"):
                time.sleep(_LAST_CALLBACK_SECONDS)
                self.device.cancel_callback()
            self.device.delete()


class AlsaMidi:
    """ALSA's sequencer."""

    label = "ALSA"

    def __init__(self) -> None:
        self._scouts: tuple[Any, Any] | None = None

    def look(self) -> tuple[list[str], list[str]] | None:
        if not os.path.exists(_SEQUENCER):
            return None
        try:
            if self._scouts is None:
                self._scouts = _made(rtmidi.MidiIn, "look"), _made(rtmidi.MidiOut, "look")
            return self._scouts[0].get_ports(), self._scouts[1].get_ports()
        except Exception:  # rtmidi raises several unrelated types
            self._scouts = None
            return None

    def open_own(self, take: Take) -> tuple[_Port, _Port] | None:
        try:
            source, out = _made(rtmidi.MidiIn, "in"), _made(rtmidi.MidiOut, "")
            out.open_virtual_port("out")
            source.open_virtual_port("in")
        except Exception:  # rtmidi raises several unrelated types
            return None
        _listen_to(source, take)
        return _Port(source), _Port(out)

    def open_named(self, name: str) -> _Port | None:
        try:
            out = _made(rtmidi.MidiOut, name)
            out.open_virtual_port(name)
        except Exception:  # rtmidi raises several unrelated types
            return None
        return _Port(out)

    def open_input(self, name: str, take: Take) -> _Port | None:
        port = self._open(rtmidi.MidiIn, name)
        if port is not None:
            _listen_to(port.device, take)
        return port

    def open_output(self, name: str) -> _Port | None:
        return self._open(rtmidi.MidiOut, name)

    def close(self) -> None:
        for device in self._scouts or ():
            device.delete()
        self._scouts = None

    def _open(self, kind: Any, name: str) -> _Port | None:
        device = None
        try:
            device = _made(kind, "in" if kind is rtmidi.MidiIn else "out")
            device.open_port(device.get_ports().index(name), name)
        except Exception:  # busy or gone: rtmidi raises several unrelated types
            if device is not None:
                device.delete()
            return None
        return _Port(device)


def _made(kind: Any, name: str) -> Any:
    return kind(rtmidi.API_LINUX_ALSA, name=f"{OWN_CLIENT} {name}".strip())


def _listen_to(device: Any, take: Take) -> None:
    device.ignore_types(sysex=False, timing=False, active_sense=True)
    device.set_callback(lambda message, _: take(message[0], studio.now()))
