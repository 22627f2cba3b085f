"""What a process said that still stands: it goes with the process, and the next one says what is so then."""

from __future__ import annotations

from arpegon.engine.wire import protocol


class Standing:
    """Follows what a process says, and takes it back when it is gone."""

    def __init__(self) -> None:
        self._stands: dict[tuple[type, str], protocol.Notice | protocol.Missing] = {}

    def follow(self, report: object) -> None:
        """It said something."""
        match report:
            case protocol.Notice():
                self._put(report.topic, report, bool(report.text))
            case protocol.Missing():
                self._put(report.what, report, bool(report.why))

    def take_back(self) -> list[protocol.Notice | protocol.Missing]:
        """It is gone: what takes back all that it said."""
        stood, self._stands = self._stands, {}
        return [
            protocol.Notice(report.topic, "")
            if isinstance(report, protocol.Notice)
            else protocol.Missing(report.what, {}, known=False)
            for report in stood.values()
        ]

    def _put(self, name: str, report: protocol.Notice | protocol.Missing, stands: bool) -> None:
        if stands:
            self._stands[type(report), name] = report
        else:
            self._stands.pop((type(report), name), None)
