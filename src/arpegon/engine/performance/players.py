"""What plays by itself: clips and metronomes with the transport, takes in seconds."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Mapping, Sequence
from operator import attrgetter

import msgspec

from arpegon.core.document.model import MIN_CLIP_BEATS, ClickSource, ClipSource, Music, Project, Strand
from arpegon.core.events import CONTROL, NOTE_OFF, SYSEX, Event, note_off, note_on
from arpegon.core.notes.pairing import note_key
from arpegon.core.notes.pressed import Pressed
from arpegon.core.notes.standing import held_at, standing
from arpegon.core.time.clock import bar_beats
from arpegon.core.time.tempo_map import TempoMap
from arpegon.engine.clocks.roles import AtWork, Entrance, Scheduler, Transport
from arpegon.engine.clocks.timeline import Timeline
from arpegon.engine.graph.feeds import feed_of
from arpegon.engine.performance.own_times import OwnTimes
from arpegon.files.midi import Clip

_CLICK_SECONDS = 0.04
_NEAR = 1e-6
_PartKey = tuple[str, float, float | None]
"""The file of which a part is, where it begins, and how long it is."""
_NOTHING = object()
"""In the place of a clip, which may be ``None`` itself."""


class Room(msgspec.Struct, frozen=True, eq=False):
    """What players need around them."""

    scheduler: Scheduler
    entrance: Entrance
    at_work: AtWork


class ClipPlayer:
    """Plays one clip with a timeline; another one can take its place on the bar.

    Args:
        clip: ``None`` while there is none that can be played.
    """

    def __init__(self, room: Room, line: Timeline, name: str, source: ClipSource, clip: Clip | None) -> None:
        self._room = room
        self._line = line
        self._name = name
        self._source = source
        self._run = 0
        self._rounds: int | None = None
        """How many rounds an action started (0: until it is stopped); ``None``: none did."""
        self._asked = 0
        self._waiting: object = _NOTHING
        """The clip that takes over,"""
        self._turns = math.inf
        """and the beat on which it does: what falls there is its own."""
        self._use(clip)
        self._origin = 0.0
        """When its first bar falls: a beat of the timeline, or a time in seconds where it keeps its own tempo."""

    def start(self, beat: float) -> None:
        """Play on from a beat of the transport; while bars are counted before the start, clips wait."""
        self._run += 1
        waiting = self._waiting
        if waiting is not _NOTHING:
            self._use(waiting if isinstance(waiting, Clip) else None)
        beat = max(0.0, beat)
        if self._source.starts == "action":
            if self._rounds is not None:
                self._begin(self._next_line(beat), beat)
        elif self._source.begins == "bar":
            self._begin(self._line.next_line(beat, self._bar()), beat)
        else:
            self._begin(0.0, beat)

    def stop(self, time: float) -> None:
        """Stop, and let go of what is held."""
        self._run += 1
        self._room.entrance.lost(self._name, time)

    def command(self, act: str, value: float | None, time: float) -> None:
        """Start it for so many rounds (with the transport, if that stands), or stop it."""
        if self._source.starts != "action":
            return
        if act == "start":
            self._rounds = self._source.rounds if value is None else int(value)
            if self._line.clock.playing:
                self._run += 1
                self._room.entrance.lost(self._name, time)
                beat = self._line.clock.beat_at(time)
                self._begin(self._next_line(beat), beat)
        elif act == "stop":
            self._rounds = None
            self.stop(time)

    @property
    def on(self) -> bool:
        """Whether an action started it."""
        return self._rounds is not None

    def waits(self, time: float) -> bool:
        """Whether something was asked of it that begins on a line to come: a start, or another clip."""
        if self._waiting is not _NOTHING:
            return True
        clock = self._line.clock
        begins = self._origin if self._source.follow_tempo else clock.beat_at(self._origin)
        return self._source.starts == "action" and self.on and clock.playing and clock.beat_at(time) < begins - _NEAR

    def _next_line(self, beat: float) -> float:
        """The beat on which it begins, as it is said when another file takes over."""
        if self._source.change == "now":
            return beat
        unit = self._bar() if self._source.change == "bar" else 4.0 / self._room.at_work.project.meter[1]
        return self._line.next_line(beat, unit, self._source.change_bars - 1 if self._source.change == "bar" else 0)

    def set(self, source: ClipSource, clip: Clip | None, time: float) -> None:
        """Go on as another source says; another clip takes over when that source wants it to."""
        before, self._source = self._source, source
        anew = (before.begins, before.follow_tempo, before.starts) != (
            source.begins,
            source.follow_tempo,
            source.starts,
        )
        if source.starts != before.starts:
            self._rounds = None
        if clip is self._waiting and not anew:
            return
        self._wait_for(_NOTHING)
        if clip is self._clip and not anew:
            return
        if not self._line.clock.playing:
            self._use(clip)
        elif source.choice == before.choice or source.change == "now":
            self._take_over(clip, time)
        else:
            self._wait_for(clip, self._next_line(self._line.clock.beat_at(time)))
            asked = self._asked
            self._line.at_beat(self._turns, lambda now: self._take_over(clip, now) if asked == self._asked else None)

    def _wait_for(self, clip: object, beat: float = math.inf) -> None:
        """Have another clip take over on a beat; :data:`_NOTHING`: none any more."""
        self._waiting, self._turns = clip, beat
        self._asked += 1

    def _use(self, clip: Clip | None) -> None:
        self._clip = clip
        self._wait_for(_NOTHING)
        self._own = clip.tempo_map if clip is not None else TempoMap()
        """Its own tempi,"""
        self._values = [event for event in clip.events if CONTROL <= event.status < SYSEX] if clip is not None else []
        """and what it has besides notes."""

    def _take_over(self, clip: Clip | None, time: float) -> None:
        self.stop(time)
        self._use(clip)
        self.start(self._line.clock.beat_at(time))

    @property
    def clip_id(self) -> str:
        """The id of the source that it plays."""
        return self._source.id

    def _bar(self) -> float:
        return bar_beats(self._room.at_work.project.meter)

    def _begin(self, origin: float, beat: float) -> None:
        """Play what falls at or after a beat, when the first bar of the clip falls on ``origin``."""
        if self._clip is None or not self._clip.events:
            return
        clock = self._line.clock
        self._origin = origin if self._source.follow_tempo else clock.time_at(origin)
        inside, round_ = max(0.0, beat - origin), 0.0
        if self._source.follow_tempo:
            if self._source.loop:
                round_, inside = divmod(inside, self._clip.beats)
        else:
            seconds = inside * 60.0 / clock.tempo
            if self._source.loop:
                round_, seconds = divmod(seconds, self._own.second_at(self._clip.beats))
            inside = self._own.beat_at(seconds)
        before = [event.at(event.time - self._clip.beats) for event in self._values] if round_ else []
        self._stand(standing([*before, *self._values], inside - _NEAR), beat)
        self._schedule(int(round_), bisect_left(self._clip.events, inside - _NEAR, key=attrgetter("time")))

    def _stand(self, values: Sequence[Event], beat: float) -> None:
        """Begin with values, on a beat of the timeline."""
        run = self._run

        def send(time: float) -> None:
            if run == self._run:
                self._room.entrance.inject(self._name, [event.at(time) for event in values])

        if values:
            self._line.at_beat(beat, send)

    def _schedule(self, round_: int, place: int) -> None:
        clip = self._clip
        if clip is None:
            return
        if place >= len(clip.events):
            if not self._source.loop:
                return
            round_, place = round_ + 1, 0
        if self._source.starts == "action" and self._rounds and round_ >= self._rounds:
            self._rounds = None
            return
        run = self._run
        beat = clip.events[place].time
        if self._source.loop:
            beat = min(beat, clip.beats)  # the next round begins there

        def play(time: float) -> None:
            self._play(run, round_, place, time)

        if self._source.follow_tempo:
            self._line.at_beat(self._origin + round_ * clip.beats + beat, play)
        else:
            seconds = round_ * self._own.second_at(clip.beats) + self._own.second_at(beat)
            self._room.scheduler.at_time(self._origin + seconds, play)

    def _play(self, run: int, round_: int, place: int, time: float) -> None:
        if run != self._run or self._clip is None or self._line.clock.beat_at(time) >= self._turns - _NEAR:
            return
        events = self._clip.events
        together: list[Event] = []
        beat = events[place].time
        while place < len(events) and events[place].time == beat:
            together.append(events[place].at(time))
            place += 1
        self._schedule(round_, place)
        self._room.entrance.inject(self._name, together)


def part_of(clip: Clip, first: float, beats: float | None) -> Clip:
    """A part of a clip as one of its own: from a beat on, so many beats long (``None``: to its end).

    Notes that begin in it end with it at the latest; those that began before are not in it. What else is held as it
    begins (a pedal, bend) is held in it, and let go with it at the latest.
    """
    length = max(MIN_CLIP_BEATS, clip.beats - first) if beats is None else beats
    down = Pressed()
    inside = [event.at(0.0) for event in held_at(clip.events, first)]
    down.follow(inside)
    for event in clip.events:
        beat = event.time - first
        kind = event.status & 0xF0
        if kind == NOTE_OFF:
            if down.end(note_key(event)):
                inside.append(event.at(min(beat, length)))
        elif 0.0 <= beat < length - _NEAR:
            down.follow((event,))
            inside.append(event.at(beat))
    inside += down.release(length)
    inside.sort(key=attrgetter("time"))
    before = [tempo for at, tempo in clip.tempos if at <= first]
    tempos = [(0.0, before[-1])] if before else []
    tempos += [(at - first, tempo) for at, tempo in clip.tempos if first < at < first + length]
    return Clip(tuple(inside), length, tuple(tempos), remark=clip.remark)


class ClickPlayer:
    """Strikes the beats of the transport; the bars that are counted before its start too."""

    def __init__(self, room: Room, line: Timeline, name: str, source: ClickSource) -> None:
        self._room = room
        self._line = line
        self._name = name
        self._source = source
        self._run = 0

    def start(self, beat: float) -> None:
        """Click from the next beat on."""
        self._run += 1
        self._schedule(self._line.clock.next_line(beat, self._length()))

    def stop(self, time: float) -> None:
        """Stop, and let go of what is held."""
        self._run += 1
        self._room.entrance.lost(self._name, time)

    def _length(self) -> float:
        """The length of a beat in quarter notes."""
        return 4.0 / self._room.at_work.project.meter[1]

    def _schedule(self, beat: float) -> None:
        run = self._run
        self._line.at_beat(beat, lambda time: self._click(run, beat, time))

    def _click(self, run: int, beat: float, time: float) -> None:
        if run != self._run:
            return
        # A section with another meter may have begun on this very beat: it is counted from there.
        length, origin = self._length(), self._line.clock.origin
        number = round((beat - origin) / length)
        first = number % self._room.at_work.project.meter[0] == 0
        note = self._source.bar_note if first else self._source.beat_note
        self._room.entrance.inject(self._name, [note_on(time, 0, note, 110 if first else 84)])
        self._room.scheduler.at_time(
            time + _CLICK_SECONDS, lambda now: self._room.entrance.inject(self._name, [note_off(now, 0, note)])
        )
        self._schedule(origin + (number + 1) * length)


class Players:
    """All clips and metronomes of an engine, by feed; those of strands that play on go with the endless timeline."""

    def __init__(self, room: Room, transport: Transport, own: OwnTimes) -> None:
        self._room = room
        self._transport = transport
        self._own = own
        self._players: dict[str, tuple[Timeline, ClipPlayer | ClickPlayer]] = {}
        self._clips: Mapping[str, Clip] = {}
        self._music: dict[str, tuple[Music, Clip]] = {}
        self._parts: dict[_PartKey, tuple[Clip, Clip]] = {}
        """Clips that are played in part now, with the whole ones of which they were made."""

    def follow(self, project: Project, time: float) -> None:
        """Take over the sources of a document whose clips are those of the one before."""
        self.configure(project, self._clips, time)

    def configure(self, project: Project, clips: Mapping[str, Clip], time: float) -> None:
        """Take over the sources of a document, and the clips that it names."""
        self._clips = clips
        known, self._parts = self._parts, {}
        wanted: dict[str, tuple[Strand, ClipSource | ClickSource]] = {}
        for strand in project.strands:
            for place, source in enumerate(strand.sources):
                feed = feed_of(strand, place)
                if feed is not None and isinstance(source, (ClipSource, ClickSource)):
                    wanted[feed] = (strand, source)
        for name in [name for name in self._players if name not in wanted]:
            self._players.pop(name)[1].stop(time)
        for name, (strand, source) in wanted.items():
            clip = self._part(source, known) if isinstance(source, ClipSource) else None
            line = self._transport.endless if strand.plays_on else self._transport.transport
            if isinstance(source, ClipSource):
                line = self._own.find(name, msgspec.structs.asdict(source)) or line
            if name in self._players and self._players[name][0] is not line:
                self._players.pop(name)[1].stop(time)
            if name not in self._players:
                self._add(name, source, clip, line, time)
                continue
            player = self._players[name][1]
            if isinstance(player, ClipPlayer) and isinstance(source, ClipSource):
                player.set(source, clip, time)

    def _part(self, source: ClipSource, before: Mapping[_PartKey, tuple[Clip, Clip]]) -> Clip | None:
        """What of its clip a source plays; ``None`` where it plays none. One that was cut before is not cut again."""
        clip = self._clips.get(source.playing_file) or self._own_music(source)
        if clip is None or source.muted:
            return None
        if not source.first and source.beats is None:
            return clip
        key = (source.playing_file or source.id, source.first, source.beats)
        known = self._parts.get(key) or before.get(key)
        if known is None or known[0] is not clip:
            known = clip, part_of(clip, source.first, source.beats)
        self._parts[key] = known
        return known[1]

    def _own_music(self, source: ClipSource) -> Clip | None:
        """The clip of music that the document holds; as long as that is the same, it is the same clip."""
        music = source.music
        if music is None or source.playing_file:
            return None
        known = self._music.get(source.id)
        if known is None or known[0] != music:
            known = self._music[source.id] = music, Clip(music.events, music.beats)
        return known[1]

    def command(self, clip_id: str, act: str, value: float | None, time: float) -> None:
        """Start or stop a clip that an action starts, by its id."""
        for _, player in self._players.values():
            if isinstance(player, ClipPlayer) and player.clip_id == clip_id:
                player.command(act, value, time)

    def is_on(self, clip_id: str) -> bool:
        """Whether an action started a clip."""
        return any(
            isinstance(player, ClipPlayer) and player.clip_id == clip_id and player.on
            for _, player in self._players.values()
        )

    def waiting(self, time: float) -> list[str]:
        """The clips that were asked for something, and wait for their line."""
        players = (player for _, player in self._players.values())
        return [one.clip_id for one in players if isinstance(one, ClipPlayer) and one.clip_id and one.waits(time)]

    def _add(self, name: str, source: ClipSource | ClickSource, clip: Clip | None, line: Timeline, time: float) -> None:
        player: ClipPlayer | ClickPlayer
        if isinstance(source, ClickSource):
            player = ClickPlayer(self._room, line, name, source)
        else:
            player = ClipPlayer(self._room, line, name, source, clip)
        self._players[name] = (line, player)
        if line.clock.playing:
            player.start(line.clock.beat_at(time))

    def start(self, line: Timeline, beat: float) -> None:
        """Play what goes with a timeline, from a beat on."""
        for own, player in self._players.values():
            if own is line:
                player.start(beat)

    def stop(self, line: Timeline, time: float) -> None:
        """Stop what goes with a timeline."""
        for own, player in self._players.values():
            if own is line:
                player.stop(time)
