"""Which editor stands on the bench for which kind of stage or source."""

from __future__ import annotations

from arpegon.ui.bench.arpeggiator_editor import ArpeggiatorEditor
from arpegon.ui.bench.chord_editor import ChordEditor
from arpegon.ui.bench.controller_editors import (
    ContourEditor,
    ConvertEditor,
    FanEditor,
    LfoEditor,
    SmoothEditor,
    StairsEditor,
)
from arpegon.ui.bench.editor import StageEditor
from arpegon.ui.bench.humanize_editor import HumanizeEditor
from arpegon.ui.bench.listen_editors import HitsEditor, PitchEditor
from arpegon.ui.bench.pitch_editors import KeyMapEditor, MirrorEditor, TransposeEditor
from arpegon.ui.bench.rebound_editor import ReboundEditor
from arpegon.ui.bench.rings_editor import RingsEditor
from arpegon.ui.bench.scale_editor import ScaleEditor
from arpegon.ui.bench.steps_editor import StepsEditor
from arpegon.ui.bench.stroke_editors import (
    ChanceEditor,
    EchoEditor,
    GridEditor,
    HoldEditor,
    LengthEditor,
    RepeatEditor,
    ThinEditor,
)
from arpegon.ui.bench.traffic_editors import ChannelEditor, SieveEditor
from arpegon.ui.bench.velocity_editor import VelocityEditor

EDITORS: dict[str, type[StageEditor]] = {
    "humanize": HumanizeEditor,
    "velocity": VelocityEditor,
    "scale": ScaleEditor,
    "transpose": TransposeEditor,
    "mirror": MirrorEditor,
    "keymap": KeyMapEditor,
    "chord": ChordEditor,
    "thin": ThinEditor,
    "arpeggiator": ArpeggiatorEditor,
    "echo": EchoEditor,
    "grid": GridEditor,
    "length": LengthEditor,
    "hold": HoldEditor,
    "repeat": RepeatEditor,
    "sieve": SieveEditor,
    "chance": ChanceEditor,
    "channel": ChannelEditor,
    "convert": ConvertEditor,
    "fan": FanEditor,
    "stairs": StairsEditor,
    "smooth": SmoothEditor,
    "lfo": LfoEditor,
    "contour": ContourEditor,
    "steps": StepsEditor,
    "rings": RingsEditor,
    "rebound": ReboundEditor,
    "hits": HitsEditor,
    "pitch": PitchEditor,
}
"""A stage without an entry gets the standard controls of its declarations."""
