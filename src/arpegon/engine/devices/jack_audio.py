"""Audio at our one JACK client: ``left`` and ``right``, a pair for each instrument that wants one, and inputs."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable, Mapping
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from arpegon.engine.devices.jack_ports import PERIODS_LATE
from arpegon.engine.devices.systems import Fill, InputBlock

try:
    from jack import JackError
except (ImportError, OSError):  # this machine has no JACK library
    JackError = RuntimeError

_SIDES = ("left", "right")
_BLOCK_FRAMES = 256
"""What comes in is handed on in blocks of at least so many frames, however short a period is."""

Array = NDArray[Any]


class Host(Protocol):
    """Whose ports they are."""

    generation: int
    """Which server we are with."""

    @property
    def lock(self) -> contextlib.AbstractContextManager[Any]:
        """Who joins, leaves or changes ports holds it."""

    @property
    def joined(self) -> bool:
        """Whether a server has us, as far as is known."""

    @property
    def there(self) -> bool:
        """Whether a server runs and has us."""

    @property
    def client(self) -> Any:
        """JACK's client; ``None`` where no server has us."""

    @property
    def rate(self) -> int:
        """Samples a second."""

    def ports(self, **flags: bool) -> list[str]:
        """The names of ports of others."""

    def let_cycles_pass(self) -> None:
        """Wait until no cycle is under way that knows of what was there before."""


class _Stream:
    def __init__(self, audio: JackAudio, host: Host, name: str) -> None:
        self._audio, self._host = audio, host
        self._generation = host.generation
        self.name = name

    @property
    def alive(self) -> bool:
        return self._host.generation == self._generation

    def close(self) -> None:
        if self.alive:
            self._audio.silence()


class _Listening:
    """The ports at which a device is heard."""

    def __init__(self, ports: list[Any]) -> None:
        self.ports = ports
        self.samples: list[Array] = []
        self.frames = 0
        self.start = 0.0


