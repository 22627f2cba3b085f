"""Audio out: each event sounds at its own time plus one constant latency."""

from __future__ import annotations

import contextlib
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.document.model import Instrument
from arpegon.core.events import Event
from arpegon.engine.audio.monitor import Monitored
from arpegon.engine.hearing.ears import BLOCK_SECONDS
from arpegon.sound import SOUNDS, kit
from arpegon.sound.mixer import Mixer

DEFAULT_RATE = 48_000
RETRY_SECONDS = (0.2, 0.4, 0.8, 1.6, 3.0)
"""Pauses between attempts to open a device; the last one is kept to. A sound server that has just lost its client (an
engine that died) needs a moment before it takes the next one."""
_SILENT_SECONDS = 0.03
"""The length of a block where nobody hears it: it only moves the meters."""
_DRIFT_SHARE = 0.02
"""How much of a deviation between sound card and clock is taken over at each block: enough to follow the
drift of a crystal, too little to let the jitter of one callback be heard."""

_REST_AFTER_SECONDS = 2.0
"""How long the stream goes on after the last instrument went, so that it can fade out."""
_KEPT_SECONDS = 0.5
"""How old an event may be that is still played when a device was opened: the first note opens it."""
_MONITOR_SECONDS = 2.0 * BLOCK_SECONDS
"""How much later than instruments audio is heard that comes in: the block that it waits for, and the way."""

Array = NDArray[Any]


class Renderer:
    """Turns timed events into blocks, for whoever asks for the next one.

    Monotonic seconds and samples are tied by a slow loop (after Adriaensen, "Using a DLL to filter time",
    2005, first order), so that the jitter of callbacks does not reach the notes.

    Args:
        rate: samples a second.
        block: samples that are asked for at a time.
        after: the renderer whose place this one takes; what waits there of late is not lost.
    """

    def __init__(self, rate: int, block: int, after: Renderer | None = None) -> None:
        self.rate = rate
        self.mixer = Mixer(rate)
        self.latency = 1.5 * block / rate + 0.001
        self.load = 0.0
        self.dropouts = 0
        self._queue: deque[tuple[str, Event]] = deque()
        self._pending: list[tuple[str, Event]] = []
        if after is not None:
            # The queue is one and the same: the engine may still put into the old one while the new one begins.
            self._queue = after._queue
            late = time.monotonic() - _KEPT_SECONDS
            self._pending = [entry for entry in after._pending if entry[1].time > late]
            while self._queue and self._queue[0][1].time <= late:
                self._queue.popleft()
        self._instruments: tuple[Instrument, ...] | None = None
        self._block_time: float | None = None
        self._monitors: dict[str, Monitored] = {}

    def monitor(self, whose: str, samples: Array, rate: int, start: float) -> None:
        """Take audio of shape (frames, channels) that is to be heard itself, and began at ``start`` seconds."""
        line = self._monitors.get(whose)
        if line is None or line.rate != rate:
            line = self._monitors[whose] = Monitored(rate)
        line.add(samples, start)

    def set_instruments(self, instruments: Iterable[Instrument]) -> None:
        """New settings, from the next block on."""
        self._instruments = tuple(instruments)

    def play(self, instrument: str, events: Sequence[Event]) -> None:
        """Take events at monotonic seconds."""
        self._queue.extend([(instrument, event) for event in events])

    def block(self, frames: int, now: float) -> Array:
        """The next block, asked for at monotonic ``now``; float32 of shape (2, frames)."""
        began = time.perf_counter()
        instruments, self._instruments = self._instruments, None
        if instruments is not None:
            self.mixer.set_instruments(instruments)
        start = self._start_of_block(frames, now)
        pending = self._pending
        while self._queue:
            pending.append(self._queue.popleft())
        due: list[tuple[int, str, Event]] = []
        later: list[tuple[str, Event]] = []
        for instrument, event in pending:
            offset = round((event.time + self.latency - start) * self.rate)
            if offset < frames:
                due.append((max(0, offset), instrument, event))
            else:
                later.append((instrument, event))
        self._pending = later
        due.sort(key=lambda entry: entry[0])
        out = self.mixer.render(frames, due)
        for line in list(self._monitors.values()):
            line.mix(out, start - self.latency - _MONITOR_SECONDS, self.rate)
        spent = (time.perf_counter() - began) * self.rate / frames
        self.load += 0.1 * (spent - self.load)
        return out

    def _start_of_block(self, frames: int, now: float) -> float:
        expected = self._block_time
        if expected is None or abs(now - expected) > 0.25:
            expected = now
        start = expected + _DRIFT_SHARE * (now - expected)
        self._block_time = start + frames / self.rate
        return start


