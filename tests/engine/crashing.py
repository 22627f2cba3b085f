"""A process for tests of the supervisor: it does what its environment asks for."""

from __future__ import annotations

import os
import socket
import sys
import time

from arpegon.engine.wire import protocol
from arpegon.engine.wire.channel import Channel
from arpegon.engine.wire.spare import stand_by

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
    channel = Channel(sock, protocol.Command)
    channel.send(protocol.Notice("hello", str(os.getpid())))
    while (command := channel.receive()) is not None and not isinstance(command, protocol.Quit):
        channel.send(protocol.Notice("heard", type(command).__name__))
    channel.close()


if __name__ == "__main__":
    main()
