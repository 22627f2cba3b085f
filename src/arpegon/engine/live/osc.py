"""Control from elsewhere over OSC: a tablet as a play surface and a mixer, a script that turns and asks.

What can be sent is declared in :data:`COMMANDS`; docs/osc.md is made of it. Everything is heard by one thread of the
client's side (the window, or the engine without one); what it asks for goes to the engine like any other command.
"""

from __future__ import annotations

import ipaddress
import logging
import math
import socket
import threading
import time
from collections.abc import Callable
from typing import Any

import msgspec
from pythonosc.osc_message import OscMessage
from pythonosc.osc_message_builder import OscMessageBuilder
from pythonosc.osc_packet import OscPacket, ParseError

from arpegon.core.document.edits import part_ids
from arpegon.core.document.hookup_values import steps_of, value_at
from arpegon.core.document.model import Hookup, Project
from arpegon.core.errors import ArpegonError
from arpegon.core.events import Event, bend, control, note_off, note_on, pressure
from arpegon.core.processing.parameters import Number, Param, Switch
from arpegon.core.time import studio
from arpegon.engine.live.values_now import ValuesNow
from arpegon.engine.wire import protocol
from arpegon.processors.actions import ACTIONS, actions_on
from arpegon.processors.targets import PROJECT_PARAMS, Target, param_at, params_of, part_names

log = logging.getLogger(__name__)

ROOT = "/arpegon"
PIECE = "piece"
"""How the project as a whole is called in addresses."""
DEFAULT_PORT = 9123
FLOOD_LIMIT = 2000
"""Messages a second; more are left out."""
_LONGEST = 65_536
_SET_SECONDS = 0.01
"""Shortest time between two values for one address: setting one takes up to a millisecond of the loop."""
_QUIET_SECONDS = 1.0
"""How seldom the log says the same kind of thing."""
_WATCHED = 512
"""Addresses that one listener may watch."""

Sender = tuple[str, int]
Arguments = list[Any]


class Refused(ArpegonError):
    """A message that asks for what cannot be."""


class OscCommand(msgspec.Struct, frozen=True):
    """Something that can be sent: its address, with the parts that stand for others in angle brackets; its arguments;
    what it does."""

    address: str
    arguments: str
    help: str


COMMANDS = (
    OscCommand("/set/<id>/<parameter>", "a value", "Sets an address to a value, as files write it."),
    OscCommand("/share/<id>/<parameter>", "0 … 1", "Sets an address to a share of its whole range, as a fader does."),
    OscCommand("/get/<id>/<parameter>", "", "Answers with `/arpegon/value/<id>/<parameter>`, the value and its share."),
    OscCommand("/watch/<id>/<parameter>", "", "The same, and again whenever it changes, until `/unwatch`."),
    OscCommand("/unwatch/<id>/<parameter>", "", "No longer."),
    OscCommand("/do/<action>", "a number, or nothing", "Does what a hookup can do. 0 is a button that is let go."),
    OscCommand("/do/<action>/<id>", "a number, or nothing", "The same with a part of the project."),
    OscCommand("/play/note", "note, velocity, channel (1)", "Plays a key of the play surface; velocity 0 lets go."),
    OscCommand("/play/control", "number, value, channel (1)", "Moves a controller of the play surface."),
    OscCommand("/play/bend", "-1 … 1, channel (1)", "Bends."),
    OscCommand("/play/pressure", "0 … 127, channel (1)", "Presses."),
    OscCommand("/list", "", "Answers with `/arpegon/address` for everything that can be set, then `/arpegon/end`."),
)


