"""MIDI ports: opened when they come, found again when they come back, closed when they go."""

from __future__ import annotations

import logging
import re
import threading
import time
from collections.abc import Callable, Iterable, Mapping, Sequence

from arpegon.core.document.model import OWN_PORT, output_name
from arpegon.core.events import Event, bend, from_bytes, pressure
from arpegon.core.time import studio
from arpegon.core.time.ticks import MESSAGES
from arpegon.core.time.timecode import is_time_code
from arpegon.engine.devices.systems import OWN_CLIENT, MidiOutput, MidiPort, MidiSystem, Receiver
from arpegon.engine.graph.outlets import silence

log = logging.getLogger(__name__)

SCAN_SECONDS = 1.0
FIRST_SCANS, FIRST_SCAN_SECONDS = 16, 0.25
"""At the start it is looked more often for a sound server that is busy or only starts."""
_SOON_SECONDS = 0.02
"""A program makes its ports one after the other, and is ready to be connected a little later."""
_ALSA_NUMBERS = re.compile(r" \d+:\d+$")

Arrived = Callable[[str, Event], None]
PortPlace = tuple[MidiSystem, str]
"""Where a port is: its system, and its whole name there."""


def plain_name(name: str) -> str:
    """A port's name without the numbers that ALSA changes at every plugging in."""
    return _ALSA_NUMBERS.sub("", name)


def is_own(name: str) -> bool:
    """Whether a port is one of ours (feeding our output back into our input would be a loop)."""
    return name.startswith(OWN_CLIENT)


