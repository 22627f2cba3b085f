"""The sound of a run: made of what instruments got, afterwards or while the run goes on.

``python -m arpegon.sounding`` is the process that makes it meanwhile: it reads what is known (:class:`Order`, and then
:class:`Known` until one of them is the last), each after its length, and writes the file. What it could not do it says
on standard output; where nothing more comes before the last, it leaves nothing.
"""

from __future__ import annotations

import contextlib
import signal
import subprocess
import sys
from collections.abc import Iterable, Iterator
from itertools import count
from pathlib import Path
from types import TracebackType
from typing import Any

import msgspec
from numpy.typing import NDArray

from arpegon.core.document.model import Project
from arpegon.core.errors import ArpegonError, FileError
from arpegon.core.events import Event
from arpegon.engine.offline import Result
from arpegon.engine.wire.framing import framed, read_frame
from arpegon.files.audio import write_audio
from arpegon.sound.mixer import Mixer

RATE = 48_000
_BLOCK = 1024
_TAIL_SECONDS = 3.0


class Order(msgspec.Struct, array_like=True):
    """What is to be made: the instruments of a document, to this file."""

    project: Project
    path: str
    frames: int
    """How many there will be, or more."""


class Known(msgspec.Struct, array_like=True):
    """What instruments get, in order, and the second up to which nothing more will come."""

    until: float
    sent: list[tuple[str, Event]]
    frames: int | None = None
    """How many frames there are in all: nothing more comes. What was told of ``until`` and later is replaced."""


class SoundCutOff(Exception):
    """Nothing more comes, and it was not the last."""


def audio_frames(seconds: float) -> int:
    """How many frames there are in all: three seconds more than the music, for what rings on."""
    return round((seconds + _TAIL_SECONDS) * RATE)


def all_known(result: Result) -> list[Known]:
    """What is known of a run that is over."""
    return [Known(0.0, result.instruments, audio_frames(result.seconds))]


def render_audio(project: Project, told: Iterable[Known], only: str | None = None) -> Iterator[NDArray[Any]]:
    """Play what instruments get on the project's instruments, or on ``only`` one of them.

    Yields:
        float32 of shape (2, n) at 48 kHz, block by block.

    Raises:
        Ended: there was less than the whole of it.
    """
    mixer = Mixer(RATE)
    mixer.set_instruments([one for one in project.instruments if only in (None, one.id)])
    more = iter(told)
    known = Known(0.0, [])
    waiting: list[tuple[str, Event]] = []
    for start in count(0, _BLOCK):
        end = start + _BLOCK
        while known.frames is None and known.until * RATE < end:
            known = next(more, None) or _ended()
            if known.frames is not None:
                waiting = [entry for entry in waiting if entry[1].time < known.until]
            waiting += [entry for entry in known.sent if only in (None, entry[0])]
            waiting.sort(key=lambda entry: entry[1].time)
        frames = known.frames
        if frames is not None and start >= frames:
            return
        place = 0
        while place < len(waiting) and waiting[place][1].time * RATE < end:
            place += 1
        due = [(round(event.time * RATE) - start, name, event) for name, event in waiting[:place]]
        del waiting[:place]
        yield mixer.render(_BLOCK, due)[:, : _BLOCK if frames is None else frames - start]


def _ended() -> Known:
    raise SoundCutOff


# -- beside the run ----------------------------------------------------------------------------------


class SoundAlong:
    """Has the sound of a run written while the run goes on, in a process of its own.

    Args:
        project: that runs.
        path: where to.
        frames: how many there will be, or more.
    """

    def __init__(self, project: Project, path: Path, frames: int) -> None:
        self._order = Order(msgspec.structs.replace(project, takes=()), str(path), frames)
        self._encode = msgspec.msgpack.Encoder().encode
        self._result = Result()
        self._told = 0
        """How many of its batches were told,"""
        self._until = 0.0
        """and up to when."""
        self._given_up = False

    def __enter__(self) -> SoundAlong:
        self._process = subprocess.Popen(
            [sys.executable, "-m", __name__], stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )
        self._tell(self._order)
        return self

    def __exit__(self, kind: type[BaseException] | None, error: object, trace: TracebackType | None) -> None:
        self.give_up()
        self._process.wait()
        if self._process.stdout is not None:
            self._process.stdout.close()

    def begin(self, result: Result) -> None:
        """The run begins."""
        self._result = result

    def advance(self, until: float) -> None:
        """All is known that happens before a moment."""
        batches = self._result.batches
        new = [(name, event) for name, events in batches[self._told :] for event in events]
        self._told, self._until = len(batches), until
        self._tell(Known(until, new))

    def end(self) -> None:
        """All is known; what was told of the end may have changed."""
        rest = [entry for entry in self._result.instruments if entry[1].time >= self._until]
        self._tell(Known(self._until, rest, audio_frames(self._result.seconds)))

    def give_up(self) -> None:
        """There will be no more."""
        if self._process.stdin is not None and not self._process.stdin.closed:
            with contextlib.suppress(OSError):
                self._process.stdin.close()

    def written(self) -> bool:
        """Wait for it; whether it was written (else the run began anew, and its sound is to be made afterwards).

        Raises:
            FileError: it could not be.
        """
        assert self._process.stdout is not None
        said = self._process.stdout.read().decode()
        ended = self._process.wait()
        if said:
            raise FileError(said)
        if ended not in (0, _GIVEN_UP):
            raise FileError(f"“{self._order.path}” could not be written: what makes the sound ended ({ended}).")
        return ended == 0

    def _tell(self, message: msgspec.Struct) -> None:
        coded = self._encode(message)
        stdin = self._process.stdin
        if stdin is None or stdin.closed:
            return
        with contextlib.suppress(OSError):  # it ended, and said why
            stdin.write(framed(coded))
            stdin.flush()


_GIVEN_UP = 3


def main() -> int:
    """Write what is told."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever tells us hears it, too, and then there is no more
    signal.signal(signal.SIGTERM, lambda number, frame: sys.exit(143))
    messages = iter(lambda: read_frame(sys.stdin.buffer) or b"", b"")
    order = msgspec.msgpack.Decoder(Order).decode(next(messages))
    decode = msgspec.msgpack.Decoder(Known).decode
    try:
        write_audio(Path(order.path), render_audio(order.project, map(decode, messages)), order.frames, RATE)
    except SoundCutOff:
        return _GIVEN_UP
    except ArpegonError as error:
        print(error, end="", flush=True)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
