"""What only the running program knows of its strands, for the path check."""

from __future__ import annotations

from typing import TYPE_CHECKING

from arpegon.core.document.path_check import Surroundings
from arpegon.sound import PLAYED_KEYS

if TYPE_CHECKING:
    from arpegon.ui.model.session import Session

RECENT_SECONDS = 4.0
"""How far back the path check looks at what was played."""


def surroundings(session: Session, now: float) -> Surroundings:
    """Ports, transport, audio, and what was printed on the rolls of late."""
    since = now - RECENT_SECONDS
    passed, sent = {}, {}
    for strand in session.project.strands:
        lines = session.paper(strand.id).lines
        rolls = range(len(strand.stages) + 1)
        passed[strand.id] = [lines[roll].since(since) if roll in lines else 0 for roll in rolls]
        if len(strand.stages) in lines:
            sent[strand.id] = lines[len(strand.stages)].notes_since(since)
    health = session.telemetry.health
    section = session.piece.section
    return Surroundings(
        missing_clips=[*_named(session, "clip:"), *_named(session, "sound:")],
        missing_inputs=_named(session, "audio-in:"),
        inputs=session.ports.inputs,
        outputs=session.ports.outputs,
        playing=session.telemetry.playing,
        clock=session.telemetry.clock,
        audio=bool(health.audio) if "audio" in session.notices or health.audio else None,
        section=section.name if section is not None else "",
        held=session.piece.held,
        passed=passed,
        sent=sent,
        keys=PLAYED_KEYS,
    )


def _named(session: Session, topic: str) -> list[str]:
    """What notices of a kind are about."""
    return [one.removeprefix(topic) for one in session.notices if one.startswith(topic)]
