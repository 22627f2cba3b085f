"""Audio devices over PortAudio: sound cards of ALSA, and a JACK server where we have no client of our own."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from arpegon.core.time import studio
from arpegon.engine.devices.jack_choice import no_other_client
from arpegon.engine.devices.steady import SteadyStart
from arpegon.engine.devices.systems import Fill

DEFAULT_RATE = 48_000
_JUMP_SECONDS = 0.25
_LATE_BLOCKS, _LATE_SECONDS = 1.5, 0.001
"""How much later than it was due something is played: callbacks come when they may."""


def library(anew: bool = False) -> Any:
    """The library, which looks for devices when it starts, and ``anew``. It leaves JACK to our own client.

    Raises:
        OSError: this machine has none.
    """
    starts = anew or "sounddevice" not in sys.modules
    with no_other_client() if starts else contextlib.nullcontext():
        import sounddevice

        if anew:
            sounddevice._terminate()
            sounddevice._initialize()
    return sounddevice


class _Stream:
    def __init__(self, stream: Any, name: str) -> None:
        self._stream = stream
        self.name = name
        self.alive = True

    def close(self) -> None:
        with contextlib.suppress(Exception):
            self._stream.abort()
            self._stream.close()


class PortAudio:
    """PortAudio's devices."""

    there = True

    def open_stream(
        self, device: str, block: int, prepare: Callable[[int], Fill], dropped: Callable[[], None]
    ) -> _Stream | None:
        sounddevice = library(anew=True)  # a card that came later is seen only then
        number = find_device(sounddevice, device, "output")
        info = sounddevice.query_devices(number, "output")
        rate = int(info["default_samplerate"]) or DEFAULT_RATE
        latency = _LATE_BLOCKS * block / rate + _LATE_SECONDS
        fill = prepare(rate)
        steady = SteadyStart(rate, _JUMP_SECONDS)
        done = 0

        def play(out: Any, frames: int, _: Any, status: Any) -> None:
            nonlocal done
            if status.output_underflow:
                dropped()
            samples = fill(frames, steady.at(done, studio.now()), latency, {})
            np.frombuffer(out, dtype=np.float32).reshape(frames, 2)[:] = samples.T
            done += frames

        stream = sounddevice.RawOutputStream(
            samplerate=rate,
            blocksize=block,
            device=number,
            channels=2,
            dtype="float32",
            latency="low",
            callback=play,
        )
        stream.start()
        return _Stream(stream, str(info["name"]))

    def set_pairs(self, pairs: Mapping[str, str]) -> None:
        """A sound card has one pair."""

    def outputs(self) -> list[str]:
        return _names("max_output_channels", 2)

    def inputs(self) -> list[str]:
        return _names("max_input_channels", 1)


def find_device(sounddevice: Any, name: str, kind: str) -> int:
    """The number of an input or output device by its name; of the default one where the name is empty.

    Where PortAudio names no default, the first device is taken.

    Args:
        sounddevice: the library.
        kind: "input" or "output".

    Raises:
        ValueError: it is not there.
    """
    channels = 1 if kind == "input" else 2
    devices = [
        (number, device)
        for number, device in enumerate(sounddevice.query_devices())
        if device[f"max_{kind}_channels"] >= channels
    ]
    for number, device in devices:
        if name and device["name"] == name:
            return number
    if name:
        raise ValueError("it is not there")
    default = int(sounddevice.default.device[0 if kind == "input" else 1])
    if default >= 0:
        return default
    if not devices:
        raise ValueError("there is none")
    return int(devices[0][0])


def _names(channels: str, min_channels: int) -> list[str]:
    try:
        return [str(device["name"]) for device in library().query_devices() if device[channels] >= min_channels]
    except Exception:  # no PortAudio library, or one that cannot start
        return []