class OscServer:
    """Hears OSC and asks the engine; tells watchers of values.

    Args:
        send: sends a command to the engine.
        window: does an action that only a window can do; ``None``: there is none.
        port: on which UDP port it hears; 0: any that is free.
        anywhere: whether other computers of the local network are heard, too.

    Raises:
        ArpegonError: the port cannot be had.
    """

    def __init__(
        self,
        send: Callable[[protocol.EngineCommand], None],
        window: Callable[[str, str], None] | None = None,
        port: int = DEFAULT_PORT,
        anywhere: bool = False,
    ) -> None:
        self._send = send
        self._window = window
        self._anywhere = anywhere
        self._values = ValuesNow()
        self._set_at: dict[Target, float] = {}
        """The time of the last value sent, by address,"""
        self._waiting: dict[Target, Any] = {}
        """and the newest one of each that is to be sent."""
        self._watchers: dict[Target, dict[Sender, object]] = {}
        self._lock = threading.Lock()
        self._said: dict[str, float] = {}
        self._second, self._count, self._left_out = 0, 0, 0
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        try:
            self._socket.bind(("" if anywhere else "127.0.0.1", port))
        except (OSError, OverflowError) as error:
            self._socket.close()
            reason = getattr(error, "strerror", None) or error
            raise ArpegonError(f"OSC cannot be heard on port {port}: {reason}. Choose another port.") from error
        self.port: int = self._socket.getsockname()[1]
        self._running = True
        self._thread = threading.Thread(target=self._listen, name="osc", daemon=True)
        self._thread.start()
        log.info("hearing OSC on port %d, %s", self.port, "from the local network" if anywhere else "from here only")

    def close(self) -> None:
        """Hear nothing more."""
        self._running = False
        try:
            with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as waker:
                waker.sendto(b"", ("127.0.0.1", self.port))
        except OSError:
            log.debug("the OSC socket was gone")
        self._thread.join(2.0)
        self._socket.close()

    # -- what is told ------------------------------------------------------------------------------

    def use(self, project: Project) -> None:
        """The document is another."""
        with self._lock:
            self._values.use(project)
        self._tell_watchers()

    def take(self, report: protocol.EngineReport) -> None:
        """Take in what the engine says: what hookups and sections have set is told to who watches it."""
        with self._lock:
            others = self._values.take(report)
        if others:
            self._tell_watchers()

    def _tell_watchers(self) -> None:
        with self._lock:
            told = []
            for target, watchers in self._watchers.items():
                value = self._values.of(target)
                for sender, before in watchers.items():
                    if value != before:
                        watchers[sender] = value
                        told.append((sender, target, value))
        for sender, target, value in told:
            self._tell(sender, target, value)

    def _tell(self, sender: Sender, target: Target, value: Any) -> None:
        param = param_at(self._values.project, target)
        if param is None:
            self._answer(sender, f"/gone/{_path(target)}")
        else:
            self._answer(sender, f"/value/{_path(target)}", *_written(value), _share(param, value))

    # -- what is heard -----------------------------------------------------------------------------

    def _listen(self) -> None:
        while self._running:
            self._send_waiting()
            self._socket.settimeout(_SET_SECONDS if self._waiting else None)
            try:
                data, sender = self._socket.recvfrom(_LONGEST)
            except OSError:  # nothing came in time; a listener that is gone is said here, too
                continue
            if not self._running:
                return
            try:
                self.receive(data, sender)
            except Exception:  # whatever a message met with: others are heard
                log.exception("a fault in an OSC message")

    def receive(self, data: bytes, sender: Sender) -> None:
        """Take one packet, from whom it comes."""
        if not self._hears(sender):
            self._say("stranger", "OSC from %s was refused: it is not of the local network.", sender[0])
            return
        try:
            messages = [timed.message for timed in OscPacket(data).messages]
        except (ParseError, ValueError, IndexError, OverflowError) as error:
            self._say("junk", "an OSC packet of %d bytes could not be read: %s", len(data), error)
            return
        for message in messages:
            if self._floods():
                continue
            try:
                self._do(message, sender)
            except Refused as error:
                self._say("refused", "an OSC message was refused: %s", error)
                self._answer(sender, "/refused", str(error))

    def _hears(self, sender: Sender) -> bool:
        address = ipaddress.ip_address(sender[0])
        return address.is_loopback or (self._anywhere and address.is_private)

    def _floods(self) -> bool:
        second = int(time.monotonic())
        if second != self._second:
            if self._left_out:
                log.warning("%d OSC messages were left out: there were too many at once", self._left_out)
            self._second, self._count, self._left_out = second, 0, 0
        self._count += 1
        if self._count <= FLOOD_LIMIT:
            return False
        self._left_out += 1
        return True

    def _say(self, kind: str, text: str, *values: object) -> None:
        """Write a kind of thing to the log, not too often."""
        now = time.monotonic()
        if now - self._said.get(kind, -_QUIET_SECONDS) >= _QUIET_SECONDS:
            self._said[kind] = now
            log.warning(text, *values)

    def _answer(self, sender: Sender, address: str, *values: object) -> None:
        builder = OscMessageBuilder(ROOT + address)
        for value in values:
            builder.add_arg(value)  # type: ignore[arg-type]
        try:
            self._socket.sendto(builder.build().dgram, sender)
        except OSError as error:
            self._say("deaf", "an OSC answer could not be sent: %s", error)

    # -- doing it ----------------------------------------------------------------------------------

    def _do(self, message: OscMessage, sender: Sender) -> None:
        if not message.address.startswith(f"{ROOT}/"):
            raise Refused(f"“{message.address[:80]}” does not begin with {ROOT}/.")
        word, *rest = message.address.removeprefix(f"{ROOT}/").split("/")
        arguments: Arguments = list(message.params)
        if word in ("play", "do"):
            self._send_waiting(all_of_them=True)
        if word == "play" and len(rest) == 1:
            self._play(rest[0], arguments)
        elif word == "do" and 1 <= len(rest) <= 2:
            self._act(rest[0], rest[1] if len(rest) == 2 else "", arguments)
        elif word == "list" and not rest:
            self._list(sender)
        elif word in ("set", "share", "get", "watch", "unwatch") and len(rest) == 2:
            self._address(word, ("" if rest[0] == PIECE else rest[0], rest[1]), arguments, sender)
        else:
            raise Refused(f"There is nothing at “{message.address[:80]}”; {ROOT}/list says what can be set.")

    def _address(self, word: str, target: Target, arguments: Arguments, sender: Sender) -> None:
        param = param_at(self._values.project, target)
        if word == "unwatch":
            with self._lock:
                self._watchers.get(target, {}).pop(sender, None)
            return
        if param is None:
            raise Refused(f"Nothing can be set at “{_path(target)}”.")
        if word in ("set", "share"):
            value = self._read(param, word, arguments)
            self._set(target, value)
            with self._lock:
                self._values.turn(target, value)
            self._tell_watchers()
            return
        with self._lock:
            value = self._values.of(target)
            if word == "watch":
                if sum(sender in watchers for watchers in self._watchers.values()) >= _WATCHED:
                    raise Refused(f"No more than {_WATCHED} addresses are watched by one.")
                self._watchers.setdefault(target, {})[sender] = value
        self._tell(sender, target, value)

    def _set(self, target: Target, value: Any) -> None:
        """Send a value now, or in place of one that waits: a fader that sends 1,500 a second holds up no note."""
        now = time.monotonic()
        with self._lock:
            if target not in self._waiting and now - self._set_at.get(target, -math.inf) >= _SET_SECONDS:
                self._set_at[target] = now
                self._send(protocol.Turn(*target, value))
            else:
                self._waiting[target] = value

    def _send_waiting(self, all_of_them: bool = False) -> None:
        """Send the newest value of each address that has waited long enough."""
        now = time.monotonic()
        with self._lock:
            due = [one for one in self._waiting if all_of_them or now - self._set_at[one] >= _SET_SECONDS]
            for target in due:
                self._set_at[target] = now
                self._send(protocol.Turn(*target, self._waiting.pop(target)))

    @staticmethod
    def _read(param: Param, word: str, arguments: Arguments) -> Any:
        """The value that arguments mean, in the normal form of the parameter."""
        if len(arguments) != 1:
            raise Refused(f"{param.label} takes one value, not {len(arguments)}.")
        given = arguments[0]
        if word == "share":
            if not _is_finite(given) or not 0.0 <= given <= 1.0:
                raise Refused(f"A share of {param.label} is a number from 0 to 1.")
            return value_at(param, float(given), Hookup(id=""))
        if isinstance(param, Switch) and given in (0, 1):
            given = bool(given)
        elif isinstance(given, float) and given.is_integer() and isinstance(param, Number) and param.whole:
            given = int(given)
        try:
            return param.check(given)
        except ArpegonError as error:
            raise Refused(str(error)) from error

    def _act(self, name: str, target: str, arguments: Arguments) -> None:
        action = ACTIONS.get(name)
        if action is None:
            raise Refused(f"There is no action “{name[:40]}”.")
        if name not in actions_on(self._values.project, target):
            where = f" with “{target}”" if target else " with nothing"
            raise Refused(f"“{action.label}” cannot be done{where}.")
        number = arguments[0] if arguments else None
        if number is not None and not _is_finite(number):
            raise Refused(f"“{action.label}” takes a number.")
        if number == 0:
            return  # a button is let go
        if action.window:
            if self._window is None:
                raise Refused(f"“{action.label}” needs the window.")
            self._window(name, target)
        else:
            self._send(protocol.Act(name, target, float(number) if action.value and number is not None else None))

    def _play(self, kind: str, arguments: Arguments) -> None:
        numbers = [one for one in arguments if _is_finite(one)]
        wanted = {"note": 2, "control": 2, "bend": 1, "pressure": 1}.get(kind)
        if wanted is None:
            raise Refused(f"“{kind[:40]}” cannot be played.")
        if len(numbers) != len(arguments) or not wanted <= len(numbers) <= wanted + 1:
            raise Refused(f"{ROOT}/play/{kind} takes {wanted} or {wanted + 1} numbers.")
        channel = round(numbers[wanted]) - 1 if len(numbers) > wanted else 0
        if not 0 <= channel <= 15:
            raise Refused("Channels run from 1 to 16.")
        self._send(protocol.Feed("surface", [_event(kind, numbers, channel)]))

    def _list(self, sender: Sender) -> None:
        project = self._values.project
        names = [
            *(strand.id for strand in project.strands),
            *(instrument.id for instrument in project.instruments),
            *(section.id for section in project.sections),
        ]
        for target in ("", *names, *part_ids(project)):
            params = params_of(project, target) if target else PROJECT_PARAMS
            for param in (*params, *part_names(project, target)):
                found = param_at(project, (target, param))
                if found is not None:
                    self._answer(sender, "/address", _path((target, param)), found.label, found.range_text)
        self._answer(sender, "/end")


