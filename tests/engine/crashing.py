"""A process for tests of the supervisor: it does what its environment asks for."""

from __future__ import annotations

import os
import socket
import sys
import time

from arpegon.engine.wire import protocol
from arpegon.engine.wire.spare import stand_by
from arpegon.engine.wire.wire import Wire

HOW = os.environ.get("ARPEGON_TEST_CRASH", "")


def main() -> None:
    sock = socket.socket(fileno=int(sys.argv[1]))
    if HOW == "spare" and not stand_by(sock):
        return
    if HOW == "at once":
        raise RuntimeError("the harbour is closed")
    if HOW == "junk":
        sock.sendall(b"\x05\x00\x00\x00\xff\xff\xff\xff\xff")
        time.sleep(60)
    if HOW == "endless":
        sock.sendall(b"\xff\xff\xff\xff")
        time.sleep(60)
    wire = Wire(sock, protocol.EngineCommand)
    wire.send(protocol.Notice("hello", str(os.getpid())))
    while (command := wire.receive()) is not None and not isinstance(command, protocol.Quit):
        wire.send(protocol.Notice("heard", type(command).__name__))
    wire.close()


if __name__ == "__main__":
    main()
