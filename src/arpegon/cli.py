"""The commands."""

from __future__ import annotations

import contextlib
import difflib
import math
import sys
from pathlib import Path
from typing import Any

import click

from arpegon import __version__
from arpegon.core.counting import counted
from arpegon.core.errors import ArpegonError
from arpegon.files.places import DEMO


class Commands(click.Group):
    """A group whose first word may be a project: ``arpegon tide.arpegon`` opens the window on it, and options may then
    stand behind it."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        # With its settings: click keeps the help option of the first context that it sees.
        anywhere = click.Context(self, allow_interspersed_args=True, **self.context_settings)
        with contextlib.suppress(click.UsageError):  # those of a command, or wrong ones, which are said below
            _, words, _ = self.make_parser(anywhere).parse_args(list(args))
            ctx.allow_interspersed_args = bool(words) and words[0] not in self.commands
        return super().parse_args(ctx, args)

    def resolve_command(self, ctx: click.Context, args: list[str]) -> Any:
        if args and args[0] not in self.commands:
            if args[0].isalpha() and not Path(args[0]).exists():
                near = difflib.get_close_matches(args[0], self.commands, 1)
                hint = f" Did you mean “{near[0]}”?" if near else ""
                raise ArpegonError(f"There is no command or file “{args[0]}”.{hint}")
            args = ["open", *args]
        return super().resolve_command(ctx, args)

    def main(self, *args: Any, **kwargs: Any) -> Any:
        try:
            return super().main(*args, **kwargs)
        except ArpegonError as error:
            click.echo(f"arpegon: {error}", err=True)
            sys.exit(2)
        except BrokenPipeError:
            sys.exit(0)


@click.group(cls=Commands, invoke_without_command=True, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__)
@click.option("--demo", is_flag=True, help="Open the demo project.")
@click.option("--headless", is_flag=True, help="Let the project work without a window, until a signal ends it.")
@click.option("--play", "plays", is_flag=True, help="With --headless: start the transport at once.")
@click.option(
    "--osc",
    "osc_port",
    metavar="PORT",
    type=click.IntRange(1, 65535),
    help="With --headless: hear OSC on this port.",
)
@click.option("--osc-anywhere", is_flag=True, help="Hear OSC from the local network, not from this computer only.")
@click.pass_context
def main(ctx: click.Context, demo: bool, headless: bool, plays: bool, osc_port: int | None, osc_anywhere: bool) -> None:
    """Arpegon chains MIDI processors and shows what each of them did.

    Without a command it opens the window: arpegon [PROJECT].
    """
    if headless and ctx.invoked_subcommand != "open" and not demo:
        raise ArpegonError("Say which project is to work without a window: arpegon --headless PROJECT.")
    if (plays or osc_port or osc_anywhere) and not headless:
        raise ArpegonError("--play and --osc are for what works without a window: give --headless, too.")
    if osc_anywhere and not osc_port:
        raise ArpegonError("--osc-anywhere says from where --osc is heard: give that, too.")
    ctx.obj = (plays, osc_port or 0, osc_anywhere) if headless else None
    if ctx.invoked_subcommand is None:
        if headless:
            _run_headless(DEMO, ctx.obj)
        _open_window(None, demo)


@main.command("open", hidden=True)
@click.argument("project", type=click.Path(path_type=Path))
@click.pass_obj
def open_command(headless: tuple[bool, int, bool] | None, project: Path) -> None:
    """Open the window on a project."""
    if headless is not None:
        _run_headless(project, headless)
    _open_window(project, False)


def _run_headless(project: Path, how: tuple[bool, int, bool]) -> None:
    from arpegon.headless import run_headless

    sys.exit(run_headless(project, *how))


def _open_window(project: Path | None, demo: bool) -> None:
    from arpegon.starting import begin

    begin()
    from arpegon.ui.app import run_app

    sys.exit(run_app(project, demo))


class _Finite(click.FloatRange):
    """A number within bounds; “nan” and “inf” are none."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        number = super().convert(value, param, ctx)
        if not math.isfinite(number):
            self.fail(f"{value} is no number of them.", param, ctx)
        return number


