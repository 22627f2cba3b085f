"""What the engine does at each command of the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from arpegon.engine.audio.audio_out import AudioOut
from arpegon.engine.clocks.clock_box import ClockBox
from arpegon.engine.devices.port_hub import PortHub
from arpegon.engine.hearing.remote import RemoteHearing
from arpegon.engine.live.start_stop import StartStop
from arpegon.engine.simulation import Engine
from arpegon.engine.wire import protocol


class Obeys(Protocol):
    """What commands ask of the engine's loop."""

    engine: Engine
    audio: AudioOut
    ports: PortHub
    hearing: RemoteHearing
    box: ClockBox
    start_stop: StartStop

    def set_project(self, command: protocol.SetProject, now: float) -> None:
        """Work on a document."""

    def set_name(self, name: str) -> None:
        """Be called so at a JACK server."""

    def watch(self, stage: str) -> None:
        """Report exactly what a stage makes of each event."""

    def look(self, on: bool) -> None:
        """Whether anybody looks at what is told."""

    def learn(self, on: bool) -> None:
        """Report all that comes in, or no longer."""

    def play_take(self, command: protocol.PlayTake, now: float) -> None:
        """Play a take."""

    def sync(self, number: int, now: float) -> None:
        """Say that all that was sent until now is worked on and told."""

    def all_off(self, now: float) -> None:
        """Silence everything."""


Do = Callable[[Obeys, Any, float], None]
"""Does what a command says, in the loop, at a time."""

DO: dict[type[protocol.Message], Do] = {
    protocol.SetProject: lambda live, command, now: live.set_project(command, now),
    protocol.SetParams: lambda live, command, now: live.engine.set_params(command.stage, command.values),
    protocol.SetName: lambda live, command, now: live.set_name(command.name),
    protocol.Play: lambda live, command, now: live.start_stop.play(command.beat, now),
    protocol.Stop: lambda live, command, now: live.start_stop.stop(now),
    protocol.Locate: lambda live, command, now: live.start_stop.locate(command.beat, now),
    protocol.GoToSection: lambda live, command, now: live.engine.sections.go(command.place, now),
    protocol.Watch: lambda live, command, now: live.watch(command.stage),
    protocol.Look: lambda live, command, now: live.look(command.on),
    protocol.PlayTake: lambda live, command, now: live.play_take(command, now),
    protocol.Sync: lambda live, command, now: live.sync(command.number, now),
    protocol.StopTake: lambda live, command, now: live.engine.takes.stop(now),
    protocol.Direct: lambda live, command, now: live.engine.direct(command.strand, command.events, now),
    protocol.CommandStage: lambda live, command, now: live.engine.command(
        command.stage, command.command, command.value, now
    ),
    protocol.Turn: lambda live, command, now: live.engine.turn((command.target, command.param), command.value),
    protocol.Act: lambda live, command, now: live.engine.act(command.action, command.target, command.value, now),
    protocol.Learn: lambda live, command, now: live.learn(command.on),
    protocol.SetClockBox: lambda live, command, now: live.box.configure(command.settings, now),
    protocol.AllOff: lambda live, command, now: live.all_off(now),
    protocol.Hush: lambda live, command, now: live.ports.hush(command.ends),
    protocol.ListenAnew: lambda live, command, now: live.hearing.start_anew(),
    protocol.SetAudio: lambda live, command, now: live.audio.set_device(command.device, command.block),
}
