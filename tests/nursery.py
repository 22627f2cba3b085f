"""Engines for tests, forked from one that has imported all it needs: hundreds are started, and importing takes most of
the time of each. They are processes of their own as others are, with the same code and the same socket.

Run as a program it is where they are forked: it takes what to start over the socket whose file descriptor is its
argument.
"""

from __future__ import annotations

import contextlib
import gc
import importlib
import json
import os
import select
import signal
import socket
import subprocess
import sys
import threading
from pathlib import Path

from arpegon.engine.wire import protocol
from arpegon.engine.wire.spawning import ENGINE, spawn
from arpegon.engine.wire.wire import decoder

_LENGTH = 1 << 20


class Forked:
    """A process as :class:`subprocess.Popen` shows it; whoever forked it tells of its end through a pipe."""

    def __init__(self, told):
        self._told = told
        self._lock = threading.Lock()
        self.returncode = None
        self.pid = int(self._line())

    def _line(self):
        found = b""
        while not found.endswith(b"\n"):
            found += os.read(self._told, 1) or b"-9\n"
        return found

    def poll(self):
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.wait(0.0)
        return self.returncode

    def wait(self, timeout=None):
        with self._lock:
            if self.returncode is None:
                if not select.select([self._told], [], [], timeout)[0]:
                    raise subprocess.TimeoutExpired("forked", timeout)
                self.returncode = int(self._line())
                os.close(self._told)
        return self.returncode

    def send_signal(self, number):
        if self.poll() is None:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self.pid, number)

    def kill(self):
        self.send_signal(signal.SIGKILL)

    def terminate(self):
        self.send_signal(signal.SIGTERM)


class Nursery:
    """Forks engines; what else is to be started, is started as ever."""

    def __init__(self):
        self._lock = threading.Lock()
        self._process = None

    def _begin(self):
        self._ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self._process = subprocess.Popen(
            [sys.executable, __file__, str(theirs.fileno())],
            pass_fds=[theirs.fileno()],
            env={**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"},
        )
        theirs.close()

    def spawn(self, module, errors, apart):
        """As :func:`arpegon.engine.wire.spawning.spawn`."""
        if module != ENGINE:
            return spawn(module, errors, apart)
        ours, theirs = socket.socketpair()
        told, telling = os.pipe()
        nowhere = os.open(os.devnull, os.O_WRONLY)
        into = nowhere if errors == subprocess.DEVNULL else errors.fileno()
        with self._lock:
            if self._process is None:
                self._begin()
            place = json.dumps([dict(os.environ), os.getcwd()]).encode()
            socket.send_fds(self._ours, [place], [theirs.fileno(), telling, into])
        for number in (telling, nowhere):
            os.close(number)
        theirs.close()
        return Forked(told), ours

    def close(self):
        if self._process is not None:
            self._ours.close()
            self._process.wait()


def _serve(sock):
    importlib.import_module(ENGINE)
    decoder(protocol.EngineCommand)
    gc.collect()
    gc.freeze()
    woken, waking = os.pipe()
    os.set_blocking(waking, False)
    signal.set_wakeup_fd(waking)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    telling = {}
    while True:
        ready = select.select([sock, woken], [], [])[0]
        if woken in ready:
            os.read(woken, 1024)
        with contextlib.suppress(ChildProcessError):
            while (ended := os.waitpid(-1, os.WNOHANG))[0]:
                to = telling.pop(ended[0])
                os.write(to, b"%d\n" % os.waitstatus_to_exitcode(ended[1]))
                os.close(to)
        if sock in ready:
            message, files, _, _ = socket.recv_fds(sock, _LENGTH, 3)
            if not message:
                return
            pid = os.fork()
            if not pid:
                sock.close()
                _become(files, *json.loads(message))
            os.write(files[1], b"%d\n" % pid)
            telling[pid] = files[1]
            os.close(files[0])
            os.close(files[2])


def _become(files, environment, folder):
    """Be an engine: never returns."""
    try:
        signal.set_wakeup_fd(-1)
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        os.setsid()
        os.environ.clear()
        os.environ.update(environment)
        os.chdir(folder)
        os.dup2(files[2], 2)
        nothing = os.open(os.devnull, os.O_RDWR)
        os.dup2(nothing, 0)
        os.dup2(nothing, 1)
        os.close(files[1])
        os.close(files[2])
        sys.modules[ENGINE].main([str(files[0])])
    except BaseException:
        sys.excepthook(*sys.exc_info())
        os._exit(1)
    os._exit(0)


if __name__ == "__main__":
    sys.path[0] = str(Path(__file__).parent)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _serve(socket.socket(fileno=int(sys.argv[1])))
