"""JACK's periods relayed by compiled code: ``relay.c``. See :mod:`arpegon.engine.devices.relay`."""

from __future__ import annotations

import contextlib
import ctypes
import logging
import os
import weakref
from collections.abc import Callable
from functools import lru_cache
from typing import Any, TypeVar

import numpy as np

from arpegon.core.compiled import function
from arpegon.engine.devices import jack_library
from arpegon.engine.devices.jack_library import address
from arpegon.engine.devices.relay import GLANCE_SECONDS, PATIENCE_SHARE, Array, Beat, Messages, SampleFlow

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

log = logging.getLogger(__name__)

MIDI_IN, MIDI_OUT, AUDIO_IN, AUDIO_OUT = range(4)
_BEATS, _LATES, _BYTES = 256, 256, 1 << 17
_LIBRARY = "arpegon.engine.devices._relay"
_CALLS = (
    "jack_port_get_buffer",
    "jack_midi_clear_buffer",
    "jack_midi_get_event_count",
    "jack_midi_event_get",
    "jack_midi_event_write",
    "jack_last_frame_time",
    "jack_frames_since_cycle_start",
    "jack_transport_query",
)


class _Beat(ctypes.Structure):
    _fields_ = (
        ("cycle", ctypes.c_uint32),
        ("lost", ctypes.c_uint32),
        ("frame", ctypes.c_uint32),
        ("frames", ctypes.c_uint32),
        ("before", ctypes.c_int64),
        ("after", ctypes.c_int64),
        ("since", ctypes.c_uint32),
        ("state", ctypes.c_int32),
        ("position", ctypes.c_ubyte * 512),
    )


