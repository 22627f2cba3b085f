"""The voices of one instrument: which notes sound, and what its controllers say.

Envelopes are functions of the time since a note's own first sample: a note may begin and end anywhere in a
block, and the size of blocks is not heard.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arpegon.core.events import (
    ALL_NOTES_OFF,
    ALL_SOUND_OFF,
    BEND,
    CONTROL,
    NOTE_OFF,
    NOTE_ON,
    PRESSURE,
    SUSTAIN,
    Event,
)
from arpegon.sound import kernel
from arpegon.sound.plain import PlainRendering
from arpegon.sound.sounds import Sound
from arpegon.sound.state import FOREVER, VOICES, Controllers, Placed, Slots, VoiceRendering, octaves_of

_STEAL_SECONDS = 0.006
_BEND_SEMITONES = 2.0
_RESET = 121

Array = NDArray[Any]


class Voices:
    """Renders one sound: 32 voices, 16 channels of controllers.

    Args:
        sound: what to render.
        rate: samples a second.
    """

    def __init__(self, sound: Sound, rate: int) -> None:
        self.sound = sound
        self.rate = rate
        self.now = 0
        self._ratio, self._octaves = octaves_of(sound)
        self._amplitude = np.array([amplitude for _, amplitude, _ in sound.partials])
        self._decay = np.array([decay for _, _, decay in sound.partials])
        self._slots = Slots(sound)
        self._waiting: set[int] = set()
        self._controllers = Controllers(sound)
        self.sounding = 0
        """How many notes sound, tails included."""
        self.rendering: VoiceRendering
        if kernel.renders(sound):
            self.rendering = kernel.CompiledRendering(sound, rate, self._slots, self._controllers)
        else:
            self.rendering = PlainRendering(sound, rate, self._slots, self._controllers)

    # -- events ------------------------------------------------------------------------------------

    def handle(self, event: Event, offset: int) -> None:
        """Take an event that falls ``offset`` samples into the block to be rendered next."""
        kind, channel = event.status & 0xF0, event.status & 0x0F
        at, controllers = self.now + offset, self._controllers
        if kind == NOTE_ON:
            self._strike(channel, event.data1, event.data2, at)
        elif kind == NOTE_OFF:
            self._let_go(channel, event.data1, at)
        elif kind == CONTROL:
            self._control(channel, event.data1, event.data2, at)
        elif kind == BEND:
            controllers.bend[channel] = event.bend / 8192.0 * _BEND_SEMITONES
        elif kind == PRESSURE:
            controllers.pressure[channel] = event.data1 / 127.0
        if kind >= CONTROL:
            controllers.moving[channel] = True

    def release_all(self, offset: int = 0) -> None:
        """Let every note go (the instrument is being taken out)."""
        self._end(np.flatnonzero(self._slots.held()), self.now + offset)

    def _strike(self, channel: int, note: int, velocity: int, at: int) -> None:
        sound, slots = self.sound, self._slots
        self._end(np.flatnonzero(slots.held() & (slots.note == note) & (slots.channel == channel)), at)
        slot = self._free_slot(at)
        frequency = 440.0 * 2.0 ** ((note - 69) / 12.0)
        loudness = velocity / 127.0
        step = 2.0 * math.pi * frequency * self._ratio / self.rate
        shade = loudness ** (sound.tone * self._octaves)
        audible = np.clip(3.0 - step / math.pi * 3.2, 0.0, 1.0)
        key = (note - 60) / 12.0
        tame = 2.0 ** (-0.25 * max(0.0, key)) * 2.0 ** (-0.1 * max(0.0, -key))
        slots.level[slot] = sound.level * tame * loudness**sound.touch * self._amplitude * shade * audible
        decay = self._decay * 2.0 ** (-sound.key_decay * key)
        slots.fall[slot] = np.where(self._decay > 0, -1.0 / (np.maximum(decay, 0.01) * self.rate), 0.0)
        slots.phase[slot] = 0.0
        slots.step[slot] = step
        slots.note[slot], slots.channel[slot] = note, channel
        slots.start[slot], slots.end[slot] = at, FOREVER
        slots.fade[slot] = sound.release * self.rate
        if not slots.used[slot]:
            slots.used[slot] = True
            self.sounding += 1
        self._waiting.discard(slot)

    def _free_slot(self, at: int) -> int:
        slots = self._slots
        live = np.flatnonzero(slots.held())
        if len(live) >= VOICES:
            oldest = live[np.argmin(slots.start[live])]
            slots.end[oldest] = at
            slots.fade[oldest] = _STEAL_SECONDS * self.rate
            self._waiting.discard(int(oldest))
        free = np.flatnonzero(~slots.used)
        if len(free):
            return int(free[0])
        fading = np.flatnonzero(slots.end != FOREVER)
        return int(fading[np.argmin(slots.end[fading])])

    def _let_go(self, channel: int, note: int, at: int) -> None:
        slots = self._slots
        mine = np.flatnonzero(slots.held() & (slots.note == note) & (slots.channel == channel))
        if self._controllers.pedal[channel]:
            self._waiting.update(mine.tolist())
        else:
            self._end(mine, at)

    def _end(self, which: Array, at: int) -> None:
        """Let slots go."""
        self._slots.end[which] = np.maximum(at, self._slots.start[which])
        self._waiting.difference_update(which.tolist())

    def _control(self, channel: int, number: int, value: int, at: int) -> None:
        slots, controllers = self._slots, self._controllers
        controllers.values[channel, number] = value
        if number == SUSTAIN:
            controllers.pedal[channel] = value >= 64
            if value < 64 and self._waiting:
                waiting = [slot for slot in self._waiting if slots.channel[slot] == channel]
                self._end(np.array(waiting, dtype=np.int64), at)
        elif number == ALL_SOUND_OFF:
            mine = np.flatnonzero(slots.used & (slots.channel == channel))
            slots.end[mine] = np.maximum(np.minimum(slots.end[mine], at), slots.start[mine])
            slots.fade[mine] = _STEAL_SECONDS * self.rate
            self._waiting.difference_update(mine.tolist())
        elif number >= ALL_NOTES_OFF:
            self._end(np.flatnonzero(slots.held() & (slots.channel == channel)), at)
        elif number == _RESET:
            controllers.reset(channel, levels=False)
            self._control(channel, SUSTAIN, 0, at)

    # -- rendering ---------------------------------------------------------------------------------

    def prepare(self, frames: int, out: Placed, offset: int, ramp: Placed) -> None:
        """Let its rendering add the next ``frames`` samples to ``out``, from its sample ``offset`` on, turned up by a
        ramp, as soon as it is asked."""
        self.rendering.prepare(self.now, frames, out, offset, ramp)
        self.now += frames

    def rendered(self) -> float:
        """Take note of what came of it: how far it swings."""
        gone = self.rendering.over
        if len(gone):
            slots = self._slots
            slots.used[gone] = False
            self.sounding -= len(gone)
            slots.note[gone] = -1
            slots.end[gone] = FOREVER
            self._waiting.difference_update(gone.tolist())
        return self.rendering.swing

    def rest(self, frames: int) -> None:
        """Let ``frames`` samples pass in silence."""
        self.rendering.rest(self.now, frames)
        self.now += frames