class PortHub:
    """Opens the wanted inputs and outputs, and keeps on looking for those that are not there.

    Args:
        arrived: called from MIDI threads with the input's name and the event, stamped in studio time.
        lost: called with the name of an input that vanished.
        changed: called with the inputs and outputs that are there, and those of both that are open, whenever
            these are others.
        missing: called with the outputs that are wanted and not open, and why, whenever these are others.
        clocked: called from MIDI threads with the input's name, a message of its clock, and when it came (studio time).
        systems: those that offer ports; a port that several offer is used over the first.
    """

    def __init__(
        self,
        arrived: Arrived,
        lost: Callable[[str], None],
        changed: Callable[[list[str], list[str], list[str]], None],
        missing: Callable[[dict[str, str]], None],
        clocked: Callable[[str, bytes, float], None],
        systems: Sequence[MidiSystem],
    ) -> None:
        self._arrived = arrived
        self._clocked = clocked
        self._lost = lost
        self._changed = changed
        self._missing = missing
        self._systems = systems
        self._said: dict[str, str] = {}
        self._inputs: dict[str, tuple[PortPlace, MidiPort]] = {}
        self._outputs: dict[str, tuple[PortPlace, MidiOutput]] = {}
        self._own: dict[str, tuple[MidiPort, MidiOutput]] = {}
        """Arpegon's own input and output by system,"""
        self._named: dict[tuple[str, str], MidiOutput] = {}
        """and its further outputs, by system and by what the document calls them."""
        self._wanted_outputs: frozenset[str] = frozenset()
        self._left: Mapping[str, Sequence[Event]] | None = None
        """By output, the ends of what an engine that died left sounding; ``None``: none died."""
        self._hushed: set[str] = set()
        self._known: tuple[list[str], list[str], list[str]] | None = None
        self._lock = threading.Lock()
        self._wake = threading.Event()
        self._running = True
        self._thread = threading.Thread(target=self._watch, name="port-watch", daemon=True)

    def start(self) -> None:
        """Open Arpegon's own ports and begin to watch."""
        self._thread.start()

    def want(self, outputs: Iterable[str]) -> None:
        """Name the outputs that the document uses; all inputs are opened anyway."""
        wanted = frozenset(outputs) - {OWN_PORT}
        if wanted != self._wanted_outputs:
            self._wanted_outputs = wanted
            self._wake.set()

    def look_soon(self) -> None:
        """Look at once: ports came or went."""
        self._wake.set()

    def hush(self, left: Mapping[str, Sequence[Event]]) -> None:
        """Silence every output once it is connected: what sounds there was left by an engine that died.

        Args:
            left: by output, the ends of what it held as far as is known.
        """
        self._left = left

    def send(self, port: str, events: Sequence[Event]) -> None:
        """Send to an output (empty name: Arpegon's own); what cannot be sent is dropped."""
        if port == OWN_PORT:
            for _, out in list(self._own.values()):
                out.send(events)
        elif output_name(port) is not None:
            for (_, name), named in list(self._named.items()):
                if name == port:
                    named.send(events)
        else:
            opened = self._outputs.get(port)
            if opened is not None:
                opened[1].send(events)

    def close(self) -> None:
        """Close every port."""
        self._running = False
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join(3.0)
        with self._lock:
            for _, one in [*self._inputs.values(), *self._outputs.values()]:
                one.close()
            for one in (*(port for own in self._own.values() for port in own), *self._named.values()):
                one.close()
            for system in self._systems:
                system.close()

    # -- watching ----------------------------------------------------------------------------------

    def _watch(self) -> None:
        soon = FIRST_SCANS
        while self._running:
            try:
                with self._lock:
                    self.scan()
            except Exception:  # whatever a system met with: it is looked again
                log.exception("a fault while looking for ports")
            soon = 0 if self._own else soon - 1
            if self._wake.wait(FIRST_SCAN_SECONDS if soon > 0 else SCAN_SECONDS):
                time.sleep(_SOON_SECONDS)
            self._wake.clear()

    def scan(self) -> None:
        """Look once: open what has come, close what has gone."""
        inputs: dict[str, PortPlace] = {}
        outputs: dict[str, PortPlace] = {}
        for system in self._systems:
            there = system.look()
            if there is None:
                self._own.pop(system.label, None)
                for gone in [place for place in self._named if place[0] == system.label]:
                    del self._named[gone]
                continue
            self._open_own(system)
            self._match_named(system)
            for found, names in zip((inputs, outputs), there, strict=True):
                for name in names:
                    if not is_own(name):
                        found.setdefault(plain_name(name), (system, name))
        self._match_inputs(inputs)
        self._match_outputs(outputs)
        self._hush_reconnected()
        named = {name for _, name in self._named}
        opened = sorted({*self._inputs, *self._outputs, *named, *([OWN_PORT] if self._own else [])})
        known = (sorted(inputs), sorted(outputs), opened)
        if known != self._known:
            self._known = known
            self._changed(*known)

    def _open_own(self, system: MidiSystem) -> None:
        own = self._own.get(system.label)
        if own is None or not all(port.alive for port in own):
            own = system.open_own(self._take_from(f"{OWN_CLIENT} in"))
            if own is not None:
                self._own[system.label] = own

    def _match_named(self, system: MidiSystem) -> None:
        """Have the further outputs of our own that the document names, and no others."""
        wanted = {name for name in self._wanted_outputs if output_name(name) is not None}
        for place, port in list(self._named.items()):
            if place[0] == system.label and (place[1] not in wanted or not port.alive):
                del self._named[place]
                port.close()
        for name in sorted(wanted):
            if (system.label, name) not in self._named:
                opened = system.open_named(output_name(name) or name)
                if opened is not None:
                    self._named[system.label, name] = opened
                    self._hush_once(name, opened)

    def _hush_once(self, name: str, opened: MidiOutput) -> None:
        """Silence what an engine that died left sounding there."""
        if self._left is not None and name not in self._hushed:
            self._hushed.add(name)
            self._hush(name, opened)

    def _hush(self, name: str, opened: MidiOutput) -> None:
        now = studio.now()
        known = [event.at(now) for event in (self._left or {}).get(name, ())]
        centred = [event for channel in range(16) for event in (bend(now, channel, 0), pressure(now, channel, 0))]
        opened.send([*known, *silence(now), *centred])

    def _hush_reconnected(self) -> None:
        """Silence the outputs that others connected to the engine before, and that are connected so again: what was
        sent to them before that reached nobody."""
        own = [(OWN_PORT, out) for _, out in self._own.values()]
        for name, out in [*own, *((name, out) for (_, name), out in self._named.items())]:
            if out.take_reconnected() and self._left is not None:
                self._hush(name, out)

    def _match_inputs(self, there: dict[str, PortPlace]) -> None:
        for name, (place, device) in list(self._inputs.items()):
            if there.get(name) != place or not device.alive:
                del self._inputs[name]
                device.close()
                self._lost(name)
        for name, place in there.items():
            if name not in self._inputs:
                opened = place[0].open_input(place[1], self._take_from(name))
                if opened is not None:
                    self._inputs[name] = (place, opened)

    def _match_outputs(self, there: dict[str, PortPlace]) -> None:
        missing: dict[str, str] = {}
        for name, (place, device) in list(self._outputs.items()):
            if name not in self._wanted_outputs or there.get(name) != place or not device.alive:
                del self._outputs[name]
                device.close()
        for name in (one for one in self._wanted_outputs if output_name(one) is None):
            if name not in there:
                missing[name] = f"The MIDI output “{name}” is not there; it is used again as soon as it comes back."
            elif name not in self._outputs:
                system, whole_name = there[name]
                opened = system.open_output(whole_name)
                if opened is None:
                    missing[name] = f"The MIDI output “{name}” cannot be opened; another program may hold it."
                else:
                    self._hush_once(name, opened)
                    self._outputs[name] = (there[name], opened)
        if missing != self._said:
            self._said = missing
            self._missing(missing)

    def _take_from(self, name: str) -> Receiver:
        def receive(message: Sequence[int], time: float) -> None:
            if message and (message[0] in MESSAGES or is_time_code(message)):
                self._clocked(name, bytes(message), time)
                return
            event = from_bytes(message, time)
            if event is not None:
                self._arrived(name, event)

        return receive