class _Relay(ctypes.Structure):
    _fields_ = (
        ("calls", ctypes.c_void_p * (len(_CALLS) + 1)),
        ("client", ctypes.c_void_p),
        ("ports", ctypes.c_void_p),
        ("signal", ctypes.c_int64),
        ("answer", ctypes.c_int64),
        ("patience", ctypes.c_int64),
        ("begun", ctypes.c_uint32),
        ("done", ctypes.c_uint32),
        ("cycles", ctypes.c_uint32),
        ("frame", ctypes.c_uint32),
        ("pause", ctypes.c_uint32),
        ("wake", ctypes.c_uint32),
        ("told", ctypes.c_uint32),
        ("expected", ctypes.c_uint32),
        ("lost", ctypes.c_uint32),
        ("called", ctypes.c_int64),
        ("free_run", ctypes.c_int32),
        ("sounds", ctypes.c_int32),
        ("missing", ctypes.c_uint32),
        ("lates", ctypes.c_uint32),
        ("late", ctypes.c_int32 * _LATES),
        ("beats", _Beat * _BEATS),
        ("scratch", ctypes.c_ubyte * (_BYTES // 4)),
    )


class _Port(ctypes.Structure):
    _fields_ = (
        ("jack", ctypes.c_void_p),
        ("kind", ctypes.c_int64),
        ("written", ctypes.c_uint32),
        ("read", ctypes.c_uint32),
        ("left_out", ctypes.c_uint32),
        ("bytes", ctypes.c_ubyte * _BYTES),
    )


_port, _number, _place = ctypes.POINTER(_Port), ctypes.c_uint32, ctypes.c_void_p
_push = function(_LIBRARY, "arpegon_push", (_port, _number, ctypes.c_char_p, _number), ctypes.c_int32, brief=True)
_pull = function(
    _LIBRARY, "arpegon_pull", (_port, _number, ctypes.POINTER(_number), _place), ctypes.c_int32, brief=True
)
_fill = function(_LIBRARY, "arpegon_fill", (_port, _number, _place, _number), brief=True)
_hush = function(_LIBRARY, "arpegon_hush", (_port,), brief=True)
_heard = function(_LIBRARY, "arpegon_heard", (_port, _number, _place, _number), brief=True)
_CLOCK = function(_LIBRARY, "arpegon_clock", (), ctypes.c_int64)
CYCLE = function(_LIBRARY, "arpegon_cycle", (_number, _place), ctypes.c_int32)
"""JACK's callback: takes the frames of a period, and a relay's address."""
GATE = function(_LIBRARY, "arpegon_gate", (_number, _place), ctypes.c_int32)
"""The same, for whatever else is called in a period: takes the address of what is called, and whether."""


class _CompiledPort:
    def __init__(self, port: Any, address: int, kind: int) -> None:
        self.jack = port
        self._port = _Port(jack=address, kind=kind)
        self._by = ctypes.pointer(self._port)
        self.address = ctypes.addressof(self._port)


class _CompiledMessages(_CompiledPort):
    def __init__(self, port: Any, address: int, kind: int) -> None:
        super().__init__(port, address, kind)
        self._frame = _number()
        self._message = ctypes.create_string_buffer(_BYTES // 4)

    @property
    def left_out(self) -> int:
        return int(self._port.left_out)

    @property
    def waiting(self) -> bool:
        return bool(self._port.written != self._port.read)

    def push(self, frame: int, message: bytes) -> bool:
        return bool(_push(self._by, frame, message, len(message)))

    def pull(self, end: int) -> list[tuple[int, bytes]]:
        found = []
        while (length := _pull(self._by, end, self._frame, self._message)) >= 0:
            found.append((self._frame.value, self._message.raw[:length]))
        return found


class _CompiledSamples(_CompiledPort):
    def fill(self, frame: int, samples: Array) -> None:
        samples = np.ascontiguousarray(samples, dtype=np.float32)
        _fill(self._by, frame, samples.ctypes.data, len(samples))

    def hush(self) -> None:
        _hush(self._by)

    def heard(self, frame: int, frames: int) -> Array:
        samples = np.empty(frames, dtype=np.float32)
        _heard(self._by, frame, samples.ctypes.data, frames)
        return samples


_P = TypeVar("_P", bound=_CompiledPort)


class CompiledRelay:
    """What ``relay.c`` does.

    Args:
        client: where JACK's library keeps the client.
        rate: frames a second.
        calls: where its functions are, and last of all the clock.
    """

    def __init__(self, client: int, rate: int, calls: list[int]) -> None:
        self._rate = rate
        self._signal, self._answer = os.eventfd(0), os.eventfd(0, os.EFD_NONBLOCK)
        for number in (self._signal, self._answer):
            weakref.finalize(self, os.close, number)
        self._state = _Relay(client=client, signal=self._signal, answer=self._answer)
        self._state.patience = round(PATIENCE_SHARE * 1e9 / rate)
        self._state.calls[:] = calls
        self.address = ctypes.addressof(self._state)
        self._ports: list[_CompiledPort] = []
        self._arrays: list[Any] = []
        """All that were ever in use: JACK's thread may be in the last but one."""
        self._lates = 0
        self._running = True
        self._list_ports()

    @property
    def calls(self) -> None:
        return None

    @property
    def cycles(self) -> int:
        return int(self._state.cycles)

    @property
    def idle(self) -> bool:
        return bool(self._state.done == self._state.begun)

    @property
    def called(self) -> float:
        return float(self._state.called / 1e9)

    @property
    def frame(self) -> int:
        return int(self._state.frame)

    @property
    def missing(self) -> int:
        return int(self._state.missing)

    def add_messages(self, port: Any, out: bool) -> Messages:
        return self._added(_CompiledMessages(port, address(port), MIDI_OUT if out else MIDI_IN))

    def add_samples(self, port: Any, out: bool) -> SampleFlow:
        return self._added(_CompiledSamples(port, address(port), AUDIO_OUT if out else AUDIO_IN))

    def _added(self, port: _P) -> _P:
        self._ports.append(port)
        self._list_ports()
        return port

    def remove(self, port: Any) -> None:
        self._ports.remove(port)
        self._arrays.append(port)
        self._list_ports()

    def _list_ports(self) -> None:
        places = (ctypes.c_void_p * (len(self._ports) + 1))(*(port.address for port in self._ports), None)
        self._arrays.append(places)
        self._state.ports = ctypes.addressof(places)

    def set_free(self, on: bool) -> None:
        self._state.free_run = on

    def set_sounding(self, on: bool) -> None:
        self._state.sounds = on

    def rest(self, frames: int) -> None:
        self._state.pause = frames

    def wake_at(self, frame: int) -> None:
        self._state.wake = frame

    def work(self, beat: Callable[[Beat], None]) -> None:
        state = self._state
        while self._running:
            os.eventfd_read(self._signal)
            while self._running and state.done != state.begun:
                beat(self._read(state.beats[state.done % _BEATS]))
                state.done += 1
                os.eventfd_write(self._answer, 1)

    def _read(self, told: Any) -> Beat:
        before, after = told.before / 1e9, told.after / 1e9
        return Beat(
            told.cycle,
            bool(told.lost),
            told.frame,
            told.frames,
            before - told.since / self._rate,
            after,
            after - before < GLANCE_SECONDS,
            told.state,
            jack._ffi.cast("jack_position_t*", ctypes.addressof(told.position)),
        )

    def lates(self) -> list[int]:
        state, before = self._state, self._lates
        self._lates = state.lates
        count = min(_LATES, (self._lates - before) % 2**32)
        return [state.late[(self._lates - place) % _LATES] for place in range(count, 0, -1)]

    def close(self) -> None:
        self._running = False
        os.eventfd_write(self._signal, 1)


def compiled_relay(client: Any) -> CompiledRelay | None:
    """Have a client's periods relayed; it must not be active yet.

    Returns:
        ``None`` where no compiler was there, or the library's functions cannot be called by compiled code.
    """
    calls = _calls()
    if calls is None:
        return None
    relay = CompiledRelay(address(client), client.samplerate, calls)
    _set_callback(relay)
    return relay


@lru_cache(maxsize=1)
def _calls() -> list[int] | None:
    """Where JACK's functions are; ``None`` where they cannot be called by compiled code."""
    found = jack_library.library()
    if found is None or CYCLE is None:
        log.info("JACK's periods are worked on in Python: no compiler was there when Arpegon was installed")
        return None
    with contextlib.suppress(AttributeError):
        return [_address_of(call) for call in (*(getattr(found, name) for name in _CALLS), _CLOCK)]
    return None


def _address_of(call: Any) -> int:
    return int(ctypes.cast(call, _place).value or 0)


def _set_callback(relay: CompiledRelay) -> None:
    set_process = jack_library.function("jack_set_process_callback", _place, _place, _place)
    set_process(relay._state.client, ctypes.cast(CYCLE, _place), relay.address)
