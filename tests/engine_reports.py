"""Everything that an engine reported, for tests."""

from __future__ import annotations

from arpegon.core.notes.taps import Batch
from arpegon.engine.wire.protocol import Missing, Notice, Ports, Telemetry


class Reports:
    """Everything an engine reported."""

    def __init__(self):
        self.telemetry: list[Telemetry] = []
        self.ports: list[Ports] = []
        self.notices: list[Notice] = []
        self.missing: list[Missing] = []
        self.batches: list[Batch] = []

    def __call__(self, report):
        lists = {Telemetry: self.telemetry, Ports: self.ports, Notice: self.notices, Missing: self.missing}
        lists.get(type(report), self.batches).append(report)

    def printed(self, strand, place):
        return [
            event
            for batch in list(self.batches)
            for passage in batch.passages
            if passage.strand == strand and place in passage.places
            for event in passage.events
        ]

    def open_ports(self):
        return self.ports[-1].opened if self.ports else []
