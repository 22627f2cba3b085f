"""MIDI ports over ALSA and JACK: found again when they come back, closed when they go.

Making or deleting a JACK client waits for a turn of JACK's graph with Python's lock held; an audio callback
of the same process that needs that lock is part of the graph, and both wait until JACK gives up after half a
second (measured: 1.0 s to make one, 0.5 s to delete one). Opening and closing ports of a client that is there
takes 5 ms. So clients are made while the audio stream stands still, and kept for the next port; one for the first input
and one for the first output that come are made at the start. Each that is there is called by JACK for every block.
"""

from __future__ import annotations

import contextlib
import glob
import os
import re
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from typing import Any

import rtmidi

from arpegon.core.events import Event, from_bytes
from arpegon.core.time.ticks import MESSAGES
from arpegon.engine.graph.gates import silence

OWN_CLIENT = "Arpegon"
SCAN_SECONDS = 1.0
FIRST_SCANS, FIRST_SCAN_SECONDS = 16, 0.25
"""At the start it is looked more often for a sound server that is busy: it may have just lost an engine that died."""
_ALSA_NUMBERS = re.compile(r" \d+:\d+$")
_LAST_CALLBACK_SECONDS = 0.02
"""How long a callback that is under way may take. To delete its client would wait for it with Python's lock held; to
take the callback away before the port is closed may crash in JACK's thread."""
_CONNECTED_SECONDS = 0.06
"""A connection that was just made takes part in JACK's graph some periods later; what is sent before is lost."""
_APIS = {rtmidi.API_LINUX_ALSA: "ALSA", rtmidi.API_UNIX_JACK: "JACK"}

Pause = Callable[[], contextlib.AbstractContextManager[None]]
Arrived = Callable[[str, Event], None]


def plain_name(name: str) -> str:
    """A port's name without the numbers that ALSA changes at every plugging in."""
    return _ALSA_NUMBERS.sub("", name)


def is_own(name: str) -> bool:
    """Whether a port is one of ours (feeding our output back into our input would be a loop)."""
    return name.startswith(OWN_CLIENT)


def may_run(api: int) -> bool:
    """Whether an API has any chance to answer; asking one that is not there costs time and fills the log."""
    if api == rtmidi.API_LINUX_ALSA:
        return os.path.exists("/dev/snd/seq")
    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    return bool(glob.glob("/dev/shm/jack*") or (runtime and glob.glob(f"{runtime}/pipewire-0")))


def working_apis() -> list[int]:
    """The APIs that answer now: ALSA's sequencer, a JACK server, both or none."""
    found = []
    for api in _APIS:
        if not may_run(api):
            continue
        with contextlib.suppress(Exception):
            probe = rtmidi.MidiIn(api, name=f"{OWN_CLIENT} probe")
            probe.delete()
            found.append(api)
    return found


