"""An engine for tests, whose loop hangs once it is told to silence everything."""

from __future__ import annotations

import sys
import threading

from arpegon.engine.live import commands, loop
from arpegon.engine.wire import protocol, spawning

spawning.LEAVE_SECONDS = 0.5


def hang(live, command, now):
    threading.Event().wait()


if __name__ == "__main__":
    commands.DO[protocol.AllOff] = hang
    loop.main(sys.argv[1:])