def _is_finite(value: object) -> bool:
    """True for a number other than NaN and infinity."""
    return isinstance(value, (int, float)) and not isinstance(value, bool) and math.isfinite(value)


def _event(kind: str, numbers: list[float], channel: int) -> Event:
    now = studio.now()
    first, second = (round(number) for number in (numbers[0], numbers[1] if len(numbers) > 1 else 0))
    low, high = (-1, 1) if kind == "bend" else (0, 127)
    if not low <= numbers[0] <= high or (kind in ("note", "control") and not 0 <= second <= 127):
        raise Refused(f"{ROOT}/play/{kind} takes numbers from {low} to {high}.")
    if kind == "note":
        return note_on(now, channel, first, second) if second else note_off(now, channel, first)
    if kind == "control":
        return control(now, channel, first, second)
    if kind == "bend":
        return bend(now, channel, max(-8192, min(8191, round(numbers[0] * 8192))))
    return pressure(now, channel, first)


def _path(target: Target) -> str:
    return f"{target[0] or PIECE}/{target[1]}"


def _written(value: Any) -> list[object]:
    """A value as arguments of a message."""
    if isinstance(value, (bool, int, float, str)):
        return [float(value) if isinstance(value, float) else value]
    return [msgspec.json.encode(value).decode()]


