"""What an audio source listens to: an input or a file, which channels, and whether it is heard itself."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import STAND_IN, AudioSource
from arpegon.files.sounds import stand_ins
from arpegon.processors.registry import LISTENINGS
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.controls.choices import Picker, Segments, ToggleSwitch
from arpegon.ui.controls.input_meter import InputMeter
from arpegon.ui.parts.standard import under_caption

_FILE = "file:"
_CHOOSE = "choose"
_MAX_CHANNELS = 16


def stand_in_words(name: str) -> str:
    """A sound that ships, as it is read: "Hummed tune"."""
    return name.removeprefix(STAND_IN).replace("-", " ").capitalize()


class AudioBox(QWidget):
    """The head of the editors of audio sources."""

    def __init__(self, editor: StageEditor) -> None:
        super().__init__()
        self.editor = editor
        self.session = editor.session
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(14)
        self.what = Picker({}, "An audio input, a sound that ships, to try it with, or an audio file in a loop.")
        self.what.chosen.connect(self._choose)
        row.addWidget(under_caption("Listens to", self.what), 1)
        self.kind = Segments(
            {kind: processor.label for kind, processor in LISTENINGS.items()},
            "What is heard in it: strokes or a melody.",
        )
        self.kind.chosen.connect(self._set_kind)
        row.addWidget(under_caption("for", self.kind))
        box.addLayout(row)
        self.meter = InputMeter(editor.ink)
        box.addWidget(self.meter)
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(0, 2)
        grid.setColumnStretch(1, 3)
        self.channels = Picker({}, "Which channel of the input is heard; two for a pad with head and rim.")
        self.channels.chosen.connect(self._set_channels)
        grid.addWidget(under_caption("Channel of the input", self.channels), 0, 0, 2, 1)
        self.monitor = ToggleSwitch("Hear it, too", "Let the audio itself be heard beside the notes made of it.")
        self.monitor.toggled.connect(lambda on: self.change("Hear it, too", monitor=on))
        grid.addWidget(self.monitor, 0, 1)
        self.loop = ToggleSwitch("Loop", "Begin the file anew when it has ended.")
        self.loop.toggled.connect(lambda on: self.change("Loop", loop=on))
        grid.addWidget(self.loop, 1, 1)
        box.addLayout(grid)

    @property
    def source(self) -> AudioSource | None:
        """The source that is edited."""
        sources = self.editor.strand.active_sources
        found = next((one for one in sources if one.id == self.editor.stage.id), None)
        return found if isinstance(found, AudioSource) else None

    def change(self, label: str, **changes: Any) -> None:
        """Edit the source."""
        source = self.source
        if source is None:
            return
        place = self.editor.strand.sources.index(source)
        changed = msgspec.structs.replace(source, **changes)
        self.session.edit(label, edits.set_source(self.session.project, self.editor.strand.id, place, changed))

    def _choose(self, chosen: str) -> None:
        if chosen == _CHOOSE:
            self.choose_file()
        elif chosen.startswith(_FILE):
            self.change("Audio", file=chosen.removeprefix(_FILE))
        else:
            self.change("Audio", file="", device=chosen)

    def choose_file(self) -> None:
        """Let an audio file be chosen."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Choose a sound", str(self.session.filing.folder), "Audio files (*.wav *.flac *.ogg *.aiff *.mp3)"
        )
        if name:
            self.set_file(Path(name))
        else:
            self.show_source()

    def set_file(self, path: Path) -> None:
        """Listen to this file; its path is kept relative to the project where it can be."""
        file = self.session.filing.name_for(path)
        if file is not None:
            self.change("Audio file", file=file)

    def _set_kind(self, kind: str) -> None:
        source = self.source
        if source is not None and kind != source.listen:
            self.change("Listen for", listen=kind, params=dict(self.session.settings.listening.get(kind, {})))

    def _set_channels(self, text: str) -> None:
        inputs = tuple(int(word) for word in text.split("+"))
        source = self.source
        if source is None:
            return
        params = source.params
        if source.listen == "hits":
            params = {**params, "zones": "two" if len(inputs) == 2 else "one"}
        self.change("Input channel", inputs=inputs, params=params)

    def show_source(self) -> None:
        """Show the source as it is now."""
        source = self.source
        if source is None:
            return
        devices = list(self.session.reports.ports.audio_in)
        options = {"": "Default audio input", **{device: device for device in devices}}
        if source.device and source.device not in devices:
            options[source.device] = f"{source.device} (not there now)"
        options |= {f"{_FILE}{name}": f"{stand_in_words(name)} (example)" for name in stand_ins()}
        if source.file and f"{_FILE}{source.file}" not in options:
            options[f"{_FILE}{source.file}"] = Path(source.file).name
        options[_CHOOSE] = "An audio file …"
        self.what.set_options(options)
        self.what.set_value(f"{_FILE}{source.file}" if source.file else source.device)
        self.kind.set_value(source.listen)
        channels = {str(number): str(number) for number in range(1, _MAX_CHANNELS + 1)}
        if source.listen == "hits":
            channels |= {f"{n}+{n + 1}": f"{n} head, {n + 1} rim" for n in range(1, _MAX_CHANNELS, 2)}
        here = "+".join(str(number) for number in source.inputs)
        self.channels.set_options(channels if here in channels else {**channels, here: here})
        self.channels.set_value(here)
        self.monitor.set_value(source.monitor)
        self.loop.setVisible(bool(source.file))
        self.loop.set_value(source.loop)
