"""Channel: everything on another MIDI channel."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from arpegon.core.events import CONTROL, HOLD_PEDALS, SYSEX, Event
from arpegon.core.notes.pressed import DOWN, held_key
from arpegon.core.processing.parameters import Channel
from arpegon.core.processing.processor import Context, NoteMapper


class ChannelStage(NoteMapper):
    """Puts every channel message on one channel; notes and a pedal that are down end where they began."""

    kind = "channel"
    label = "Channel"
    summary = "Puts everything on another MIDI channel."
    params = (
        Channel(name="channel", label="Channel", default=1, help="The channel of all that goes out."),
        Channel(
            name="only",
            label="Only from channel",
            default=0,
            low=0,
            help="Move only this channel and let the others be; 0 moves all.",
        ),
    )

    def __init__(self, values: Mapping[str, Any], context: Context) -> None:
        self._pedals: dict[int, int] = {}
        """The channel on which each pedal that is down went down."""
        super().__init__(values, context)

    def on_configure(self) -> None:
        channel, only = self.values["channel"] - 1, self.values["only"]
        self._to = [channel if not only or only - 1 == here else here for here in range(16)]

    def strike(self, event: Event) -> Sequence[Event]:
        status = event.status & 0xF0 | self._to[event.status & 0x0F]
        return (Event(event.time, status, event.data1, event.data2),)

    def other(self, event: Event) -> Event | None:
        if event.status >= SYSEX:
            return event
        here = event.status & 0x0F
        to = self._to[here]
        if event.status & 0xF0 == CONTROL and event.data1 in HOLD_PEDALS:
            if event.data2 >= DOWN:
                to = self._pedals.setdefault(held_key(event), to)
            else:
                to = self._pedals.pop(held_key(event), to)
        return Event(event.time, event.status & 0xF0 | to, event.data1, event.data2)

    @classmethod
    def caption(cls, values: Mapping[str, Any]) -> str:
        only = f"{values['only']} → " if values["only"] else ""
        return f"{only}channel {values['channel']}"