class JackAudio:
    """The audio device of a JACK server.

    Args:
        give: takes what was heard, in JACK's thread.
    """

    label = "JACK"

    def __init__(self, host: Host, give: Callable[[InputBlock], None] = lambda block: None) -> None:
        self._host = host
        self._give = give
        self._speakers: list[Any] = []
        self._pairs: dict[str, tuple[str, list[Any]]] = {}
        """Of instruments by id: what they are called, and their ports."""
        self._wanted_pairs: Mapping[str, str] = {}
        self._listening: dict[str, _Listening] = {}
        """By device."""
        self._targets: list[str] = []
        """What we connected the speakers to; what others connect is theirs."""
        self._fill: Fill | None = None
        self._dropped: Callable[[], None] = lambda: None

    # -- the server --------------------------------------------------------------------------------

    @property
    def there(self) -> bool:
        """Whether a server runs and has us."""
        return self._host.there

    def join(self, client: Any) -> None:
        """A server takes us."""
        self._speakers = [client.outports.register(side) for side in _SIDES]

    def leave(self) -> None:
        """The server has us no more."""
        self._speakers, self._targets, self._fill = [], [], None
        self._pairs, self._listening = {}, {}

    def late(self) -> None:
        """A client came too late."""
        self._dropped()

    # -- what sounds -------------------------------------------------------------------------------

    def open_stream(
        self, device: str, block: int, prepare: Callable[[int], Fill], dropped: Callable[[], None]
    ) -> _Stream | None:
        with self._host.lock:
            if not self._host.there:
                return None
            physical = [] if device else self._host.ports(is_audio=True, is_input=True, is_physical=True)
            ports = physical or self._host.ports(is_audio=True, is_input=True)
            name = device or (_client_of(ports[0]) if ports else "")
            targets = [port for port in ports if _client_of(port) == name]
            if device and not targets:
                return None
            self._connect_speakers(targets)
            self._dropped = dropped
            self._match_pairs()
            self._fill = prepare(self._host.rate)
            return _Stream(self, self._host, name or self.label)

    def _connect_speakers(self, targets: list[str]) -> None:
        """Connect to a device, once; whatever a patchbay makes of it afterwards stays."""
        if targets == self._targets:
            return
        client = self._host.client
        for speakers in (self._speakers, *(ports for _, ports in self._pairs.values())):
            _each(client.disconnect, speakers, self._targets)
            _each(client.connect, speakers, targets)
        self._targets = targets

    def set_pairs(self, pairs: Mapping[str, str]) -> None:
        with self._host.lock:
            self._wanted_pairs = dict(pairs)
            if self._host.joined and self._fill is not None:
                self._match_pairs()

    def _match_pairs(self) -> None:
        """Have the pairs that are wanted, under their names."""
        client, wanted = self._host.client, self._wanted_pairs
        pairs = dict(self._pairs)
        gone = [whose for whose, (name, _) in pairs.items() if wanted.get(whose) != name]
        for whose in gone:
            _, ports = pairs.pop(whose)
            self._pairs = dict(pairs)
            self._host.let_cycles_pass()
            _unregister(ports)
        for whose, name in wanted.items():
            if whose in pairs:
                continue
            ports = []
            try:
                for side in _SIDES:
                    ports.append(client.outports.register(f"{name} {side}".replace(":", " ")))
            except JackError:  # a name that is taken, or no port is left: it stays in the mix
                _unregister(ports)
                continue
            _each(client.connect, ports, self._targets)
            pairs[whose] = (name, ports)
            self._pairs = dict(pairs)

    def silence(self) -> None:
        """Play nothing more; the ports stay."""
        with self._host.lock:
            self._fill = None
            self._dropped = lambda: None

    def outputs(self) -> list[str]:
        return self._clients(is_input=True)

    def inputs(self) -> list[str]:
        return self._clients(is_output=True)

    def _clients(self, **flags: bool) -> list[str]:
        with self._host.lock:
            if not self._host.there:
                return []
            return list(dict.fromkeys(_client_of(port) for port in self._host.ports(is_audio=True, **flags)))

    # -- what is heard -----------------------------------------------------------------------------

    def listen(self, devices: Mapping[str, int]) -> set[str]:
        """Hear devices from now on (empty: the usual one), each by so many of its channels at most.

        Returns:
            Those that are there, and are heard.
        """
        with self._host.lock:
            if not self._host.there:
                return set()
            for device in [one for one in self._listening if one not in devices]:
                self._forget(device)
            for device, channels in devices.items():
                sources = self._sources(device)[:channels]
                known = self._listening.get(device)
                if known is not None and len(known.ports) == len(sources):
                    self._connect_sources(known.ports, sources)
                    continue
                if known is not None:
                    self._forget(device)
                if sources:
                    self._hear(device, sources)
            return set(self._listening)

    def _sources(self, device: str) -> list[str]:
        physical = [] if device else self._host.ports(is_audio=True, is_output=True, is_physical=True)
        ports = physical or self._host.ports(is_audio=True, is_output=True)
        name = device or (_client_of(ports[0]) if ports else "")
        return [port for port in ports if _client_of(port) == name]

    def _hear(self, device: str, sources: list[str]) -> None:
        ports: list[Any] = []
        name = (device or "audio").replace(":", " ")
        try:
            for place in range(len(sources)):
                ports.append(self._host.client.inports.register(f"{name} in {place + 1}"))
        except JackError:
            _unregister(ports)
            return
        self._connect_sources(ports, sources)
        self._listening = {**self._listening, device: _Listening(ports)}

    def _connect_sources(self, ports: list[Any], sources: list[str]) -> None:
        """Connect those that nobody is connected to: a patchbay may have chosen others."""
        for port, source in zip(ports, sources, strict=True):
            with contextlib.suppress(JackError):
                if not port.connections:
                    self._host.client.connect(source, port)

    def _forget(self, device: str) -> None:
        listening = dict(self._listening)
        gone = listening.pop(device)
        self._listening = listening
        self._host.let_cycles_pass()
        _unregister(gone.ports)

    # -- in JACK's thread --------------------------------------------------------------------------

    def cycle(self, frames: int, start: float, rate: int) -> None:
        """Hear the period that is over, and fill the one that begins at ``start``."""
        for device, heard in self._listening.items():
            if not heard.samples:
                heard.start = start - frames / rate
            heard.samples.append(np.stack([port.get_array() for port in heard.ports], axis=1))
            heard.frames += frames
            if heard.frames >= _BLOCK_FRAMES:
                self._give(InputBlock(device, np.concatenate(heard.samples), rate, heard.start))
                heard.samples, heard.frames = [], 0
        fill, pairs = self._fill, self._pairs
        apart = {whose: np.zeros((2, frames), dtype=np.float32) for whose in pairs}
        block = fill(frames, start, PERIODS_LATE * frames / rate, apart) if fill is not None else None
        _write(self._speakers, block)
        for whose, (_, ports) in pairs.items():
            _write(ports, apart[whose])


def _write(ports: Iterable[Any], block: Array | None) -> None:
    for place, port in enumerate(ports):
        port.get_array()[:] = 0.0 if block is None else block[place]


def _each(connect: Callable[[Any, str], None], ports: list[Any], others: list[str]) -> None:
    for port, other in zip(ports, others, strict=False):
        with contextlib.suppress(JackError):  # as it should be already, or just gone
            connect(port, other)


def _unregister(ports: Iterable[Any]) -> None:
    for port in ports:
        with contextlib.suppress(JackError):
            port.unregister()


def _client_of(port: str) -> str:
    return port.split(":", 1)[0]