class AudioOut:
    """The sound card, or a silent clock where there is none.

    It rests while a project has nothing that sounds: then the card is left to others, and costs nothing. A device
    that vanishes or cannot be opened is tried again every few seconds; meanwhile the same rendering runs against
    the clock, so that meters move and nothing piles up.

    Args:
        notice: called with a sentence when the device fails, and with an empty one when it is back.
    """

    def __init__(self, notice: Callable[[str], None]) -> None:
        self.name = ""
        self.renderer = Renderer(DEFAULT_RATE, 256)
        self._notice = notice
        self._said = ""
        self._device = ""
        self._block = 256
        self._stream: Any = None
        self._instruments: tuple[Instrument, ...] = ()
        self._prepared: set[int] = set()
        self._last_block = 0.0
        self._needed = False
        self._opening = threading.RLock()
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

    @contextlib.contextmanager
    def paused(self) -> Iterator[None]:
        """Hold the stream while something must not meet its callback (see :mod:`arpegon.engine.live.ports`)."""
        with self._opening:
            stream = self._stream
            if stream is None or stream.stopped:
                yield
                return
            self._last_block = time.monotonic() + 10.0
            stream.stop()
            try:
                yield
            finally:
                self._last_block = time.monotonic()
                stream.start()

    # -- the device --------------------------------------------------------------------------------

    def _keep(self) -> None:
        tried, attempts = 0.0, 0
        silent_since = needed_at = time.monotonic()
        while self._running:
            now = time.monotonic()
            if self._needed:
                needed_at = now
            elif self._stream is None or now - needed_at > _REST_AFTER_SECONDS:
                self._rest()
                self._wait(0.5)
                tried, attempts, silent_since = 0.0, 0, time.monotonic()
                continue
            stalled = self._stream is not None and now - self._last_block > 2.0
            pause = RETRY_SECONDS[min(attempts, len(RETRY_SECONDS) - 1)]
            if self._reopen or stalled or (self._stream is None and now - tried > pause):
                self._reopen = False
                with self._opening:
                    self._open()
                tried = silent_since = time.monotonic()
                attempts = 0 if self._stream is not None else attempts + 1
            if self._stream is not None:
                self._wait(0.5)
                continue
            frames = int(self.renderer.rate * _SILENT_SECONDS)
            if now - silent_since > 0.5:
                silent_since = now
            while silent_since <= now:
                self.renderer.block(frames, silent_since)
                silent_since += frames / self.renderer.rate
            self._wait(_SILENT_SECONDS)

    def _wait(self, seconds: float) -> None:
        self._wake.wait(seconds)
        self._wake.clear()

    def _rest(self) -> None:
        """Leave the device to others, and whatever was said of it unsaid."""
        if self._stream is not None:
            with self._opening:
                self._close_stream()
        self.name = ""
        self._say("")

    def _open(self) -> None:
        self._close_stream()
        try:
            import sounddevice

            # PortAudio lists its devices once: a card that came later is seen only after a new start of it.
            sounddevice._terminate()
            sounddevice._initialize()
            device = _find(sounddevice, self._device)
            info = sounddevice.query_devices(device, "output")
            rate = int(info["default_samplerate"]) or DEFAULT_RATE
            renderer = Renderer(rate, self._block, self.renderer)
            renderer.set_instruments(self._instruments)
            self._last_block = time.monotonic() + 1.0

            def fill(out: Any, frames: int, _: Any, status: Any) -> None:
                now = self._last_block = time.monotonic()
                if status.output_underflow:
                    renderer.dropouts += 1
                np.frombuffer(out, dtype=np.float32).reshape(frames, 2)[:] = renderer.block(frames, now).T

            stream = sounddevice.RawOutputStream(
                samplerate=rate,
                blocksize=self._block,
                device=device,
                channels=2,
                dtype="float32",
                latency="low",
                callback=fill,
            )
            stream.start()
        except Exception as error:  # PortAudio's, a missing library's or an absent device's: all mean silence
            self.name = ""
            wanted = f"The audio device “{self._device}”" if self._device else "The audio device"
            cause = "there is none" if _nothing_there(error) else str(error).splitlines()[0].split(" [")[0]
            self._say(f"{wanted} cannot be opened ({cause}): instruments are silent, all else goes on.")
            return
        renderer.latency = 1.5 * self._block / rate + 0.001
        self.renderer = renderer
        self._stream = stream
        self.name = f"{info['name']}"
        self._say("")

    def _say(self, text: str) -> None:
        if text != self._said:
            self._said = text
            self._notice(text)

    def _close_stream(self) -> None:
        stream, self._stream = self._stream, None
        if stream is not None:
            with contextlib.suppress(Exception):
                stream.abort()
                stream.close()


def _nothing_there(error: Exception) -> bool:
    text = str(error)
    return "-1" in text or "No default" in text or "device -" in text


def _find(sounddevice: Any, name: str) -> int:
    """The number of an output device by its name; of the default one where the name is empty.

    Where PortAudio names no default (a JACK server and no ALSA card), the first output device is taken.
    """
    devices = [
        (number, device)
        for number, device in enumerate(sounddevice.query_devices())
        if device["max_output_channels"] >= 2
    ]
    for number, device in devices:
        if name and device["name"] == name:
            return number
    if name:
        raise ValueError("it is not there")
    default = int(sounddevice.default.device[1])
    if default >= 0:
        return default
    if not devices:
        raise ValueError("No default device")
    return int(devices[0][0])


def list_outputs() -> list[str]:
    """The audio output devices that are there now."""
    try:
        import sounddevice

        return [str(device["name"]) for device in sounddevice.query_devices() if device["max_output_channels"] >= 2]
    except Exception:  # no PortAudio library, or one that cannot start
        return []