@main.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--midi-in", type=click.Path(path_type=Path), help="A MIDI file for every surface and midi source.")
@click.option(
    "--keep-tempo", is_flag=True, help="Play --midi-in in the seconds of its own tempo, not on the piece's beats."
)
@click.option("--take-tempo", is_flag=True, help="Take the tempi and meters of --midi-in for the whole render.")
@click.option("--audio-in", type=click.Path(path_type=Path), help="An audio file for every audio source.")
@click.option("--bars", type=_Finite(min=0, min_open=True), help="How many bars.")
@click.option("--seconds", type=_Finite(min=0, min_open=True, max=86400), help="How many seconds.")
@click.option("--midi", "midi_out", type=click.Path(path_type=Path), help="Write what sounds as a MIDI file.")
@click.option(
    "--by", type=click.Choice(["strand", "port", "instrument"]), default="strand", help="What has a track of its own."
)
@click.option("--all", "everything", is_flag=True, help="Write what left every strand, muted ones too.")
@click.option("--single", is_flag=True, help="One track for all (type 0).")
@click.option(
    "--wav", "wav_out", type=click.Path(path_type=Path), help="Write what the instruments sounded (.wav, .flac)."
)
@click.option("--stems", is_flag=True, help="Each instrument in a file of its own beside --wav, too.")
@click.option("--normalize", is_flag=True, help="Make the loudest moment of --wav as loud as can be.")
@click.option("--seed", type=click.IntRange(min=0), help="Overrule the seeds of all stages.")
def render(**chosen: Any) -> None:
    """Work a project out offline, from its start.

    Without --bars or --seconds it ends when the last thing has ended: sections, clips, --midi-in, and what stages make
    of them later. --midi-in lies on the beats of the piece, as clips do.
    """
    from arpegon.files.song import Wish
    from arpegon.rendering import render_project

    for line in render_project(Wish(**chosen)):
        click.echo(line.text, err=line.aside)


@main.command("listen")
@click.argument("audio", type=click.Path(path_type=Path))
@click.option("--hits", "kind", flag_value="hits", help="Hear strokes.")
@click.option("--pitch", "kind", flag_value="pitch", help="Hear a melody.")
@click.option("--lowest", metavar="NOTE", help="The lowest note of a melody, such as E2.")
@click.option("--highest", metavar="NOTE", help="The highest note of a melody.")
@click.option("--channel", "number", type=click.IntRange(1, 256), default=1, help="Which channel of the file is heard.")
@click.option("--set", "more", metavar="KEY=VALUE", multiple=True, help="Any other parameter, as docs/processors.md.")
@click.option("--as-live", is_flag=True, help="Notes when they would have sounded, not when they truly began.")
@click.option("--midi", "midi_out", type=click.Path(path_type=Path), help="Write the notes.")
def listen_command(
    audio: Path,
    kind: str | None,
    lowest: str | None,
    highest: str | None,
    number: int,
    more: tuple[str, ...],
    as_live: bool,
    midi_out: Path | None,
) -> None:
    """Hear the notes in an audio file.

    The table has the time at which each note truly began, as far as that can be told, and how much later it was sent;
    live, an audio block is added to that.
    """
    from arpegon.core.processing.parameters import check_params
    from arpegon.files.audio import read_audio
    from arpegon.files.midi import Track, write_midi
    from arpegon.listen.transcript import transcript
    from arpegon.processors import processor_class

    if kind is None:
        raise ArpegonError("Say what to listen for: --hits or --pitch.")
    given: dict[str, Any] = {key: value for key, value in (("lowest", lowest), ("highest", highest)) if value}
    for entry in more:
        key, found, value = entry.partition("=")
        if not found:
            raise ArpegonError(f"--set takes KEY=VALUE, such as sureness=80; it got “{entry}”.")
        given[key.strip()] = _value(value.strip())
    values = check_params(processor_class(kind).params, given, f"--{kind}")
    sound = read_audio(audio)
    if number > sound.samples.shape[1]:
        raise ArpegonError(f"“{audio}” has {sound.samples.shape[1]} channels; there is no channel {number}.")
    channels = sound.samples if values.get("zones") == "two" else sound.samples[:, number - 1 :]
    notes = transcript(kind, values, channels, sound.rate)
    _show_notes(notes, audio.name)
    if midi_out is not None:
        write_midi(midi_out, [Track(audio.stem, notes.events(as_live))], 120.0, (4, 4), audio.stem)


def _value(text: str) -> Any:
    """A value as it is typed: JSON where it is some, else the text."""
    import json

    try:
        return json.loads(text)
    except json.JSONDecodeError:
        return text


def _show_notes(notes: Any, name: str) -> None:
    from rich.console import Console
    from rich.table import Table

    from arpegon.core.theory.pitch import note_name

    table = Table("began", "note", "velocity", "lasts", "sent after", "doubt", title=name)
    for mark in notes.marks:
        table.add_row(
            f"{mark.began:.3f} s",
            note_name(mark.note),
            str(mark.velocity),
            f"{mark.end - mark.began:.3f} s",
            f"{1000.0 * (mark.time - mark.began):.0f} ms",
            mark.doubt,
        )
    console = Console()
    if notes.marks:
        console.print(table)
    doubtful = sum(bool(mark.doubt) for mark in notes.marks)
    click.echo(f"{counted(len(notes.marks), 'note')}, {doubtful} of them doubtful.{_delay_words(notes)}")


