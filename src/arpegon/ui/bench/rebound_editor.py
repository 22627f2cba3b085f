"""The editor of rebound: the basin with its beads, and the wall that is chosen."""

from __future__ import annotations

from typing import Any

from arpegon.core.theory.pitch import written
from arpegon.core.theory.scales import stage_key
from arpegon.processors.sources.rebound import WALLS, wall_degrees
from arpegon.processors.stages.transpose import by_degrees
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.bench.entry_panel import EntryPanel
from arpegon.ui.bench.generator_editor import GeneratorFoot
from arpegon.ui.controls.basin import Basin, Wall
from arpegon.ui.look.plain import Label
from arpegon.ui.parts.standard import caps


class ReboundEditor(StageEditor):
    """Basin and wall on one side, how it starts and what it may sound on the other."""

    columns = 3

    def build(self) -> None:
        self.basin = Basin(self.ink)
        self.basin.picked.connect(lambda wall: self.show_values(self.values))
        self.basin.silenced.connect(lambda wall: self._change("silent", not self._filled()[wall]["silent"], True))
        self.box.addWidget(self.basin)
        self.which = Label("")
        self.which.setProperty("role", "second")
        self.side.addWidget(self.which)
        self.panel = EntryPanel(WALLS, ("degree", "velocity", "silent"), self.ink, self._change, self.session.settle)
        self.side.addWidget(self.panel)
        self.box.addLayout(self.grid("seed", "length"))
        self.box.addStretch(1)
        self.side.addWidget(caps("Beads"))
        self.side.addLayout(self.grid("sides", "beads", "speed", "angle", "fan", "scatter"))
        self.side.addWidget(caps("Time"))
        self.side.addLayout(self.grid("time", "grid"))
        self.side.addLayout(self.grid("touch", "base"))
        self.foot = GeneratorFoot(self)

    def show_values(self, values: dict[str, Any]) -> None:
        key = stage_key(values, self.session.project.key)
        base = values["base"]
        root = base - (base - key.tonic) % 12
        walls = self._filled()
        self.basin.show_walls(
            [
                Wall(written(by_degrees(root, degree - 1, key), key.names), wall["silent"])
                for degree, wall in zip(wall_degrees(values), walls, strict=True)
            ]
        )
        shown = self.basin.chosen
        self.panel.show_entry({**walls[shown], "degree": wall_degrees(values)[shown]})
        self.which.setText(f"Wall {self.basin.chosen + 1} of {len(walls)}, counted from the top clockwise")
        self.controls["grid"].setEnabled(values["time"] == "grid")
        self.foot.show_values(values)

    def tick(self, now: float) -> None:
        live = self.session.telemetry.live
        beads = list(zip(live[1::2], live[2::2], strict=False))
        self.basin.show_beads(beads, int(live[0]) if live else -1, now)

    # -- edits -------------------------------------------------------------------------------------

    def _filled(self) -> list[dict[str, Any]]:
        """All walls with all their fields."""
        values = self.values
        given = [dict(wall) for wall in values["walls"]][: values["sides"]]
        return WALLS.filled([*given, *[{}] * (values["sides"] - len(given))])

    def _change(self, key: str, value: Any, settled: bool) -> None:
        walls = [dict(wall) for wall in self.values["walls"]]
        walls += [{} for _ in range(self.basin.chosen + 1 - len(walls))]
        walls[self.basin.chosen][key] = value
        self.set(settled, walls=walls)
