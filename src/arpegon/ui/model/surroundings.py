"""What only the running program knows of its strands, for the path check."""

from __future__ import annotations

from typing import TYPE_CHECKING

from arpegon.core.document.path_check import Surroundings
from arpegon.core.notes.taps import OUT
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
        paper = session.paper(strand.id)
        passed[strand.id] = {place: len(line.begun(since)) for place, line in paper.lines.items()}
        sent[strand.id] = {bar.note for bar in paper.line(OUT).begun(since)}
    health = session.telemetry.health
    section = session.piece.section
    return Surroundings(
        missing_clips={*session.reports.missing.get("clip", ()), *session.reports.missing.get("sound", ())},
        missing_inputs=set(session.reports.missing.get("audio-in", ())),
        inputs=session.reports.ports.inputs,
        outputs=session.reports.ports.outputs,
        playing=session.telemetry.playing,
        clock=session.telemetry.clock,
        audio=None if health.audio_rests or not health.audio_known else bool(health.audio),
        section=section.name if section is not None else "",
        held=session.piece.held,
        passed=passed,
        sent=sent,
        keys=PLAYED_KEYS,
    )