def _delay_words(notes: Any) -> str:
    """How late notes were sent, as it was: one that follows another without a gap takes longer to be known."""
    if not notes.marks:
        return ""
    took = sorted(1000.0 * (mark.time - mark.began) for mark in notes.marks)
    nine_of_ten = took[min(len(took) - 1, int(0.9 * len(took)))]
    return (
        f" Nine of ten were sent no more than {nine_of_ten:.0f} ms after they began, the latest {took[-1]:.0f} ms; "
        f"the settings alone take {1000.0 * notes.latency:.0f} ms."
    )


@main.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--ports", "with_ports", is_flag=True, help="Ask this computer for its MIDI ports and audio, too.")
def check(project: Path, with_ports: bool) -> None:
    """Validate a project and say which of its strands cannot sound, and why."""
    from arpegon.core.document.path_check import Surroundings, sentence
    from arpegon.engine import offline
    from arpegon.engine.graph.crowds import crowd_words
    from arpegon.files.assets import CLIPS, SOUNDS, remarks
    from arpegon.files.project import load_project
    from arpegon.processors.facts import check_piece, loose_ends
    from arpegon.sound import PLAYED_KEYS

    document = load_project(project)
    clips, missing = CLIPS.load(document, project.parent)
    missing |= SOUNDS.load(document, project.parent)[1]
    for text in (*missing.values(), *remarks(clips)):
        click.echo(text)
    crowd = offline.crowded(document, clips)
    if crowd:
        click.echo(f"With ten keys at once: {crowd_words(document, crowd)}")
    inputs, outputs, audio, _ = _ports() if with_ports else (None, None, None, None)
    around = Surroundings(
        missing_clips=missing.keys(),
        inputs=None if inputs is None else [name for name, _ in inputs],
        outputs=None if outputs is None else [name for name, _ in outputs],
        audio=None if audio is None else bool(audio),
        keys=PLAYED_KEYS,
    )
    breaks, loose = check_piece(document, around), list(loose_ends(document))
    for text in (*(sentence(document, found) for found in breaks), *loose):
        click.echo(text)
    if not breaks:
        count = len(document.strands)
        words = {0: "There is no strand in", 1: "The strand of"}.get(count, f"All {count} strands of")
        reach = {0: ".", 1: " reaches a destination."}.get(count, " reach a destination.")
        click.echo(f"{words} “{document.title}”{reach}")
    sys.exit(1 if breaks or loose else 0)


@main.command()
def ports() -> None:
    """List MIDI and audio ports."""
    inputs, outputs, audio, heard = _ports()
    midi = [[f"{name}  ({api})" for name, api in ports] for ports in (inputs, outputs)]
    lists = (("MIDI inputs", midi[0]), ("MIDI outputs", midi[1]), ("Audio outputs", audio), ("Audio inputs", heard))
    for title, names in lists:
        click.echo(f"{title}:")
        for name in names or ["none"]:
            click.echo(f"  {name}")


def _ports() -> tuple[list[tuple[str, str]], list[tuple[str, str]], list[str], list[str]]:
    """MIDI inputs and outputs, each with its API, and audio outputs and inputs that are there now."""
    import os

    os.environ.setdefault("JACK_NO_START_SERVER", "1")
    from arpegon.engine.devices.alsa_midi import AlsaMidi
    from arpegon.engine.devices.jack_client import JackClient
    from arpegon.engine.devices.port_hub import plain_name
    from arpegon.engine.devices.portaudio import PortAudio

    with _quiet_libraries():
        jack = JackClient("Arpegon look")
        found: list[set[tuple[str, str]]] = [set(), set()]
        for system in (AlsaMidi(), jack):
            for ports, names in zip(found, system.look() or ((), ()), strict=True):
                ports.update((plain_name(name), system.label) for name in names)
        audio = next(system for system in (jack.audio, PortAudio()) if system.there)
        listed = audio.outputs(), audio.inputs()
        jack.close()
    return sorted(found[0]), sorted(found[1]), *listed


class _quiet_libraries:
    """Keeps ALSA's and JACK's own messages (“no server running” and the like) off the terminal."""

    def __enter__(self) -> None:
        import os

        sys.stderr.flush()
        self._saved = os.dup(2)
        null = os.open(os.devnull, os.O_WRONLY)
        os.dup2(null, 2)
        os.close(null)

    def __exit__(self, *_: object) -> None:
        import os

        os.dup2(self._saved, 2)
        os.close(self._saved)


if __name__ == "__main__":
    main()
