"""One end of a socket between two of our processes: messages in both directions."""

from __future__ import annotations

import contextlib
import functools
import socket
import threading
from collections import deque
from typing import Any

import msgspec

from arpegon.engine.wire.framing import WireError, framed, read_frame


@functools.cache
def decoder(incoming: Any) -> msgspec.msgpack.Decoder[Any]:
    """What reads messages of a type (union). The first of a type takes some 20 ms; a process that stands by has it made
    before it is needed."""
    return msgspec.msgpack.Decoder(incoming)


class Wire:
    """One end of the socket: a writer in a thread of its own, which never holds up its caller, and a reader.

    Args:
        incoming: the type (union) of the messages that arrive here.
    """

    def __init__(self, sock: socket.socket, incoming: Any) -> None:
        self._sock = sock
        self._incoming = sock.makefile("rb")
        self._decoder = decoder(incoming)
        self._encoder = msgspec.msgpack.Encoder()
        self._outbox: deque[msgspec.Struct] = deque()
        self._ready = threading.Semaphore(0)
        self._closed = False
        self._writer = threading.Thread(target=self._write, name="wire-writer", daemon=True)
        self._writer.start()

    @property
    def waiting(self) -> int:
        """How many messages wait to be sent."""
        return len(self._outbox)

    def send(self, message: msgspec.Struct) -> None:
        """Send soon; nothing happens where the other end is gone."""
        self._outbox.append(message)
        self._ready.release()

    def receive(self) -> Any:
        """Wait for the next message; ``None`` when the other end is gone.

        Raises:
            WireError: what came is no message of the kind that is awaited. One that was whole may be followed by others
                that can be read; after one of an impossible length nothing can.
        """
        try:
            content = read_frame(self._incoming)
        except (OSError, ValueError):  # it was closed here or there
            return None
        if content is None:
            return None
        try:
            return self._decoder.decode(content)
        except (msgspec.DecodeError, UnicodeDecodeError) as error:
            raise WireError(str(error)) from None

    def close(self) -> None:
        """Send what waits, then close this end."""
        self._closed = True
        self._ready.release()
        self._writer.join(1.0)
        with contextlib.suppress(OSError):
            self._sock.shutdown(socket.SHUT_RDWR)
        self._sock.close()
        self._incoming.close()

    def _write(self) -> None:
        while True:
            self._ready.acquire()
            while self._outbox:
                content = self._encoder.encode(self._outbox.popleft())
                try:
                    self._sock.sendall(framed(content))
                except OSError:
                    return
            if self._closed:
                return
