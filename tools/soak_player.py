"""The other side of a soak: a keyboard that plays at random and a synthesizer that writes down what it hears.

A program of its own, so that neither hears or plays late because the window is busy; and what it hears is taken
without Python in JACK's thread: a server that does not wait for its clients (see :mod:`tools.jack_server`) loses what
a late one has to hear.
It obeys lines on standard input: ``unplug``, ``plug``, ``rest`` (let all keys go, play no more), ``play``, and
``report`` with a :class:`~tools.soak_compare.Wanted` as JSON, which it answers with a
:class:`~tools.soak_compare.Report`. What was heard is compared with the memory on disk, here: in the window it would
count as memory that the window takes.
"""

from __future__ import annotations

import contextlib
import queue
import random
import sys
import threading
import time
from collections import deque

import jack
import msgspec
from tools.jack_devices import Keyboard
from tools.soak_compare import Report, Wanted, compare

from arpegon.engine.devices.compiled_relay import compiled_relay
from arpegon.engine.devices.plain_relay import PlainRelay

NAME = "Soak"
_GAP_SECONDS = (0.02, 0.3)
_LOOK_SECONDS = 0.003
_KNOWN = 256
"""Messages that are remembered: more than a period brings."""
_AHEAD_FRAMES = 1 << 30
"""Further than anything that has come."""


class Ear:
    """A MIDI input; what comes lies in a ring until it is asked for.

    The library calls a client that was late for a period twice in the next: what was heard at that frame is no news.
    """

    def __init__(self, name: str) -> None:
        self._client = jack.Client(name, no_start_server=True)
        port = self._client.midi_inports.register("in")
        self._relay = compiled_relay(self._client) or PlainRelay(self._client)
        self._messages = self._relay.add_messages(port, out=False)
        self._known: deque[tuple[int, bytes]] = deque(maxlen=_KNOWN)
        self._client.activate()

    def heard(self) -> list[bytes]:
        """What came since this was asked last."""
        news = []
        for heard in self._messages.pull((self._relay.frame + _AHEAD_FRAMES) % 2**32):
            if heard not in self._known:
                self._known.append(heard)
                news.append(heard[1])
        return news


class Player:
    """Both devices, over JACK."""

    def __init__(self, seed: int) -> None:
        self._draw = random.Random(seed)
        self._lock = threading.Lock()
        self._heard: list[tuple[float, int, int]] = []
        """Note ons: when, channel, note."""
        self._open: set[tuple[int, int]] = set()
        self._doubled = 0
        """Note ons that came while the note sounded: the server said one twice, or lost the end of the one before."""
        self._events = 0
        self._down: list[tuple[float, int]] = []
        self._keys: Keyboard | None = None
        self._synth = Ear(f"{NAME} synth")
        self.playing = True
        self.running = True
        self.plug()

    def listen(self) -> None:
        """Hear, until the end."""
        while self.running:
            for message in self._synth.heard():
                self._hear(message)
            time.sleep(_LOOK_SECONDS)

    def _hear(self, message: bytes) -> None:
        with self._lock:
            self._events += 1
            kind, channel = message[0] & 0xF0, message[0] & 0x0F
            key = (channel, message[1])
            if kind == 0x90 and message[2]:
                # Ons and offs of a note leave strictly in turn.
                if key in self._open:
                    self._doubled += 1
                else:
                    self._open.add(key)
                    self._heard.append((time.monotonic(), *key))
            elif kind in (0x80, 0x90):
                self._open.discard(key)
            elif kind == 0xB0 and message[1] in (120, 123):
                self._open = {key for key in self._open if key[0] != channel}

    def plug(self) -> None:
        """The keyboard is there."""
        if self._keys is None:
            self._keys = Keyboard(f"{NAME} keys")

    def unplug(self) -> None:
        """The keyboard is pulled out, with whatever was held on it."""
        keys, self._keys = self._keys, None
        self._down = []
        if keys is not None:
            keys.close()

    def _send(self, *message: int) -> None:
        if self._keys is not None:
            self._keys.send(message)

    def step(self) -> None:
        """Strike, let go or turn something."""
        now = time.monotonic()
        for until, note in [entry for entry in self._down if entry[0] <= now or not self.playing]:
            self._down.remove((until, note))
            self._send(0x80, note, 0)
        if not self.playing:
            return
        if self._draw.random() < 0.2:
            self._send(0xB0, self._draw.choice((1, 20, 21, 64)), self._draw.randrange(128))
            return
        note = self._draw.randrange(48, 84)
        if all(note != held for _, held in self._down):
            self._down.append((now + self._draw.uniform(0.01, 0.8), note))
            self._send(0x90, note, self._draw.randrange(1, 128))

    def report(self, wanted: Wanted) -> Report:
        """What was heard since the last report."""
        with self._lock:
            heard, self._heard = self._heard, []
            counts = self._events, sorted(self._open), self._doubled
        return Report(*counts, compare(heard, wanted))

    def obey(self, line: str) -> None:
        """Do what a line says."""
        word, _, rest = line.partition(" ")
        match word:
            case "report":
                report = self.report(msgspec.json.decode(rest, type=Wanted))
                print(msgspec.json.encode(report).decode(), flush=True)
            case "rest" | "play":
                self.playing = word == "play"
            case "plug":
                self.plug()
            case "unplug":
                self.unplug()
            case "end":
                self.running = False

    def pause(self) -> float:
        """Seconds to the next step."""
        return self._draw.uniform(*_GAP_SECONDS)


def main() -> None:
    """Play until standard input ends."""
    player = Player(int(sys.argv[1]))
    words: queue.SimpleQueue[str] = queue.SimpleQueue()

    def read() -> None:
        for line in sys.stdin:
            words.put(line.strip())
        words.put("end")

    threading.Thread(target=read, daemon=True).start()
    threading.Thread(target=player.listen, daemon=True).start()
    while player.running:
        player.step()
        until = time.monotonic() + player.pause()
        while player.running and (left := until - time.monotonic()) > 0:
            with contextlib.suppress(queue.Empty):
                player.obey(words.get(timeout=left))


if __name__ == "__main__":
    main()
