"""Hookups at work: controllers that set parameters and do things, before they reach the strands."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any, Protocol

from arpegon.core.document.hookup_values import Presses, TakeOver, next_value, share_in, share_of, value_at
from arpegon.core.document.model import Hookup, Project
from arpegon.core.events import BEND, CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PRESSURE, PROGRAM, SYSEX, Event
from arpegon.core.processing.parameters import Param
from arpegon.core.processing.values import LOW_HALF, TOP
from arpegon.core.time.tapping import Taps
from arpegon.engine.clocks.roles import AtWork, Transport
from arpegon.engine.performance.overlay import Overlay
from arpegon.engine.performance.sections import SectionPlayer
from arpegon.processors.actions import ACTIONS
from arpegon.processors.bases.modulator import Modulator
from arpegon.processors.targets import declared, value_now

_KINDS: dict[int, frozenset[str]] = {
    CONTROL: frozenset({"cc", "cc14"}),
    NOTE_ON: frozenset({"note", "velocity"}),
    NOTE_OFF: frozenset({"note"}),
    PRESSURE: frozenset({"pressure"}),
    POLY_PRESSURE: frozenset({"poly"}),
    BEND: frozenset({"bend"}),
    PROGRAM: frozenset({"program"}),
}
"""The controls that an event may be."""
_NUMBERED = frozenset({"cc", "note", "poly", "program"})
_PRESSED = 0.5
MAX_MOVES = 16
"""How often a tap moves one hookup in a hundredth of a second: more than two hands play, far less than for ever."""
_WINDOWS_PER_SECOND = 100


class _Hook:
    """One hookup and what is known of its control."""

    __slots__ = ("_high", "_moves", "_window", "hookup", "param", "presses", "takeover")

    def __init__(self, hookup: Hookup, param: Param | None) -> None:
        self.hookup = hookup
        self.param = param
        self.presses = Presses()
        self.takeover = TakeOver()
        self._high = 0
        """The last high half of a controller of fourteen bits."""
        self._window = 0
        """The hundredth of a second for which moves from a tap are counted,"""
        self._moves = 0
        """and how many there were."""

    def matches(self, feed: str, event: Event) -> bool:
        """Whether an event that comes in moves it."""
        return self.hookup.tap == "" and self.hookup.feed in ("", feed) and self.is_moved_by(event)

    def is_moved_by(self, event: Event) -> bool:
        """Whether an event is its control, wherever it comes from."""
        one = self.hookup
        if one.muted or event.status >= SYSEX or one.control not in _KINDS[event.status & 0xF0]:
            return False
        if one.control in _NUMBERED and event.data1 != one.number:
            return False
        if one.control == "cc14" and event.data1 not in (one.number, one.number + LOW_HALF):
            return False
        return one.channel in (None, event.channel)

    def may_move(self, time: float) -> bool:
        """Whether what passed its tap may move it: what it does may bring about the next, at once and for ever."""
        window = int(time * _WINDOWS_PER_SECOND)
        if window != self._window:
            self._window, self._moves = window, 0
        self._moves += 1
        return self._moves <= MAX_MOVES

    def value(self, event: Event) -> float:
        """The value of its control, 0 ... 127; a bend at rest stands exactly in the middle."""
        kind = event.status & 0xF0
        if kind == BEND:
            bits = event.data2 << 7 | event.data1
            return 0.5 * TOP * (bits / 8192.0 if bits <= 8192 else 1.0 + (bits - 8192) / 8191.0)
        if self.hookup.control == "cc14":
            low = event.data1 != self.hookup.number
            self._high = self._high if low else event.data2
            return TOP * (self._high << 7 | (event.data2 if low else 0)) / 16383.0
        return float(event.data1 if kind in (PRESSURE, PROGRAM) else event.data2)


class Player(Transport, Protocol):
    """What actions ask of an engine."""

    def all_off(self, time: float) -> None:
        """Silence everything."""

    def command(self, stage_id: str, act: str, value: float | None, time: float) -> None:
        """Have a stage, generator or clip do something."""

    def is_on(self, part: str) -> bool:
        """Whether an action started it."""


class Hooks:
    """All hookups of a project. What they set stands in the engine's overlay."""

    def __init__(self, player: Player, overlay: Overlay, sections: SectionPlayer, at_work: AtWork) -> None:
        self.player = player
        self.sections = sections
        self._overlay = overlay
        self._at_work = at_work
        self._hooks: dict[str, _Hook] = {}
        self._taps = Taps()
        self._sources: list[Modulator] = []
        """The LFOs and contours that are hooked up,"""
        self._by_stage: list[_Hook] = []
        """and the hookups that they move."""
        self._taps_of: dict[str, list[_Hook]] = {}
        """The hookups that listen to each tap."""
        self._tapped: list[tuple[_Hook, Event]] = []
        """What passed taps since the last :meth:`signals`, and what it moves."""
        self.moved: dict[str, float] = {}
        """The last value of each control that moved since it was asked, by hookup."""
        self.asked: list[tuple[str, float]] = []
        """Hookups whose actions only the window can do."""

    # -- documents ---------------------------------------------------------------------------------

    def use(self, document: Project) -> None:
        """The document is at work: know its hookups."""
        before = self._hooks
        self._hooks = {}
        for hookup in document.hookups:
            known = before.get(hookup.id)
            hook = known if known is not None and known.hookup == hookup else _Hook(hookup, None)
            hook.param = declared(document, hookup) if hookup.param else None
            self._hooks[hookup.id] = hook
        self._taps_of = {}
        for hook in self._hooks.values():
            if hook.hookup.tap:
                self._taps_of.setdefault(hook.hookup.tap, []).append(hook)
        self._at_work.listen(self.heard if self._taps_of else None)
        self._by_stage = [
            hook for hook in self._hooks.values() if hook.hookup.control == "stage" and not hook.hookup.muted
        ]
        self._sources = []
        for stage in {hook.hookup.stage for hook in self._by_stage}:
            processor = self._at_work.find(stage)
            if isinstance(processor, Modulator):
                self._sources.append(processor)

    # -- controllers -------------------------------------------------------------------------------

    @property
    def any(self) -> bool:
        """Whether there are hookups."""
        return bool(self._hooks)

    def found(self, feed: str, event: Event) -> list[_Hook]:
        """The hookups that an event moves."""
        return [hook for hook in self._hooks.values() if hook.matches(feed, event)]

    def take(self, found: list[_Hook], event: Event) -> bool:
        """Let an event move what it was found to be tied to; whether it goes no further."""
        for hook in found:
            self._move(hook, hook.value(event), event.time, event.status & 0xF0 == NOTE_OFF)
        # Keys whose velocity is a control are still played.
        return not any(hook.hookup.passes or hook.hookup.control == "velocity" for hook in found)

    def due(self) -> float:
        """When something that is hooked up moves next by itself: an LFO or contour, or what passes a tap."""
        soonest = min([processor.due() for processor in self._sources]) if self._sources else math.inf
        if self._taps_of:
            # A step falls once time has moved past it.
            soonest = min(soonest, math.nextafter(self._at_work.due(), math.inf))
        return soonest

    def heard(self, strand: str, places: tuple[str, ...], events: Sequence[Event]) -> None:
        """Events pass places in a strand; :meth:`signals` lets them move what they are tied to."""
        for place in places:
            hooks = self._taps_of.get(f"{strand}/{place}", ())
            self._tapped += [(hook, event) for event in events for hook in hooks if hook.is_moved_by(event)]

    def signals(self, time: float) -> None:
        """Let LFOs and contours, and what passed taps, move what they are tied to."""
        if self._tapped:
            tapped, self._tapped = self._tapped, []
            for hook, event in tapped:
                if hook.may_move(time):
                    self._move(hook, hook.value(event), time, event.status & 0xF0 == NOTE_OFF)
        if not self._sources:
            return
        for hook in self._by_stage:
            processor = self._at_work.find(hook.hookup.stage)
            if isinstance(processor, Modulator) and processor.output is not None and not processor.bypass:
                self._move(hook, processor.output * TOP, time, False)

    def _move(self, hook: _Hook, value: float, time: float, released: bool) -> None:
        hookup = hook.hookup
        self.moved[hookup.id] = 0.0 if released else value
        share = 0.0 if released else share_in(value, hookup)
        down = not released and (hookup.control == "note" or share >= _PRESSED)
        # An LFO's value stays where it is: that is no press.
        silence = math.inf if hookup.control == "stage" else hookup.silence
        struck = hook.presses.moved(math.nan if hookup.control == "stage" else value, down, time, silence)
        if hookup.control == "program":
            hook.presses.down, struck = False, True
        if hookup.action:
            self._act(hook, share, struck, time)
        elif hook.param is not None:
            self._set_by(hook, hook.param, share, struck, released)

    def _set_by(self, hook: _Hook, param: Param, share: float, struck: bool, released: bool) -> None:
        hookup = hook.hookup
        now = value_now(self._at_work.project, hookup.target, hookup.param)
        if hookup.way == "follow":
            if released:
                return
            rule = "jump" if hookup.control in ("stage", "note", "program") else hookup.takeover
            place = hook.takeover.moved(rule, share, share_of(param, now, hookup))
            if place is None:
                return
            made = value_at(param, place, hookup)
        elif hookup.way == "held":
            made = value_at(param, 1.0 if hook.presses.down else 0.0, hookup)
        elif not struck:
            return
        elif hookup.way == "toggle":
            low, high = value_at(param, 0.0, hookup), value_at(param, 1.0, hookup)
            made = low if now == high else high
        elif hookup.way == "next":
            made = next_value(param, now, hookup)
        else:
            made = value_at(param, 1.0, hookup)
        if made != now:
            self._overlay.put((hookup.target, hookup.param), made, hookup.control == "stage")

    # -- actions -----------------------------------------------------------------------------------

    def do(self, action: str, target: str, value: float | None, time: float) -> None:
        """Do what a hookup could do; what is unknown, or only the window can do, does nothing."""
        if action in _DO:
            _DO[action](self, Hookup(id="", action=action, target=target, value=value), time)

    def _act(self, hook: _Hook, share: float, struck: bool, time: float) -> None:
        hookup = hook.hookup
        if hookup.action in _BY_KNOB and hookup.way == "follow" and hookup.control not in ("note", "program"):
            _BY_KNOB[hookup.action](self, hookup, share, time)
            return
        held = hookup.way == "held" and hookup.action in _HELD and not hook.presses.down
        if held:
            _HELD[hookup.action](self, hookup, time)
        elif struck:
            if ACTIONS[hookup.action].window:
                self.asked.append((hookup.id, time))
            else:
                _DO[hookup.action](self, hookup, time)

    def _turn_to_section(self, hookup: Hookup, share: float, time: float) -> None:
        """A knob over all sections; one that it stands on already is not begun anew."""
        sections = self.sections
        last = len(self._at_work.project.sections) - 1
        place = round(share * last) if hookup.value is None else round(hookup.value) - 1
        if place != sections.coming:
            sections.go(place, time)

    def _step_section(self, by: int, time: float) -> None:
        sections = self.sections
        sections.go(sections.coming + by, time)

    def _choose_pattern(self, hookup: Hookup, number: int) -> None:
        found = self._at_work.project.find_stage(hookup.target)
        if found is None or not _has_patterns(self._at_work.project, hookup):
            return
        number = (number - 1) % self._patterns(hookup) + 1
        if number != value_now(self._at_work.project, hookup.target, "pattern"):
            self._overlay.put((hookup.target, "pattern"), number)

    def _patterns(self, hookup: Hookup) -> int:
        """How many patterns its target has, at least 1."""
        patterns: Any = value_now(self._at_work.project, hookup.target, "patterns")
        return max(1, len(patterns or ()))

    def _pattern_at(self, hookup: Hookup, share: float) -> int:
        """The pattern at a place of a knob's way over all that there are."""
        return 1 + round(share * (self._patterns(hookup) - 1))

    def _step_pattern(self, hookup: Hookup, by: int) -> None:
        if _has_patterns(self._at_work.project, hookup):
            now: Any = value_now(self._at_work.project, hookup.target, "pattern")
            self._choose_pattern(hookup, now + by)

    def _flip(self, hookup: Hookup, key: str) -> None:
        """Bypass a stage, or mute or solo a strand; or take it back."""
        project = self._at_work.project
        if key == "bypass":
            found = project.find_stage(hookup.target)
            if found is not None:
                self._overlay.put((hookup.target, "bypass"), not found[1].bypass)
        elif project.strand(hookup.target) is not None:
            self._overlay.put((hookup.target, key), not value_now(project, hookup.target, key))

    def _play_stop(self, time: float) -> None:
        (self.player.halt if self.player.transport.clock.playing else self.player.play)(time)

    def _tap(self, time: float) -> None:
        tempo = self._taps.tap(time)
        if tempo is not None:
            self._overlay.put(("", "tempo"), tempo)

    def _start(self, hookup: Hookup, time: float) -> None:
        self.player.command(hookup.target, "start", hookup.value, time)

    def _start_stop(self, hookup: Hookup, time: float) -> None:
        going = self.player.is_on(hookup.target)
        self.player.command(hookup.target, "stop" if going else "start", None if going else hookup.value, time)


