"""What can be done with a strand from its column: its menus, and the edits behind them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu

from arpegon.core.document import edits
from arpegon.core.document.model import (
    ActiveSource,
    AnyDestination,
    AnySource,
    ClickSource,
    InstrumentDestination,
    MidiSource,
    PortDestination,
    StrandSource,
    SurfaceSource,
)
from arpegon.files.presets import Preset
from arpegon.processors import GENERATORS, PROCESSORS
from arpegon.processors.registry import GROUPS, LISTENINGS
from arpegon.ui.look import theme
from arpegon.ui.look.plain import unmarked
from arpegon.ui.look.swatch import ink_icon
from arpegon.ui.model.selection import Selection
from arpegon.ui.model.session import Session, fresh_audio
from arpegon.ui.parts import clipboard
from arpegon.ui.parts.preset_picker import PresetPicker

if TYPE_CHECKING:
    from arpegon.ui.board.column import Column


def _select_and_act(select: Callable[[], None], act: Callable[[Session], object], session: Session) -> None:
    select()
    act(session)


class ColumnActs:
    """The edits of one column, and the menus that offer them."""

    def __init__(self, column: Column) -> None:
        self.column = column
        self.session: Session = column.session

    def select(self, part: str, place: int) -> None:
        if part == "source":
            self.session.select_source(self.column.strand.id, place)
        else:
            self.session.select(Selection(self.column.strand.id, part, "", place))

    def set(self, label: str, **changes: object) -> None:
        self.session.edit(label, edits.set_strand(self.session.project, self.column.strand.id, **changes))

    def rename(self, name: str) -> None:
        self.set(f"Rename to {name}", name=name)

    def bypass(self, stage_id: str) -> None:
        found = self.session.project.find_stage(stage_id)
        if found is not None:
            self.session.edit("Bypass", edits.set_bypass(self.session.project, stage_id, not found[1].bypass))

    def remove(self, stage_id: str) -> None:
        self.session.edit("Remove stage", edits.remove_stage(self.session.project, stage_id))

    def add(self, kind: str, place: int) -> None:
        stage = clipboard.fresh_stage(kind)
        clipboard.put_stage(self.session, self.column.strand.id, stage, place, f"Add {PROCESSORS[kind].label}")

    def offer_stages(self, place: int, where: QPoint) -> None:
        """Offer the processors for a place among the stages."""
        menu = self.stage_choices(place)
        menu.exec(where)

    def stage_choices(self, place: int) -> QMenu:
        """The menu of processors for a place among the stages."""
        menu = QMenu(self.column)
        for group, processors in GROUPS.items():
            menu.addSection(group)
            for processor in processors:
                menu.addAction(
                    f"{processor.label}   –   {processor.summary}",
                    lambda kind=processor.kind: self.add(kind, place),
                )
        menu.addSeparator()
        menu.addAction("From a preset …", lambda: self.offer_presets(place))
        return menu

    def offer_presets(self, place: int) -> None:
        """Offer presets of stages for a place among them."""
        picker = PresetPicker(self.session, parent=self.column)
        picker.chosen.connect(lambda preset: self.add_preset(preset, place))
        picker.open_at(self.column.mapToGlobal(QPoint(self.column.width() + 180, 60)))

    def add_preset(self, preset: Preset, place: int) -> None:
        if preset.stage is None:
            clipboard.put_in(self.session, preset)
            return
        clipboard.put_stage(self.session, self.column.strand.id, preset.stage, place, f"Add {preset.name}")

    def stage_menu(self, stage_id: str, where: QPoint) -> None:
        found = self.session.project.find_stage(stage_id)
        if found is None:
            return
        place = self.column.strand.stages.index(found[1])
        menu = QMenu(self.column)
        menu.addAction("Take back in" if found[1].bypass else "Bypass", lambda: self.bypass(stage_id))
        before = menu.addMenu("Add a stage before")
        after = menu.addMenu("Add a stage after")
        for submenu, where_to in ((before, place), (after, place + 1)):
            if submenu is None:
                continue
            for group, processors in GROUPS.items():
                submenu.addSection(group)
                for processor in processors:
                    submenu.addAction(processor.label, lambda kind=processor.kind, to=where_to: self.add(kind, to))
        menu.addAction("Move up", lambda: self.move(stage_id, -1)).setEnabled(place > 0)  # type: ignore[union-attr]
        down = menu.addAction("Move down", lambda: self.move(stage_id, 1))
        if down is not None:
            down.setEnabled(place < len(self.column.strand.stages) - 1)
        menu.addSeparator()
        self.add_clipboard(menu, lambda: self.session.select_stage(stage_id))
        menu.addAction("Remove", lambda: self.remove(stage_id))
        menu.exec(where)

    def add_clipboard(self, menu: QMenu, select: Callable[[], None]) -> None:
        """Copy, cut, paste and duplicate of what ``select`` selects."""
        session = self.session
        for text, act in (
            ("Copy", clipboard.copy),
            ("Cut", clipboard.cut),
            ("Paste behind", clipboard.paste),
            ("Duplicate", clipboard.duplicate),
        ):
            menu.addAction(text, partial(_select_and_act, select, act, session))

    def move(self, stage_id: str, step: int) -> None:
        ids = [stage.id for stage in self.column.strand.stages]
        place = max(0, min(len(ids) - 1, ids.index(stage_id) + step))
        self.session.edit("Move stage", edits.move_stage(self.session.project, stage_id, self.column.strand.id, place))

    def add_source(self, source: AnySource) -> None:
        """Feed the strand from one more source, and put it on the bench."""
        place = len(self.column.strand.sources)
        self.session.edit("Add source", edits.set_source(self.session.project, self.column.strand.id, place, source))
        self.select("source", place)

    def add_destination(self, destination: AnyDestination) -> None:
        """Send the strand to one more destination, and put it on the bench."""
        place = len(self.column.strand.destinations)
        project = edits.set_destination(self.session.project, self.column.strand.id, place, destination)
        self.session.edit("Add destination", project)
        self.select("destination", place)

    def add_source_menu(self, where: QPoint) -> None:
        menu = QMenu(self.column)
        self.fill_sources(menu)
        menu.exec(where)

    def fill_sources(self, menu: QMenu) -> None:
        menu.addAction("Play surface", lambda: self.add_source(SurfaceSource()))
        menu.addAction("All MIDI inputs", lambda: self.add_source(MidiSource()))
        for port in self.session.reports.ports.inputs:
            menu.addAction(f"MIDI input {unmarked(port)}", lambda port=port: self.add_source(MidiSource(port=port)))
        for kind, processor in GENERATORS.items():
            menu.addAction(
                f"{processor.label}   –   {processor.summary}",
                lambda kind=kind: self.add_source(edits.fresh_generator(self.session.project, kind)),
            )
        for kind, processor in LISTENINGS.items():
            menu.addAction(
                f"Audio, {processor.label.lower()}   –   {processor.summary}",
                lambda kind=kind: self.add_source(fresh_audio(self.session, kind)),
            )
        menu.addAction("Clip (a MIDI file) …", lambda: self.add_source(edits.fresh_clip(self.session.project)))
        menu.addAction("Metronome", lambda: self.add_source(ClickSource()))
        for other in self.session.project.strands:
            if other.id != self.column.strand.id:
                menu.addAction(
                    f"From {unmarked(other.name)}", lambda other=other: self.add_source(StrandSource(strand=other.id))
                )

    def fill_destinations(self, menu: QMenu) -> None:
        menu.addAction("Arpegon's own MIDI output", lambda: self.add_destination(PortDestination(channel=0)))
        for port in self.session.reports.ports.outputs:
            menu.addAction(
                f"MIDI output {unmarked(port)}",
                lambda port=port: self.add_destination(PortDestination(port=port, channel=0)),
            )
        for one in self.session.project.instruments:
            menu.addAction(
                f"Instrument {unmarked(one.id)}",
                lambda one=one: self.add_destination(InstrumentDestination(instrument=one.id, channel=0)),
            )

    def menu(self, where: QPoint) -> None:
        menu = QMenu(self.column)
        menu.addAction("Rename", self.column.rename)
        sources = menu.addMenu("Add a source")
        destinations = menu.addMenu("Add a destination")
        if sources is not None and destinations is not None:
            self.fill_sources(sources)
            self.fill_destinations(destinations)
        place = self.session.project.strands.index(self.column.strand)
        menu.addAction(
            "Stop with the transport" if self.column.strand.plays_on else "Play on when the transport stops",
            lambda: self.set("Play on", plays_on=not self.column.strand.plays_on),
        )
        menu.addAction(
            "Stop sending the source along" if self.column.strand.along else "Send the source along",
            lambda: self.set("Send the source along", along=not self.column.strand.along),
        )
        inks = menu.addMenu("Colour")
        if inks is not None:
            for number, name in enumerate(theme.INK_NAMES):
                inks.addAction(ink_icon(number), name, lambda number=number: self.set("Colour", ink=number))
        menu.addSeparator()
        self.add_clipboard(menu, lambda: self.session.select(Selection(self.column.strand.id, "strand")))
        menu.addSeparator()
        for text, step in (("Move left", -1), ("Move right", 1)):
            action = menu.addAction(text, lambda step=step: self.shift(place + step))
            if action is not None:
                action.setEnabled(0 <= place + step < len(self.session.project.strands))
        menu.addSeparator()
        menu.addAction(f"Remove {unmarked(self.column.strand.name)}", self.remove_strand)
        menu.exec(where)

    def shift(self, place: int) -> None:
        self.session.edit("Move strand", edits.move_strand(self.session.project, self.column.strand.id, place))

    def remove_strand(self) -> None:
        self.session.edit(
            f"Remove {self.column.strand.name}",
            edits.remove_strand(self.session.project, self.column.strand.id),
        )

    def source_menu(self, place: int, where: QPoint) -> None:
        menu = QMenu(self.column)
        source = self.column.strand.sources[place]
        if isinstance(source, ActiveSource):
            menu.addAction("Wake it" if source.bypass else "Let it rest", lambda: self.bypass(source.id))
            self.add_clipboard(menu, lambda: self.select("source", place))
        menu.addAction("Remove", lambda: self.remove_end("source", place))
        menu.exec(where)

    def destination_menu(self, place: int, where: QPoint) -> None:
        destination = self.column.strand.destinations[place]
        menu = QMenu(self.column)
        muted = msgspec.structs.replace(destination, muted=not destination.muted)
        menu.addAction(
            "Unmute" if destination.muted else "Mute",
            lambda: self.session.edit(
                "Mute destination", edits.set_destination(self.session.project, self.column.strand.id, place, muted)
            ),
        )
        menu.addAction("Remove", lambda: self.remove_end("destination", place))
        menu.exec(where)

    def remove_end(self, part: str, place: int) -> None:
        change = edits.set_source if part == "source" else edits.set_destination
        self.session.edit(f"Remove {part}", change(self.session.project, self.column.strand.id, place, None))
