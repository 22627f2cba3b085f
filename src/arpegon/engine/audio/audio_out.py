"""Audio out: keeps a device at work while anything is to sound."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from numpy.typing import NDArray

from arpegon.core.document.model import Instrument
from arpegon.core.events import Event
from arpegon.core.time import studio
from arpegon.engine.audio.renderer import Renderer
from arpegon.engine.devices.portaudio import DEFAULT_RATE
from arpegon.engine.devices.systems import AudioStream, AudioSystem, Fill
from arpegon.sound import SOUNDS, kit

RETRY_SECONDS = (0.2, 0.4, 0.8, 1.6, 3.0)
"""Pauses between attempts to open a device; the last one is kept to. A sound server that has just lost its client (an
engine that died) needs a moment before it takes the next one."""
_SILENT_SECONDS = 0.03
"""The length of a block where nobody hears it: it only moves the meters."""
_REST_AFTER_SECONDS = 2.0
"""How long the stream goes on after the last instrument went, so that it can fade out."""
_STALLED_SECONDS = 2.0

Array = NDArray[Any]


class AudioOut:
    """The sound card, or a silent clock where there is none.

    It rests while a project has nothing that sounds: then the card is left to others, and costs nothing. A device
    that vanishes or cannot be opened is tried again every few seconds; meanwhile the same rendering runs against
    the clock, so that meters move and nothing piles up.

    Args:
        notice: called with a sentence when the device fails, and with an empty one when it is back.
        systems: those that offer devices; the first that runs has the usual one.
    """

    def __init__(self, notice: Callable[[str], None], systems: Sequence[AudioSystem]) -> None:
        self.name = ""
        self.renderer = Renderer(DEFAULT_RATE)
        self.dropouts = 0
        """Blocks that came too late."""
        self._notice = notice
        self._systems = systems
        self._used: AudioSystem | None = None
        self._said = ""
        self._device = ""
        self._block = 256
        self._stream: AudioStream | None = None
        self._instruments: tuple[Instrument, ...] = ()
        self._prepared: set[int] = set()
        self._pairs: Mapping[str, str] = {}
        self._pairs_there: Mapping[str, str] = {}
        self._last_block = 0.0
        self._needed = False
        self._wake = threading.Event()
        self._reopen = True
        self._running = True
        self._thread = threading.Thread(target=self._keep, name="audio-keeper", daemon=True)

    def start(self) -> None:
        """Open the device, and keep it open."""
        self._thread.start()

    def set_device(self, device: str, block: int) -> None:
        """Use another device (empty: the default) or block size."""
        if (device, block) != (self._device, self._block):
            self._device, self._block = device, block
            self._reopen = True
            self._wake.set()

    @property
    def looked(self) -> bool:
        """Whether a device was opened, or could not be."""
        return bool(self.name or self._said)

    @property
    def rests(self) -> bool:
        """Whether nothing is to sound, so that no device is used."""
        return not self._needed and self._stream is None

    def need(self, needed: bool) -> None:
        """Say whether anything is to sound."""
        if needed != self._needed:
            self._needed = needed
            self._wake.set()

    def set_instruments(self, instruments: Iterable[Instrument]) -> None:
        """New settings of the instruments."""
        self._instruments = tuple(instruments)
        rate = self.renderer.rate
        if rate not in self._prepared and any(SOUNDS[one.sound].kit for one in self._instruments):
            self._prepared.add(rate)
            threading.Thread(target=kit.prepare, args=(rate,), name="kit", daemon=True).start()
        self.renderer.set_instruments(self._instruments)
        pairs = _pairs(self._instruments)
        if pairs != self._pairs:
            self._pairs = pairs
            self._wake.set()

    def devices(self) -> tuple[list[str], list[str]]:
        """The devices that can play, and those that can be heard, of the first system that runs."""
        system = next((one for one in self._systems if one.there), None)
        return (system.outputs(), system.inputs()) if system is not None else ([], [])

    def play(self, instrument: str, events: Sequence[Event]) -> None:
        """Sound events at their own time plus the latency."""
        if self._needed:
            self.renderer.play(instrument, events)

    def close(self) -> None:
        """Let what sounds end softly, then close the device."""
        self._running = False
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join(2.0)
        self._close_stream()

    # -- the device --------------------------------------------------------------------------------

    def _keep(self) -> None:
        tried, attempts = 0.0, 0
        silent_since, needed_at = studio.now(), time.monotonic()
        while self._running:
            now = time.monotonic()
            if self._needed:
                needed_at = now
            elif self._stream is None or now - needed_at > _REST_AFTER_SECONDS:
                self._rest()
                self._wait(0.5)
                tried, attempts, silent_since = 0.0, 0, studio.now()
                continue
            if self._pairs != self._pairs_there:
                self._pairs_there = self._pairs
                for system in self._systems:
                    system.set_pairs(self._pairs_there)
            pause = RETRY_SECONDS[min(attempts, len(RETRY_SECONDS) - 1)]
            if self._reopen or self._to_be_left(now) or (self._stream is None and now - tried > pause):
                self._reopen = False
                self._open()
                tried, silent_since = time.monotonic(), studio.now()
                attempts = 0 if self._stream is not None else attempts + 1
            if self._stream is not None:
                self._wait(0.5)
                continue
            frames = int(self.renderer.rate * _SILENT_SECONDS)
            sounding = studio.now()
            if sounding - silent_since > 0.5:
                silent_since = sounding
            while silent_since <= sounding:
                self.renderer.block(frames, silent_since, 0.0)
                silent_since += frames / self.renderer.rate
            self._wait(_SILENT_SECONDS)

    def _wait(self, seconds: float) -> None:
        self._wake.wait(seconds)
        self._wake.clear()

    def _rest(self) -> None:
        """Leave the device to others, and whatever was said of it unsaid."""
        self._close_stream()
        self.name = ""
        self._say("")

    def _to_be_left(self, now: float) -> bool:
        """Whether the device at work is gone, or another has become the usual one."""
        if self._stream is None:
            return False
        if not self._stream.alive or now - self._last_block > _STALLED_SECONDS:
            return True
        return not self._device and self._used is not next((one for one in self._systems if one.there), None)

    def _open(self) -> None:
        self._close_stream()

        def prepare(rate: int) -> Fill:
            renderer = Renderer(rate, self.renderer)
            renderer.set_instruments(self._instruments)
            self.renderer = renderer
            return _Filling(renderer, self._is_called)

        self._last_block = time.monotonic() + 1.0
        try:
            for system in self._systems:
                stream = system.open_stream(self._device, self._block, prepare, self._drop)
                if stream is not None:
                    self._stream, self._used, self.name = stream, system, stream.name
                    break
        except Exception as error:  # PortAudio's, a missing library's or an absent device's: all mean silence
            self.name = ""
            wanted = f"The audio device “{self._device}”" if self._device else "The audio device"
            cause = "there is none" if _nothing_there(error) else str(error).splitlines()[0].split(" [")[0]
            self._say(f"{wanted} cannot be opened ({cause}): instruments are silent, all else goes on.")
            return
        self._say("")

    def _drop(self) -> None:
        self.dropouts += 1

    def _is_called(self) -> None:
        self._last_block = time.monotonic()

    def _say(self, text: str) -> None:
        if text != self._said:
            self._said = text
            self._notice(text)

    def _close_stream(self) -> None:
        stream, self._stream = self._stream, None
        if stream is not None:
            stream.close()


class _Filling:
    """What a renderer makes, for a device.

    Args:
        called: told whenever the device asks for anything.
    """

    def __init__(self, renderer: Renderer, called: Callable[[], None]) -> None:
        self._renderer = renderer
        self._called = called
        self.rest = renderer.rest

    def __call__(self, frames: int, start: float, latency: float, apart: Mapping[str, NDArray[Any]]) -> NDArray[Any]:
        self._called()
        return self._renderer.block(frames, start, latency, apart)

    @property
    def silent(self) -> bool:
        self._called()
        return self._renderer.silent


def _nothing_there(error: Exception) -> bool:
    text = str(error)
    return "-1" in text or "No default" in text or "device -" in text


def _pairs(instruments: Iterable[Instrument]) -> dict[str, str]:
    """The instruments that want outputs of their own, and what these are called: names that stay while the others go.

    Of several with one sound, all but the one that was made first bear the number of their id.
    """
    names = {}
    for one in instruments:
        if not one.own_outputs:
            continue
        number = one.id.removeprefix(one.sound).lstrip("-")
        label = SOUNDS[one.sound].label
        names[one.id] = label if not number or not number.isdigit() else f"{label} {number}"
    return names
