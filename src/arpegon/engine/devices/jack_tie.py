"""The way between a transport of ours and JACK's, at our one client."""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Callable
from typing import Any

from arpegon.engine.clocks.jack_transport import ROLLING, JackTransport, Place

try:
    from jack import JackError
except (ImportError, OSError):  # this machine has no JACK library
    JackError = RuntimeError

log = logging.getLogger(__name__)

_UNASKED = 50
"""Periods after which it is sure that another program leads."""
_LEADS_NO_LONGER = (
    "Another program now gives JACK its bars and tempo. To take them back, set JACK's transport to “off” and then to "
    "“lead” again."
)
_BARS_ARE_SAID = 0x10
"""Of JACK's position: bar, beat and tempo are said."""


class JackTie:
    """Hands JACK's transport to ours, and moves it.

    Args:
        moment: when the last period began, in seconds, of how many frames it is, and how many a second has.
    """

    def __init__(self, moment: Callable[[], tuple[float, int, int]]) -> None:
        self._moment = moment
        self._client: Any = None
        self._transport: JackTransport | None = None
        self._mode, self._leads = "off", False
        self.said: Callable[[str], None] = lambda words: None
        """Takes a sentence for the musician; called from any thread."""
        self._unasked = 0
        """Periods in which JACK's transport rolled and nobody asked us for its bars, though we lead."""
        self._lost = False
        """True once the musician was told that another program leads."""

    def set_client(self, client: Any) -> None:
        """A server has us (``None``: no longer)."""
        self._client = client
        self._mode, self._leads = "off", False
        if client is not None:
            self._tell()

    def use(self, transport: JackTransport, mode: str) -> None:
        """Have a transport go along with JACK's: ``follow`` it, ``lead`` it, or not (``off``)."""
        self._transport, transport.mode = transport, mode
        if self._client is not None:
            self._tell()

    @property
    def on(self) -> bool:
        """Whether a transport goes along."""
        return self._transport is not None and self._transport.on

    def start_transport(self) -> None:
        if self._client is not None:
            self._client.transport_start()

    def stop_transport(self) -> None:
        if self._client is not None:
            self._client.transport_stop()

    def locate_transport(self, frame: int) -> None:
        if self._client is not None:
            self._client.transport_frame = frame

    def cycle(self, start: float, frames: int, rate: int, state: int, position: Any) -> None:
        """A period began, in which JACK's transport is in a state, and at a position."""
        if self._transport is not None and self.on:
            self._transport.cycle(state, _place(position), start, frames, rate)
            self._look_who_leads(state)

    def _look_who_leads(self, state: int) -> None:
        """Report that another program has become the one that JACK asks for its bars: it does not tell us so."""
        self._unasked = self._unasked + 1 if self._mode == "lead" and state == ROLLING else 0
        if self._unasked >= _UNASKED and not self._lost:
            self._lost = True
            self.said(_LEADS_NO_LONGER)

    def _tell(self) -> None:
        """Tell the server that we go along, and whether we say its bars."""
        transport, client = self._transport, self._client
        mode = transport.mode if transport is not None else "off"
        if mode == self._mode:
            return
        with contextlib.suppress(JackError):
            if "off" in (mode, self._mode):
                client.set_sync_callback(self._sync if mode != "off" else None)
            if mode == "lead":
                # One that was lost is taken back by force, as the musician asks for it again.
                self._leads = client.set_timebase_callback(self._say_bars, conditional=not self._lost)
                self._lost, self._unasked = False, 0
            elif self._leads:
                self._leads = False
                with contextlib.suppress(JackError):  # another program has it already
                    client.release_timebase()
            self._mode = mode

    def _sync(self, state: int, position: Any) -> bool:
        transport = self._transport
        if transport is None:
            return True
        began, frames, rate = self._moment()
        try:
            return transport.sync(state, _place(position), began + frames / rate, frames, rate)
        except Exception:
            log.exception("a fault in JACK's transport")
            return True

    def _say_bars(self, state: int, frames: int, position: Any, new: bool) -> None:
        self._unasked = 0
        if self._transport is not None:
            _, _, rate = self._moment()
            for name, value in self._transport.bar_of(position.frame, rate).items():
                setattr(position, name, value)
            position.valid = _BARS_ARE_SAID


def _place(position: Any) -> Place:
    """What JACK says of a place."""
    if not position.valid & _BARS_ARE_SAID or not position.ticks_per_beat or not position.beat_type:
        return Place(position.frame)
    unit = 4.0 / position.beat_type
    beats = (position.bar - 1) * position.beats_per_bar + position.beat - 1 + position.tick / position.ticks_per_beat
    return Place(position.frame, beats * unit, position.beats_per_minute * unit)
