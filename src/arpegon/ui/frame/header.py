"""The header: the project, the transport, the key, the views, how the engine is, All off."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from arpegon.core.document import edits
from arpegon.core.document.model import Hookup
from arpegon.core.document.sections import beat_of
from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import SCALE_OPTIONS
from arpegon.core.theory.pitch import pretty_name
from arpegon.core.theory.scales import Key
from arpegon.core.time.clock import TEMPO_RANGE
from arpegon.engine.wire.protocol import Telemetry
from arpegon.processors.targets import TEMPO
from arpegon.ui.controls.name_field import NameField
from arpegon.ui.frame.clock_panel import ClockPanel
from arpegon.ui.frame.header_parts import HEIGHT, BrandFigure, Field, Tab, TransportButton, ViewsButton
from arpegon.ui.look import motion, theme
from arpegon.ui.look.plain import Label, tip, unmarked
from arpegon.ui.model.session import Session
from arpegon.ui.parts.hook_handle import offer_hookup
from arpegon.ui.parts.narrow import Narrow
from arpegon.ui.parts.standard import ROOTS

_METERS = ((2, 4), (3, 4), (4, 4), (5, 4), (6, 4), (7, 4), (3, 8), (5, 8), (6, 8), (7, 8), (9, 8), (12, 8))


_FILE_ROOM = 104
_KEEP = Hookup(id="", action="keep", way="trigger")


class Header(QWidget):
    """The strip at the top.

    Signals:
        view: a view is wanted, by its name.
        menu: the project menu is wanted, beneath this widget.
    """

    view = pyqtSignal(str)
    menu = pyqtSignal(QWidget)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._clock_panel: ClockPanel | None = None
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(6)
        self.mark = BrandFigure()
        row.addWidget(self.mark)
        row.addLayout(self._names(), 1)
        self._build_transport(row)
        self._build_fields(row)
        self._build_views(row)
        self._build_health(row)
        tabs = list(self.tabs.values())
        Narrow(self, ([self.timing, self.audio], [self.mark], tabs, [self.meter], [self.find_button]), {2: self.views})
        session.changed.connect(self.refresh)
        session.file_changed.connect(self.refresh)
        session.reported.connect(self._reported)
        theme.changed.connect(self.update)
        self.refresh()

    # -- building ----------------------------------------------------------------------------------

    def _names(self) -> QVBoxLayout:
        names = QVBoxLayout()
        names.setSpacing(0)
        names.setContentsMargins(2, 5, 0, 5)
        self.title = NameField("", "title")
        self.title.setFixedHeight(23)
        self.title.renamed.connect(
            lambda text: self.session.edit("Title", edits.set_project(self.session.project, title=text))
        )
        self.menu_button = QPushButton("")
        self.menu_button.setProperty("flat", True)
        self.menu_button.setStyleSheet("text-align: left; padding: 0 4px 0 0;")
        self.menu_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.menu_button.setToolTip("New, open, save, undo, look, audio (Alt+P).")
        self.menu_button.clicked.connect(lambda: self.menu.emit(self.menu_button))
        self.find_button = QPushButton("find …")
        self.find_button.setProperty("flat", True)
        self.find_button.setStyleSheet("padding: 0 4px;")
        self.find_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.find_button.setToolTip("Find anything: stages, settings, presets, recipes, the guide (Ctrl+Shift+P).")
        names.addWidget(self.title)
        below = QHBoxLayout()
        below.setSpacing(6)
        below.addWidget(self.menu_button)
        below.addWidget(self.find_button)
        below.addStretch(1)
        names.addLayout(below)
        return names

    def _build_transport(self, row: QHBoxLayout) -> None:
        self.to_start = TransportButton("start", "To the start (Home)")
        self.to_start.clicked.connect(self.session.rewind)
        self.play = TransportButton("play", "Play or stop (Space)")
        self.play.clicked.connect(self.session.play)
        self.record = TransportButton("record", "Record a take, from here to the next press (Ctrl+R)")
        self.record.clicked.connect(self.session.recorder.record)
        for button, action in ((self.to_start, "to-start"), (self.play, "play-stop"), (self.record, "record")):
            offer_hookup(self.session.hooking, button, "", action=action)
        for button in (self.to_start, self.play, self.record):
            row.addWidget(button)
        self.keep = QPushButton("Keep")
        self.keep.setFixedHeight(30)
        self.keep.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.keep.setToolTip(
            "<qt>Keep what was just played, as a take: everything since the last rest of four seconds, as played "
            "and as generated (Ctrl+K). Right click for other lengths, up to the last ten minutes.</qt>"
        )
        self.keep.clicked.connect(lambda: self._keep(None))
        self.keep.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.keep.customContextMenuRequested.connect(lambda place: self._keep_menu())
        row.addWidget(self.keep)
        row.addSpacing(8)

    def _build_fields(self, row: QHBoxLayout) -> None:
        self.position = Field("Position", "Bar, beat and tick. Click to go to a bar.", 104)
        self.position.clicked.connect(self.position.type_value)
        self.position.typed.connect(self._go_to)
        self.tempo = Field(
            "Tempo",
            "Quarter notes a minute, 20 to 400. Drag, wheel (Shift is fine), click to type; Ctrl+Space taps it. "
            "Right click (Ctrl+Shift+T): follow or send a MIDI clock.",
            62,
        )
        self.tempo.asked.connect(self.open_clock)
        self.tempo.clicked.connect(self._click_tempo)
        self.tempo.typed.connect(self._type_tempo)
        self.tempo.stepped.connect(lambda step: self._set_tempo(self.session.project.tempo + step))
        self.tempo.settled.connect(self.session.settle)
        self.meter = Field("Meter", "Beats in a bar. Click to choose.", 50)
        self.meter.clicked.connect(self._meter_menu)
        self.key = Field("Key", "The project's key: stages that follow it, and the spelling of notes. Click.", 96)
        self.key.clicked.connect(self._key_menu)
        for field in (self.position, self.tempo, self.meter, self.key):
            row.addWidget(field)

    def _build_views(self, row: QHBoxLayout) -> None:
        self.tabs: dict[str, Tab] = {}
        for name, help_text in (
            ("Board", "All strands (Ctrl+1)"),
            ("Take", "What was kept and recorded (Ctrl+2)"),
            ("Hookups", "Controllers that work the program (Ctrl+3)"),
            ("Sections", "The parts of the piece, and what holds in each (Ctrl+4)"),
        ):
            tab = self.tabs[name] = Tab(name, help_text)
            tab.clicked.connect(lambda _=False, name=name: self.view.emit(name))
            row.addWidget(tab)
        self.tabs["Board"].setChecked(True)
        self.views = ViewsButton(self.tabs)
        row.addWidget(self.views)

    def _build_health(self, row: QHBoxLayout) -> None:
        health = QVBoxLayout()
        health.setSpacing(0)
        health.addStretch(1)
        self._shown: tuple[object, ...] = ()
        self._tempo = 0.0
        self.timing = Label("timing –")
        self.audio = Label("audio –")
        for label, help_text in (
            (
                self.timing,
                "How far from its own time what left was at worst, in 99 of 100 cases of the last two seconds: to the "
                "sample where a JACK server is, else as late as the engine was.",
            ),
            (
                self.audio,
                "From an event to its sound: the constant latency of the audio device, and what all strands wait for "
                "one that is played early. The device rests, and is left to other programs, while the project has no "
                "instrument and lets no audio source be heard.",
            ),
        ):
            label.setProperty("role", "small-number")
            label.setFixedHeight(17)
            label.setToolTip(tip(help_text))
            label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            label.setFixedWidth(104)
            health.addWidget(label)
        health.addStretch(1)
        row.addLayout(health)
        row.addSpacing(6)
        self.all_off = QPushButton("All off")
        self.all_off.setProperty("alarm", True)
        self.all_off.setFixedSize(56, 30)
        self.all_off.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        offer_hookup(self.session.hooking, self.all_off, "", action="all-off")
        self.all_off.setToolTip("Silence everything, whatever happened (Ctrl+.)")
        row.addWidget(self.all_off)

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the document."""
        session = self.session
        project = session.project
        self.title.setText(project.title)
        file = session.filing.path.name if session.filing.path else "not a file yet"
        state = "edited" if session.history.dirty else "saved" if session.filing.path else "new"
        metrics = QFontMetrics(theme.label_font(12))
        shown = metrics.elidedText(file, Qt.TextElideMode.ElideMiddle, _FILE_ROOM)
        self.menu_button.setText(f"{unmarked(shown)} · {state}  ▾")
        self._show_tempo()
        self.meter.show_text(f"{project.meter[0]}/{project.meter[1]}")
        self.key.show_text(project.key.label)
        self.record.show_active(session.recorder.since is not None)

    def _show_tempo(self) -> None:
        """The project's tempo, or that of the clock that is followed."""
        told = self.session.telemetry
        follows = self.session.project.clock.leads_tempo
        led = follows and told.clock != "own"
        tempo = told.tempo if led or told.playing else self.session.project.tempo
        self.tempo.show_text(f"{tempo:.1f}" if told.clock not in ("waiting", "lost") or not follows else "– –")
        self.tempo.show_caption("Clock" if follows else "Tempo", follows and told.clock in ("waiting", "lost"))

    def _reported(self, told: Telemetry) -> None:
        if self.session.project.clock.leads_tempo or told.tempo != self._tempo:
            self._tempo = told.tempo
            self._show_tempo()
        self.play.show_active(told.playing)
        health = told.health
        shown = (health.timing, health.audio, health.audio_latency + health.lead, health.audio_rests)
        if shown != self._shown:
            self._shown = shown
            self._show_health(*shown)

    def _show_health(self, timing: float, audio: str, latency: float, rests: bool) -> None:
        self.timing.setText(f"timing {_in_ms(timing)}")
        if audio:
            self.audio.setText(f"audio {latency * 1000:.1f} ms")
        else:
            self.audio.setText("audio rests" if rests else "audio none")

    def tick(self, now: float) -> None:
        """One frame."""
        self.position.show_text(self.session.position(now))
        turn = 0 if motion.less() else int(self.session.beat_at(now)) % 12
        if turn != self.mark.turn:
            self.mark.turn = turn
            self.mark.update()

    # -- edits -------------------------------------------------------------------------------------

    def open_clock(self) -> None:
        """Whose clock leads, who is sent it, and the clock box."""
        if self._clock_panel is None:
            self._clock_panel = ClockPanel(self.session, self)
        self._clock_panel.open_below(self.tempo.mapToGlobal(self.tempo.rect().bottomLeft()))

    def _click_tempo(self) -> None:
        if self.session.project.clock.leads_tempo:
            self.open_clock()
        else:
            self.tempo.type_value()

    def _set_tempo(self, tempo: float) -> None:
        if self.session.project.clock.leads_tempo:
            self.session.notice(
                "edit", "The tempo comes from a MIDI clock: right click on it to choose the project's own."
            )
            return
        tempo = round(min(TEMPO_RANGE[1], max(TEMPO_RANGE[0], tempo)), 1)
        self.session.edit("Tempo", edits.set_project(self.session.project, tempo=tempo), "tempo")

    def _type_tempo(self, text: str) -> None:
        try:
            tempo = TEMPO.typed(text)
        except ParameterError:
            self.session.notice("edit", f"“{text}” is no tempo: type quarter notes a minute, 20 to 400.")
            return
        if not TEMPO_RANGE[0] <= tempo <= TEMPO_RANGE[1]:
            self.session.notice("edit", f"The tempo runs from 20 to 400; {tempo:g} was taken as its nearest bound.")
        self._set_tempo(tempo)
        self.session.settle()

    def _go_to(self, text: str) -> None:
        try:
            bar, in_bar = ([int(part) for part in text.split(".")] + [1])[:2]
            beat = beat_of(self.session.piece.document, bar, in_bar)
        except ValueError:
            self.session.notice("edit", f"“{text}” is no position: type a bar, or bar and beat as in 12.3.")
            return
        self.session.link.locate(max(0.0, beat))

    def _meter_menu(self) -> None:
        menu = QMenu(self)
        for meter in _METERS:
            menu.addAction(
                f"{meter[0]}/{meter[1]}",
                lambda meter=meter: self.session.edit("Meter", edits.set_project(self.session.project, meter=meter)),
            )
        menu.exec(self.meter.mapToGlobal(self.meter.rect().bottomLeft()))

    def _key_menu(self) -> None:
        menu = QMenu(self)
        now = self.session.project.key
        roots = menu.addMenu(f"Root: {pretty_name(now.root)}")
        scales = menu.addMenu(f"Scale: {SCALE_OPTIONS[now.scale]}")
        if roots is None or scales is None:
            return
        for root in ROOTS:
            roots.addAction(pretty_name(root), lambda root=root: self._set_key(Key(root, now.scale)))
        for scale, label in SCALE_OPTIONS.items():
            scales.addAction(label, lambda scale=scale: self._set_key(Key(now.root, scale)))
        menu.exec(self.key.mapToGlobal(self.key.rect().bottomLeft()))

    def _set_key(self, key: Key) -> None:
        self.session.edit(f"Key {key.label}", edits.set_project(self.session.project, key=key))

    def _keep(self, seconds: float | None) -> None:
        if not self.session.recorder.keep(seconds):
            self.session.notice("take", "There is nothing to keep yet: play something first.")

    def _keep_menu(self) -> None:
        menu = QMenu(self)
        menu.addAction("Learn: strike a control …", lambda: self.session.hooking.learn(_KEEP))
        menu.addSeparator()
        menu.addAction("Since the last rest", lambda: self._keep(None))
        for words, seconds in (
            ("Last 30 seconds", 30.0),
            ("Last 2 minutes", 120.0),
            ("All of the last ten minutes", 600.0),
        ):
            menu.addAction(words, lambda seconds=seconds: self._keep(seconds))
        menu.exec(self.keep.mapToGlobal(self.keep.rect().bottomLeft()))


def _in_ms(seconds: float) -> str:
    """Milliseconds as short as they can be told apart."""
    return f"{seconds * 1000:.1f} ms" if seconds >= 0.0001 or seconds == 0.0 else f"{seconds * 1000:.2f} ms"
