"""The editor of rings: the polygons, and the one that is chosen."""

from __future__ import annotations

from typing import Any

from arpegon.core.theory.euclid import spread_evenly
from arpegon.core.theory.pitch import written
from arpegon.core.theory.scales import stage_key
from arpegon.processors.sources.rings import MAX_RINGS, MAX_STEPS, RING_TOSS
from arpegon.processors.stages.transpose import by_degrees
from arpegon.ui.bench.entry_panel import EntryPanel
from arpegon.ui.bench.generator_editor import GeneratorFoot
from arpegon.ui.bench.pattern_editor import PatternEditor
from arpegon.ui.controls.rings_view import RingLook, RingsView
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.standard import counted_heading

_FIELDS = (
    *("hits", "steps", "turn", "rate", "note", "degree"),
    *("velocity", "accent", "length", "chance", "channel", "silent"),
)


class RingsEditor(PatternEditor):
    """Rings on one side, the chosen one and tosses on the other."""

    def build(self) -> None:
        self.add_patterns(self.box)
        self.view = RingsView(self.ink)
        self.view.picked.connect(lambda ring: self.show_values(self.values))
        self.view.turned.connect(self._turn)
        self.view.more_hits.connect(self._more_hits)
        self.view.settled.connect(self.session.settle)
        self.box.addWidget(self.view)
        self.box.addLayout(counted_heading("Rings", "ring", self._count, MAX_RINGS))
        self.box.addStretch(1)
        self.which = Label("")
        self.which.setProperty("role", "second")
        self.side.addWidget(self.which)
        self.panel = EntryPanel(self.entries, _FIELDS, self.ink, self._change, self.session.settle)
        self.side.addWidget(self.panel)
        self.rest.addLayout(self.grid("reads", "swing", columns=1))
        self.rest.addWidget(self.control("base"))
        self.rest.addLayout(self.grid("seed"))
        self.add_changes(self.fold("When patterns change", self.rest))
        self.add_toss(self.side, RING_TOSS)
        self.foot = GeneratorFoot(self)

    def show_values(self, values: dict[str, Any]) -> None:
        self.show_patterns(values)
        rings = self.filled()
        self.view.show_rings(
            [
                RingLook(
                    spread_evenly(min(ring["hits"], ring["steps"]), ring["steps"], ring["turn"]),
                    self._name(values, ring),
                    ring["silent"],
                )
                for ring in rings
            ]
        )
        if rings:
            ring = rings[self.view.chosen]
            self.panel.show_entry(ring)
            self.which.setText(f"Ring {self.view.chosen + 1} of {len(rings)}, counted from outside")
        degrees = values["reads"] == "degree"
        self.panel.holders["note"].setVisible(not degrees)
        self.panel.holders["degree"].setVisible(degrees)
        self.controls["base"].setVisible(degrees)
        self.tosses.show_values(values, {lane.name for lane in RING_TOSS} - {"note" if degrees else "degree"})
        self.foot.show_values(values)

    def _name(self, values: dict[str, Any], ring: dict[str, Any]) -> str:
        key = stage_key(values, self.session.project.key)
        if values["reads"] == "note":
            return written(ring["note"], key.names)
        base = values["base"]
        return written(by_degrees(base - (base - key.tonic) % 12, ring["degree"] - 1, key), key.names)

    def tick(self, now: float) -> None:
        live = self.session.telemetry.live
        if not live:
            return
        playing, steps = int(live[0]), [int(value) for value in live[1:]]
        going = any(step >= 0 for step in steps)
        self.row.show_playing(playing if going else None)
        self.view.show_steps(steps if playing == self.pattern_place else [], now)

    # -- edits -------------------------------------------------------------------------------------

    def _change(self, key: str, value: Any, settled: bool) -> None:
        self.put_entry(self.view.chosen, settled, **{key: value})

    def _turn(self, ring: int, by: int) -> None:
        entry = self.filled()[ring]
        self.put_entry(ring, False, turn=(entry["turn"] + by) % entry["steps"])

    def _more_hits(self, ring: int, by: int) -> None:
        entry = self.filled()[ring]
        self.put_entry(ring, hits=max(0, min(entry["steps"], MAX_STEPS, entry["hits"] + by)))

    def _count(self, by: int) -> None:
        pattern = self.pattern()
        if by > 0 and len(pattern) < MAX_RINGS:
            pattern.append({"hits": 3, "steps": 8 + len(pattern), "note": 60 + 3 * len(pattern)})
        elif by < 0 and len(pattern) > 1:
            del pattern[self.view.chosen]
        self.put_pattern(pattern)