Do = Callable[[Hooks, Hookup, float], None]

_DO: dict[str, Do] = {
    "play": lambda hooks, hookup, time: hooks.player.play(time),
    "stop": lambda hooks, hookup, time: hooks.player.halt(time),
    "play-stop": lambda hooks, hookup, time: hooks._play_stop(time),
    "to-start": lambda hooks, hookup, time: hooks.player.locate(time, 0.0),
    "tap": lambda hooks, hookup, time: hooks._tap(time),
    "all-off": lambda hooks, hookup, time: hooks.player.all_off(time),
    "section": lambda hooks, hookup, time: hooks.sections.go(round(hookup.value or 1) - 1, time),
    "section-next": lambda hooks, hookup, time: hooks._step_section(1, time),
    "section-previous": lambda hooks, hookup, time: hooks._step_section(-1, time),
    "pattern-next": lambda hooks, hookup, time: hooks._step_pattern(hookup, 1),
    "pattern-previous": lambda hooks, hookup, time: hooks._step_pattern(hookup, -1),
    "pattern": lambda hooks, hookup, time: hooks._choose_pattern(hookup, round(hookup.value or 1)),
    "bypass": lambda hooks, hookup, time: hooks._flip(hookup, "bypass"),
    "mute": lambda hooks, hookup, time: hooks._flip(hookup, "muted"),
    "solo": lambda hooks, hookup, time: hooks._flip(hookup, "solo"),
    "start": lambda hooks, hookup, time: hooks._start(hookup, time),
    "start-stop": lambda hooks, hookup, time: hooks._start_stop(hookup, time),
    "halt": lambda hooks, hookup, time: hooks.player.command(hookup.target, "stop", None, time),
}

_BY_KNOB: dict[str, Callable[[Hooks, Hookup, float, float], None]] = {
    "pattern": lambda hooks, hookup, share, time: hooks._choose_pattern(
        hookup, hooks._pattern_at(hookup, share) if hookup.value is None else round(hookup.value)
    ),
    "section": lambda hooks, hookup, share, time: hooks._turn_to_section(hookup, share, time),
}
"""What a knob that follows does, for actions that choose."""

_HELD: dict[str, Do] = {
    "play": _DO["stop"],
    "start": _DO["halt"],
    "mute": _DO["mute"],
    "solo": _DO["solo"],
    "bypass": _DO["bypass"],
}
"""What letting go does, for actions that are held."""


def _has_patterns(project: Project, hookup: Hookup) -> bool:
    """Whether the target of a hookup holds patterns."""
    return declared(project, Hookup(id="", target=hookup.target, param="pattern")) is not None