def _share(param: Param, value: Any) -> float:
    """Where a value lies in the whole range, 0 ... 1."""
    steps = steps_of(param)
    if steps is not None:
        return steps.index(value) / max(1, len(steps) - 1) if value in steps else 0.0
    if isinstance(param, Number) and isinstance(value, (int, float)):
        return (float(value) - param.low) / max(1e-9, param.high - param.low)
    return float(value) / 127.0 if isinstance(value, int) else 0.0


def osc_page() -> str:
    """docs/osc.md."""
    rows = [f"| `{ROOT}{one.address}` | {one.arguments or '–'} | {one.help} |" for one in COMMANDS]
    acts = [
        f"| `{name}` | {one.label} | {one.on or 'the whole project'} | {one.value or '–'} |"
        for name, one in ACTIONS.items()
    ]
    piece = [f"| `{PIECE}/{name}` | {param.label} | {param.range_text} |" for name, param in PROJECT_PARAMS.items()]
    return "\n".join(
        (
            "# Control over OSC",
            "",
            "Written by `make docs` from `src/arpegon/engine/live/osc.py`.",
            "",
            "Off unless it is switched on: *Control over OSC* in the project menu, or "
            f"`arpegon --headless --osc {DEFAULT_PORT} PROJECT`.",
            "It hears UDP on this computer only, unless it is told to hear the local network. Answers go to the port "
            "that asked.",
            "",
            "| address | arguments | what it does |",
            "|---|---|---|",
            *rows,
            "",
            "`<id>` is that of a strand, stage, source, instrument or section, as the project file says, or `piece`. "
            "Parameters stand in",
            "[processors.md](processors.md); values inside them have addresses too (`patterns.2.3.note`). "
            "What cannot be is answered with",
            f"`{ROOT}/refused` and a sentence. More than {FLOOD_LIMIT:,} messages a second are left out.",
            "",
            "## The piece",
            "",
            "| address | what it is | values |",
            "|---|---|---|",
            *piece,
            "",
            "## Actions",
            "",
            "| action | what it does | with | number |",
            "|---|---|---|---|",
            *acts,
            "",
        )
    )
