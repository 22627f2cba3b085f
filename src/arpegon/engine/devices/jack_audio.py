"""Audio at our one JACK client: ``left`` and ``right``, a pair for each instrument that wants one, and inputs."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable, Mapping
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from arpegon.engine.devices.jack_patches import Patches
from arpegon.engine.devices.jack_ports import PERIODS_LATE
from arpegon.engine.devices.relay import Relay, SampleFlow
from arpegon.engine.devices.steady import FRAME_NUMBERS, since
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
    patches: Patches
    """What our ports are connected to."""

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

    def __init__(self, ports: list[SampleFlow]) -> None:
        self.ports = ports
        self.samples: list[Array] = []
        self.frames = 0
        self.start = 0.0


class JackAudio:
    """The audio device of a JACK server.

    Args:
        give: takes what was heard, in the thread that works on periods.
    """

    label = "JACK"

    def __init__(self, host: Host, give: Callable[[InputBlock], None] = lambda block: None) -> None:
        self._host = host
        self._give = give
        self._relay: Relay | None = None
        self._speakers: list[SampleFlow] = []
        self._pairs: dict[str, tuple[str, list[SampleFlow]]] = {}
        """Of instruments by id: what they are called, and their ports."""
        self._wanted_pairs: Mapping[str, str] = {}
        self._listening: dict[str, _Listening] = {}
        """By device."""
        self._targets: list[str] = []
        """What we connected the speakers to; what others connect is theirs."""
        self._fill: Fill | None = None
        self._hushed = True
        self._filled: int | None = None
        """Up to which frame it was filled before, if ever."""
        self._dropped: Callable[[], None] = lambda: None

    # -- the server --------------------------------------------------------------------------------

    @property
    def there(self) -> bool:
        """Whether a server runs and has us."""
        return self._host.there

    def join(self, client: Any, relay: Relay) -> None:
        """A server takes us."""
        self._relay = relay
        self._speakers = [relay.add_samples(client.outports.register(side), out=True) for side in _SIDES]

    def leave(self) -> None:
        """The server has us no more."""
        self._speakers, self._targets, self._fill, self._relay = [], [], None, None
        self._pairs, self._listening = {}, {}

    def late(self, times: int) -> None:
        """A client came too late so many times, or we did."""
        for _ in range(times):
            self._dropped()

    @property
    def silent(self) -> bool:
        """Whether nothing sounds until something is played, and nobody listens."""
        return not self._listening and (self._fill is None or self._fill.silent)

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
            self._fill, self._filled = prepare(self._host.rate), None
            if self._relay is not None:
                self._relay.set_sounding(True)
            return _Stream(self, self._host, name or self.label)

    def _connect_speakers(self, targets: list[str]) -> None:
        """Connect to a device, once; whatever a patchbay makes of it afterwards stays."""
        if targets == self._targets:
            return
        client, before = self._host.client, self._targets
        for speakers in (self._speakers, *(ports for _, ports in self._pairs.values())):
            for port, other in zip(speakers, before, strict=False):
                with contextlib.suppress(JackError):  # whoever patched it otherwise, or took the device away
                    client.disconnect(port.jack, other)
            self._choose(speakers, targets, anew=bool(before))
        self._targets = targets

    def _choose(self, ports: list[SampleFlow], others: list[str], anew: bool = False) -> None:
        """Connect ports; those that the client before had otherwise (but where ``anew`` is asked for) stay so."""
        client, patches = self._host.client, self._host.patches
        for port, other in zip(ports, others, strict=False):
            name = port.jack.shortname
            if anew or not patches.settled(client, name):
                with contextlib.suppress(JackError):  # as it should be already, or just gone
                    sounding = port.jack.is_output
                    client.connect(*((port.jack, other) if sounding else (other, port.jack)))
            patches.settle(name)

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
            self._leave(ports)
        for whose, name in wanted.items():
            if whose in pairs:
                continue
            made = self._register(client.outports, [f"{name} {side}" for side in _SIDES], out=True)
            if not made:  # it stays in the mix
                continue
            self._choose(made, self._targets)
            pairs[whose] = (name, made)
            self._pairs = dict(pairs)

    def _register(self, ports: Any, names: list[str], out: bool) -> list[SampleFlow]:
        """Ports of ours; none where a name is taken, or no port is left."""
        made: list[Any] = []
        try:
            for name in names:
                made.append(ports.register(name.replace(":", " ")))
        except JackError:
            _unregister(made)
            return []
        relay = self._relay
        return [relay.add_samples(port, out) for port in made] if relay is not None else []

    def _leave(self, ports: list[SampleFlow]) -> None:
        """Give ports up, once no cycle knows of them."""
        if self._relay is not None:
            for port in ports:
                self._relay.remove(port)
            self._host.let_cycles_pass()
            _unregister([port.jack for port in ports])

    def silence(self) -> None:
        """Play nothing more; the ports stay."""
        with self._host.lock:
            self._fill = None
            self._dropped = lambda: None
            if self._relay is not None:
                self._relay.set_sounding(False)

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
        names = [f"{device or 'audio'} in {place + 1}" for place in range(len(sources))]
        ports = self._register(self._host.client.inports, names, out=False)
        if ports:
            self._connect_sources(ports, sources)
            self._listening = {**self._listening, device: _Listening(ports)}

    def _connect_sources(self, ports: list[SampleFlow], sources: list[str]) -> None:
        """Connect those that nobody is connected to: a patchbay may have chosen others."""
        for port, source in zip(ports, sources, strict=True):
            with contextlib.suppress(JackError):
                if not port.jack.connections:
                    self._choose([port], [source])

    def _forget(self, device: str) -> None:
        listening = dict(self._listening)
        gone = listening.pop(device)
        self._listening = listening
        self._leave(gone.ports)

    # -- a period ----------------------------------------------------------------------------------

    def cycle(self, frame: int, frames: int, start: float, in_time: bool) -> None:
        """Hear the period before the one that began with a frame, at ``start``; fill the one after it, where that is
        ``in_time``: else what is due goes into the next."""
        rate = self._host.rate
        for device, heard in self._listening.items():
            if not heard.samples:
                heard.start = start - frames / rate
            heard.samples.append(np.stack([port.heard(frame, frames) for port in heard.ports], axis=1))
            heard.frames += frames
            if heard.frames >= _BLOCK_FRAMES:
                self._give(InputBlock(device, np.concatenate(heard.samples), rate, heard.start))
                heard.samples, heard.frames = [], 0
        fill, pairs, speakers = self._fill, self._pairs, self._speakers
        after = (frame + frames) % FRAME_NUMBERS
        if fill is None or fill.silent:
            if not self._hushed:
                self._hushed = True
                if fill is not None:
                    fill.rest(0)
                for port in (*speakers, *(port for _, ports in pairs.values() for port in ports)):
                    port.hush()
        elif in_time:
            if self._hushed:
                self._hushed = False
                if self._filled is not None:
                    fill.rest(max(0, since(after, self._filled)))
            self._filled = (after + frames) % FRAME_NUMBERS
            apart = {whose: np.zeros((2, frames), dtype=np.float32) for whose in pairs}
            _fill(speakers, after, fill(frames, start + frames / rate, PERIODS_LATE * frames / rate, apart))
            for whose, (_, ports) in pairs.items():
                _fill(ports, after, apart[whose])


def _fill(ports: list[SampleFlow], frame: int, block: Array) -> None:
    for port, samples in zip(ports, block, strict=True):
        port.fill(frame, samples)


def _unregister(ports: Iterable[Any]) -> None:
    for port in ports:
        with contextlib.suppress(JackError):
            port.unregister()


def _client_of(port: str) -> str:
    return port.split(":", 1)[0]
