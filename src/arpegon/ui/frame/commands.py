"""What the window can be asked to do: one table for shortcuts, for the menu, and for finding anything."""

from __future__ import annotations

import msgspec


class Command(msgspec.Struct, frozen=True):
    """Something that can be done.

    ``words`` are what people may also call it when they look for it.
    """

    name: str
    text: str
    keys: str = ""
    group: str = ""
    """Where in the menu it stands; empty: only its keys and the finder lead to it."""
    words: str = ""


GROUPS = ("Project", "Edit", "Play and record", "Sections", "View", "Look", "Sound and control", "Help")
"""The menu, in its order."""

COMMANDS = (
    Command("new", "New", "Ctrl+N", "Project", "empty project clear"),
    Command("open", "Open …", "Ctrl+O", "Project", "load file"),
    Command("demo", "Open the demo", "", "Project", "example lamplighter"),
    Command("save", "Save", "Ctrl+S", "Project", "store keep file"),
    Command("save_as", "Save as …", "Ctrl+Shift+S", "Project", "copy of the project"),
    Command("export", "Export …", "Ctrl+Shift+E", "Project", "midi file wav flac stems bounce render audio carry over"),
    Command("quit", "Quit", "Ctrl+Q", "Project", "exit close leave"),
    Command("undo", "Undo", "Ctrl+Z", "Edit", "take back"),
    Command("redo", "Redo", "Ctrl+Shift+Z", "Edit", "again"),
    Command("copy_part", "Copy", "Ctrl+C", "Edit", "stage strand clipboard"),
    Command("cut_part", "Cut", "Ctrl+X", "Edit"),
    Command("paste_part", "Paste", "Ctrl+V", "Edit"),
    Command("duplicate", "Duplicate", "Ctrl+D", "Edit", "copy twice double"),
    Command("presets", "Presets", "Ctrl+P", "Edit", "patches programs settings"),
    Command("strand", "New strand", "Ctrl+T", "Edit", "track channel add instrument sound"),
    Command("bypass", "Bypass the selected stage", "Ctrl+B", "Edit", "off disable compare through"),
    Command("play", "Play or stop", "Space", "Play and record", "start run transport"),
    Command("start", "To the start", "Home", "Play and record", "rewind beginning return"),
    Command("record", "Record", "Ctrl+R", "Play and record", "take arm"),
    Command("keep", "Keep", "Ctrl+K", "Play and record", "what was just played retrospective remember last minutes"),
    Command("tap", "Tap the tempo", "Ctrl+Space", "Play and record", "bpm speed"),
    Command("metronome", "Add a metronome", "Ctrl+M", "Play and record", "click count"),
    Command("clock", "Clock: follow, send, try …", "Ctrl+Shift+T", "Play and record", "sync midi clock time code jack"),
    Command("on_stop", "Stop goes back to the start", "", "Play and record", "return rewind"),
    Command("all_off", "All off", "Ctrl+.", "Play and record", "panic hanging stuck note silence nothing stops"),
    Command("section_next", "To the next section", "Ctrl+PgDown", "Sections", "part scene forward"),
    Command("section_previous", "To the section before", "Ctrl+PgUp", "Sections", "part scene back"),
    Command("hold", "Hold changes in the section", "Ctrl+Shift+H", "Sections", "settings per part"),
    Command("board", "Board", "Ctrl+1", "View", "strands stages"),
    Command("take", "Take", "Ctrl+2", "View", "recording edit notes piano roll"),
    Command("hookups", "Hookups", "Ctrl+3", "View", "controllers knobs pads mapping learn"),
    Command("sections", "Sections", "Ctrl+4", "View", "song parts arrangement"),
    Command("wide", "Wide bench", "Ctrl+E", "View", "large editor"),
    Command("fit", "Fit all columns, or give each its room", "Ctrl+Shift+F", "View", "narrow strands zoom"),
    Command("follow", "Follow the last note", "Ctrl+F", "View", "trail why what happened monitor"),
    Command("fold_surface", "Play surface", "Ctrl+Shift+K", "View", "keyboard hide show fold"),
    Command("fold_sections", "Strip of sections", "Ctrl+Shift+B", "View", "hide show fold"),
    Command("stage_view", "On stage: full screen", "F11", "View", "large live performance"),
    Command("night", "Night", "Ctrl+Shift+N", "Look", "dark theme colours"),
    Command("contrast", "High contrast", "", "Look", "accessibility theme see colours"),
    Command("larger", "Larger text", "Ctrl++", "Look", "font size zoom accessibility"),
    Command("smaller", "Smaller text", "Ctrl+-", "Look", "font size zoom"),
    Command("less_motion", "Move less", "", "Look", "reduced motion animation still accessibility"),
    Command("middle_c", "Middle C is written C3", "", "Look", "octave names"),
    Command("learn", "Learn: hook a control up to this", "Ctrl+L", "Sound and control", "midi map assign knob pad"),
    Command("layout", "Computer keys: piano or in key", "Ctrl+Shift+L", "Sound and control", "typing keyboard letters"),
    Command("find", "Find anything …", "Ctrl+Shift+P", "Help", "search command"),
    Command("recipes", "Recipes …", "Ctrl+Shift+R", "Help", "examples set-ups troubles how"),
    Command("guide", "Guide to this", "F1", "Help", "manual documentation help"),
    Command("guide_keys", "Keyboard and mouse", "", "Help", "shortcuts keys"),
    Command("log", "Show the log", "", "Help", "error fault crash"),
    Command("hold_readout", "Hold the readout", "Ctrl+H", words="freeze list"),
    Command("copy", "Copy the readout", "Ctrl+Shift+C", words="list text"),
    Command("unlearn", "Learn no more", "Esc"),
    Command("menu", "Menu", "Alt+P"),
)
BY_NAME = {command.name: command for command in COMMANDS}
CHECKED = (
    *("on_stop", "night", "contrast", "less_motion", "middle_c"),
    *("fold_surface", "fold_sections", "stage_view", "wide"),
)
"""Those that are on or off."""