class PortHub:
    """Opens the wanted inputs and outputs, and keeps on looking for those that are not there.

    Args:
        arrived: called from MIDI threads with the input's name and the event, stamped with monotonic time.
        lost: called with the name of an input that vanished.
        changed: called with the inputs and outputs that are there, and those of both that are open, whenever
            these are others.
        missing: called with the outputs that are wanted and not open, and why, whenever these are others.
        pause: holds the audio stream while clients are made.
        clocked: called from MIDI threads with the input's name, a message of its clock, and monotonic time.
    """

    def __init__(
        self,
        arrived: Arrived,
        lost: Callable[[str], None],
        changed: Callable[[list[str], list[str], list[str]], None],
        missing: Callable[[dict[str, str]], None],
        pause: Pause = contextlib.nullcontext,
        clocked: Callable[[str, bytes, float], None] = lambda name, message, time: None,
    ) -> None:
        self._arrived = arrived
        self._clocked = clocked
        self._lost = lost
        self._changed = changed
        self._missing = missing
        self._said: dict[str, str] = {}
        self._pause = pause
        self._spare: dict[tuple[int, Any], list[Any]] = {}
        self._inputs: dict[str, tuple[int, Any]] = {}
        self._outputs: dict[str, tuple[int, Any]] = {}
        self._own: dict[int, tuple[Any, Any]] = {}
        """Arpegon's own output and input by API; they also tell which ports there are."""
        self._wanted_outputs: frozenset[str] = frozenset()
        self._hushing = False
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
        wanted = frozenset(outputs) - {""}
        if wanted != self._wanted_outputs:
            self._wanted_outputs = wanted
            self._wake.set()

    def hush(self) -> None:
        """Tell every output to be silent as soon as it is opened: what sounds there was left by an engine that died."""
        self._hushing = True

    def send(self, port: str, events: Sequence[Event]) -> None:
        """Send to an output (empty name: Arpegon's own); what cannot be sent is dropped."""
        if port == "":
            devices = [own[0] for own in list(self._own.values())]
        else:
            opened = self._outputs.get(port)
            devices = [opened[1]] if opened else []
        for device in devices:
            write = device.send_message
            try:
                for event in events:
                    write(event.to_bytes())
            except Exception:  # the port went away in the middle: the watcher will notice
                continue

    def close(self) -> None:
        """Close every port."""
        self._running = False
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join(3.0)
        with self._lock:
            lots = [*self._own.values(), *self._spare.values()]
            opened = [device for _, device in [*self._inputs.values(), *self._outputs.values()]]
            devices = [*opened, *(one for lot in lots for one in lot)]
            _close_ports(devices)
            for device in devices:
                with contextlib.suppress(Exception):
                    device.delete()

    # -- watching ----------------------------------------------------------------------------------

    def _watch(self) -> None:
        soon = FIRST_SCANS
        while self._running:
            with self._lock:
                self.scan()
            soon = 0 if self._own else soon - 1
            self._wake.wait(FIRST_SCAN_SECONDS if soon > 0 else SCAN_SECONDS)
            self._wake.clear()

    def scan(self) -> None:
        """Look once: open what has come, close what has gone."""
        inputs: dict[str, tuple[int, str]] = {}
        outputs: dict[str, tuple[int, str]] = {}
        for api in _APIS:
            own = self._open_own(api)
            if own is None:
                continue
            try:
                for found, names in ((inputs, own[1].get_ports()), (outputs, own[0].get_ports())):
                    for name in names:
                        if not is_own(name):
                            found.setdefault(plain_name(name), (api, name))
            except Exception:
                self._drop_api(api)
        self._match_inputs(inputs)
        self._match_outputs(outputs)
        opened = sorted({*self._inputs, *self._outputs, *([""] if self._own else [])})
        known = (sorted(inputs), sorted(outputs), opened)
        if known != self._known:
            self._known = known
            self._changed(*known)

    def _open_own(self, api: int) -> tuple[Any, Any] | None:
        """Arpegon's own output and input, opened when the API is there, and clients for the first ports to come."""
        if api not in self._own:
            if not may_run(api):
                return None
            try:
                with self._pause():
                    own_out = rtmidi.MidiOut(api, name=OWN_CLIENT)
                    own_in = rtmidi.MidiIn(api, name=f"{OWN_CLIENT} in")
                    own_out.open_virtual_port("out")
                    own_in.open_virtual_port("in")
                    for kind in (rtmidi.MidiIn, rtmidi.MidiOut):
                        self._make_spare(api, kind)
            except Exception:
                return None
            self._listen_to(own_in, f"{OWN_CLIENT} in")
            self._own[api] = (own_out, own_in)
        return self._own[api]

    def _take_spare(self, api: int, kind: Any) -> Any:
        """A client without a port: one that is left over, or a new one."""
        spare = self._spare.setdefault((api, kind), [])
        if not spare:
            with self._pause():
                self._make_spare(api, kind)
        return spare.pop()

    def _make_spare(self, api: int, kind: Any) -> None:
        made = kind(api, name=f"{OWN_CLIENT} {kind.__name__[4:].lower()}")
        self._spare.setdefault((api, kind), []).append(made)

    def _open(self, kind: Any, api: int, name: str) -> Any:
        device = None
        try:
            device = self._take_spare(api, kind)
            device.open_port(device.get_ports().index(name), plain_name(name).replace(":", " "))
        except Exception:  # busy or gone: rtmidi raises several unrelated types
            if device is not None:
                self._put_back(kind, api, device)
            return None
        return device

    def _put_back(self, kind: Any, api: int, device: Any) -> None:
        _close_ports([device])
        self._spare.setdefault((api, kind), []).append(device)

    def _drop_api(self, api: int) -> None:
        """The server is gone: nothing made from it works again."""
        self._own.pop(api, None)
        for key in [key for key in self._spare if key[0] == api]:
            del self._spare[key]

    def _match_inputs(self, there: dict[str, tuple[int, str]]) -> None:
        for name in [name for name in self._inputs if name not in there]:
            self._put_back(rtmidi.MidiIn, *self._inputs.pop(name))
            self._lost(name)
        for name in [name for name in there if name not in self._inputs]:
            api, full_name = there[name]
            device = self._open(rtmidi.MidiIn, api, full_name)
            if device is not None:
                self._listen_to(device, name)
                self._inputs[name] = (api, device)

    def _match_outputs(self, there: dict[str, tuple[int, str]]) -> None:
        missing: dict[str, str] = {}
        for name in [name for name in self._outputs if name not in there or name not in self._wanted_outputs]:
            self._put_back(rtmidi.MidiOut, *self._outputs.pop(name))
        for name in self._wanted_outputs:
            if name not in there:
                missing[name] = f"The MIDI output “{name}” is not there; it is used again as soon as it comes back."
            elif name not in self._outputs:
                device = self._open(rtmidi.MidiOut, *there[name])
                if device is None:
                    missing[name] = f"The MIDI output “{name}” cannot be opened; another program may hold it."
                else:
                    if self._hushing and name not in self._hushed:
                        self._hush_device(name, device)
                    self._outputs[name] = (there[name][0], device)
        if missing != self._said:
            self._said = missing
            self._missing(missing)

    def _hush_device(self, name: str, device: Any) -> None:
        """Silence a device before anything is sent to it: once its port is sure to be connected."""
        self._hushed.add(name)
        time.sleep(_CONNECTED_SECONDS)
        with contextlib.suppress(Exception):
            for event in silence(time.monotonic()):
                device.send_message(event.to_bytes())

    def _listen_to(self, device: Any, name: str) -> None:
        device.ignore_types(sysex=False, timing=False, active_sense=True)

        def take(message: tuple[list[int], float], _: object) -> None:
            if message[0] and message[0][0] in MESSAGES:
                self._clocked(name, bytes(message[0]), time.monotonic())
                return
            event = from_bytes(message[0], time.monotonic())
            if event is not None:
                self._arrived(name, event)

        device.set_callback(take)


def _close_ports(devices: Sequence[Any]) -> None:
    """Close the ports of clients; in what order matters, as a callback may be under way in a thread of JACK's."""
    for device in devices:
        with contextlib.suppress(Exception):
            device.close_port()
    time.sleep(_LAST_CALLBACK_SECONDS)
    for device in devices:
        with contextlib.suppress(Exception):
            if hasattr(device, "cancel_callback"):
                device.cancel_callback()


def list_ports() -> tuple[list[tuple[str, str]], list[tuple[str, str]]]:
    """The MIDI inputs and outputs that are there now, each with the API that offers it."""
    found: list[set[tuple[str, str]]] = [set(), set()]
    for api in working_apis():
        for place, kind in enumerate((rtmidi.MidiIn, rtmidi.MidiOut)):
            device = kind(api, name=f"{OWN_CLIENT} look")
            found[place].update((plain_name(name), _APIS[api]) for name in device.get_ports())
            device.delete()
    return sorted(found[0]), sorted(found[1])
