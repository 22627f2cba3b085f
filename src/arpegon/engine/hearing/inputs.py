"""Audio inputs: streams of samples for those who listen, each block with the time at which it began."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.time import studio
from arpegon.engine.devices.portaudio import find_device, library
from arpegon.engine.devices.steady import SteadyStart
from arpegon.engine.devices.systems import InputBlock
from arpegon.engine.hearing.ears import BLOCK_SECONDS

_JUMP_SECONDS = 0.1
_STALLED_SECONDS = 2.0
_SILENT_SECONDS = 3.0
"""A JACK client that leaves its streams behind sends nothing but zeros, which no sound card does."""
_LOOK_SECONDS = 5.0
_QUEUE_BLOCKS = 64

Array = NDArray[Any]


Hear = Callable[[InputBlock], None]


class AudioIn:
    """Keeps a stream open for every device that is wanted, and hands its blocks to ``hear`` in a thread of its own.

    A device that is missing or vanishes is said once and looked for every few seconds.

    Args:
        missing: called with the devices that cannot be heard, and why, whenever these are others.
        rescan: called when PortAudio must look for devices anew; it closes all streams and starts it again.
    """

    def __init__(self, hear: Hear, missing: Callable[[dict[str, str]], None], rescan: Callable[[], None]) -> None:
        self._hear = hear
        self._missing = missing
        self._said: dict[str, str] = {}
        self._rescan = rescan
        self._wanted: frozenset[str] = frozenset()
        self._streams: dict[str, Any] = {}
        self._last: dict[str, float] = {}
        self._sounded: dict[str, float] = {}
        """When each stream last brought anything but zeros."""
        self._failed: dict[str, str] = {}
        self._looked = 0.0
        self._blocks: deque[InputBlock] = deque(maxlen=_QUEUE_BLOCKS)
        self._ready = threading.Semaphore(0)

    def start(self) -> None:
        """Hand blocks out from now on."""
        threading.Thread(target=self._work, name="ears", daemon=True).start()

    def want(self, devices: Iterable[str]) -> bool:
        """The devices that are wanted from now on (empty: the default one); True where that changes anything."""
        wanted = frozenset(devices)
        changed, self._wanted = wanted != self._wanted, wanted
        return changed

    def close(self) -> None:
        """Close all streams; :meth:`keep` opens them again."""
        for device in list(self._streams):
            self._close(device)

    def keep(self) -> None:
        """Open what is wanted and not open, close what is not wanted; called by the keeper of the audio devices."""
        now = time.monotonic()
        for device in list(self._streams):
            if device not in self._wanted:
                self._close(device)
            elif now - self._last[device] > _STALLED_SECONDS:
                self._close(device)
                self._fail(device, "it no longer sends anything")
        for device in sorted(self._wanted - self._streams.keys()):
            if device in self._failed:
                continue
            try:
                self._open(device)
            except Exception as error:  # PortAudio's, a missing library's or an absent device's
                self._fail(device, str(error).splitlines()[0].split(" [")[0] or type(error).__name__)
        for device in self._failed.keys() - self._wanted:
            del self._failed[device]
            self._say(device, "")
        silent = [device for device in self._streams if device and now - self._sounded[device] > _SILENT_SECONDS]
        if (self._failed or silent) and now - self._looked > _LOOK_SECONDS:
            self._looked = now
            there = _inputs_elsewhere()
            for device in silent:
                if device not in there:
                    self._close(device)
                    self._fail(device, "it is gone")
            if any(device in there or (not device and there) for device in self._failed):
                self._failed.clear()
                self._rescan()

    def _fail(self, device: str, why: str) -> None:
        if device not in self._failed:
            self._looked = time.monotonic()
            name = f"The audio input “{device}”" if device else "The default audio input"
            self._say(device, f"{name} cannot be heard ({why}); it is taken up again when it is there.")
        self._failed[device] = why

    def _say(self, device: str, words: str) -> None:
        """Say why a device cannot be heard; nothing where it can."""
        before = dict(self._said)
        if words:
            self._said[device] = words
        else:
            self._said.pop(device, None)
        if self._said != before:
            self._missing(dict(self._said))

    def _open(self, device: str) -> None:
        sounddevice = library()
        number = find_device(sounddevice, device, "input")
        info = sounddevice.query_devices(number)
        rate = int(info["default_samplerate"]) or 48_000
        channels = max(1, min(int(info["max_input_channels"]), 32))
        block = max(1, round(BLOCK_SECONDS * rate))
        steady = SteadyStart(rate, _JUMP_SECONDS)
        done = 0

        def take(samples: Any, frames: int, *_: Any) -> None:
            nonlocal done
            now = self._last[device] = time.monotonic()
            if samples.any():
                self._sounded[device] = now
            start = steady.at(done, studio.now() - frames / rate)
            done += frames
            self._blocks.append(InputBlock(device, np.array(samples), rate, start))
            self._ready.release()

        self._last[device] = self._sounded[device] = time.monotonic() + 1.0
        stream = sounddevice.InputStream(
            samplerate=rate,
            blocksize=block,
            device=number,
            channels=channels,
            dtype="float32",
            latency="low",
            callback=take,
        )
        stream.start()
        self._streams[device] = stream
        self._failed.pop(device, None)
        self._say(device, "")

    def _close(self, device: str) -> None:
        stream = self._streams.pop(device)
        with contextlib.suppress(Exception):
            stream.abort()
            stream.close()

    def _work(self) -> None:
        while True:
            self._ready.acquire()
            while self._blocks:
                self._hear(self._blocks.popleft())


def _inputs_elsewhere() -> list[str]:
    """The audio inputs as a process of its own sees them: PortAudio looks for devices only when it starts."""
    code = "from arpegon.engine.devices.portaudio import PortAudio; print('\\n'.join(PortAudio().inputs()))"
    try:
        found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=10.0, check=False)
    except (OSError, subprocess.SubprocessError):
        return []
    return found.stdout.split("\n") if found.stdout.strip() else []
