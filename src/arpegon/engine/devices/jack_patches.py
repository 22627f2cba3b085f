"""What our ports are connected to at a JACK server, by whomever: a client that is new is connected so again."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Iterable
from typing import Any

try:
    import jack
except (ImportError, OSError):  # this machine has no JACK library
    jack = None

Patch = tuple[str, str]
"""A port of ours, without the name of the client, and the whole name of one of others."""

_PATIENCE_SECONDS = 30.0
"""Programs that lost their server, too, are back by then; what comes later is a patchbay's to connect."""

_SURE_SECONDS = 2.0
"""What is no longer there for so long was taken away: a server that lets us go does so before it says it."""


class Patches:
    """Knows the connections of our ports while we are a client, and makes those again that the client before had.

    It is asked by whoever holds the lock of the client.

    Args:
        told: takes all connections and the ports that we connected by ourselves, whenever they are others.
    """

    def __init__(self, told: Callable[[list[Patch], list[str]], None]) -> None:
        self._told = told
        self._seen: dict[Patch, float] = {}
        """What there is, and when it was last there."""
        self._before: frozenset[Patch] = frozenset()
        """Those of the client before,"""
        self._lost: frozenset[Patch] = frozenset()
        """and of these the ones that were not made again yet."""
        self._settled: frozenset[str] = frozenset()
        """The ports that we connected by ourselves, once: what a patchbay made of it afterwards is wanted."""
        self.reconnected: set[str] = set()
        """The ports that were connected again, and of which nobody knows it yet."""
        self._patient_until = 0.0
        self._last_told: object = (frozenset(), frozenset())

    def remember(self, patches: Iterable[Patch], settled: Iterable[str]) -> None:
        """These had an engine that is gone."""
        self._before = self._lost = frozenset(patches)
        self._settled = frozenset(settled)
        self._last_told = self._lost, self._settled

    def join(self) -> None:
        """The client is new."""
        self._patient_until = time.monotonic() + _PATIENCE_SECONDS

    def leave(self) -> None:
        """The client is no more."""
        self._before = self._lost = self._lost | self._seen.keys()
        self._seen = {}

    def settle(self, name: str) -> None:
        """We connected a port by ourselves."""
        self._settled |= {name}

    def settled(self, client: Any, name: str) -> bool:
        """Whether a port is connected as it was on the client before, so that nothing else is chosen for it."""
        return name in self._settled and any(_is_there(client, other) for ours, other in self._before if ours == name)

    def look(self, client: Any) -> None:
        """Make again what can be made, and tell what there is."""
        ports = {port.shortname: port for port in _own_ports(client)}
        try:
            there = _connections(ports)
        except (jack.JackError, RuntimeError):  # one vanished meanwhile, which is told soon
            return
        self._lost -= there
        for ours, other in sorted(self._lost):
            if ours in ports:
                with contextlib.suppress(jack.JackError):  # the other one is not there, or only starts
                    ports[ours].connect(other)
                    there |= {(ours, other)}
                    self.reconnected.add(ours)
        now = time.monotonic()
        self._lost = self._lost - there if now < self._patient_until else frozenset()
        self._seen |= dict.fromkeys(there, now)
        self._seen = {patch: seen for patch, seen in self._seen.items() if now - seen < _SURE_SECONDS}
        known = self._lost | self._seen.keys(), self._settled
        if known != self._last_told:
            self._last_told = known
            self._told(sorted(known[0]), sorted(known[1]))


def _own_ports(client: Any) -> list[Any]:
    return [*client.inports, *client.outports, *client.midi_inports, *client.midi_outports]


def _connections(ports: dict[str, Any]) -> frozenset[Patch]:
    return frozenset((name, other.name) for name, port in ports.items() for other in port.connections)


def _is_there(client: Any, name: str) -> bool:
    with contextlib.suppress(jack.JackError, RuntimeError):
        return client.get_port_by_name(name) is not None
    return False
