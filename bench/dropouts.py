"""Complaints of a JACK server while the demo plays in the window, minute about with a bare client that does nothing;
and the drop-outs that the window counts: these complaints, and periods without the sound that they should have had.

    python -m bench.dropouts [MINUTES [PERIOD]]

Runs so many minutes of each, in turns, on one server. Not part of ``make bench``: it takes twice as many minutes.
"""

from __future__ import annotations

import sys
import time

import jack

from bench.whole import Program, studio

_SETTLE_SECONDS = 6.0
"""While a window opens, nothing is counted."""


class Bare:
    """A client of one callback that writes silence, and counts what the server complains of."""

    def __init__(self) -> None:
        self.client = jack.Client("Bare", no_start_server=True)
        self.out = self.client.outports.register("out")
        self.complaints = 0
        self.client.set_process_callback(self._process)
        self.client.set_xrun_callback(self._late)
        self.client.activate()

    def _process(self, frames: int) -> None:
        self.out.get_array()[:] = 0.0

    def _late(self, _: float) -> None:
        self.complaints += 1

    def during(self, seconds: float) -> int:
        """How many complaints there are in so many seconds."""
        before = self.complaints
        time.sleep(seconds)
        return self.complaints - before


def measure(minutes: int, period: int) -> tuple[list[int], list[int], list[int]]:
    """Complaints in each minute: with the demo, and of the bare client alone; and drop-outs of the demo."""
    demo, alone, dropouts = [], [], []
    with studio("arpegon-drops", period, realtime=True):
        bare = Bare()
        for _ in range(minutes):
            alone.append(bare.during(60.0))
            program = Program()
            program.wait_for("sounds")
            program.tell("play")
            time.sleep(_SETTLE_SECONDS)
            before = program.dropouts()
            demo.append(bare.during(60.0))
            dropouts.append(program.dropouts() - before)
            program.close()
    return demo, alone, dropouts


def main() -> None:
    """Measure and say."""
    numbers = [int(word) for word in sys.argv[1:]]
    demo, alone, dropouts = measure(*(numbers + [10, 256][len(numbers) :]))
    print(f"with the demo:  {sum(demo)} complaints, by minutes {demo}")
    print(f"the bare client: {sum(alone)} complaints, by minutes {alone}")
    print(f"drop-outs that the window counted: {sum(dropouts)}, by minutes {dropouts}")


if __name__ == "__main__":
    main()
