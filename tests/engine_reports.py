"""Everything that an engine reported, for tests."""

from __future__ import annotations

from contextlib import contextmanager

from arpegon.core.notes.taps import Batch
from arpegon.core.time import studio
from arpegon.engine.live.client import EngineClient
from arpegon.engine.wire.protocol import Missing, Notice, Ports, Telemetry
from jacking import wait_for


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


class RunningEngine(EngineClient):
    """An engine process, and all that it reported."""

    def __init__(self, errors, keeper=None):
        self.reports = Reports()
        super().__init__(self.reports, errors, keeper)

    def __repr__(self):
        """What a failure shows of it."""
        told = [
            f"at {one.now:.3f} worked until {one.worked_until:.3f}, {one.behind:.3f} behind, revision {one.revision}"
            for one in (*self.reports.telemetry[:1], *self.reports.telemetry[-1:])
        ]
        said = [notice.text for notice in self.reports.notices if notice.text]
        batches = [(batch.revision, len(batch.passages)) for batch in self.reports.batches[-4:]]
        return (
            f"engine {self.pid} with revision {self.revision}, {len(self.reports.telemetry)} times told: {told}, "
            f"batches {batches}, said {said}; now it is {studio.now():.3f} here, {studio.behind():.3f} behind"
        )


@contextmanager
def running_engine(errors, keeper=None):
    """An engine process with its ports open, ended whatever becomes of the test: the next one has its name."""
    client = RunningEngine(errors, keeper)
    try:
        client.start()
        wait_for(lambda: client.reports.telemetry and "" in client.reports.open_ports())
        yield client
    finally:
        client.close()
