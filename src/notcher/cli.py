"""The command line: `notcher`, `notcher transcribe`, `read`, `export`, `place`, `slow`, `isolate`,
`check`, `backing`, `practice`, `strip`, `film`, `lesson`, `packet` and `demo`."""

import argparse
import io
import logging
import sys
import threading
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from notcher import __version__
from notcher.score.errors import NotcherError
from notcher.score.isolation import NAMED_ISOLATIONS, Isolation
from notcher.wording import later, system_language, told, tr, trn, use
from notcher.wording.parser import speak_for_argparse

if TYPE_CHECKING:
    from notcher.formats.packet.wanted import Part
    from notcher.formats.sheet.look import Look
    from notcher.score.project import Project

T = TypeVar("T")
_COMMANDS = ("demo", "transcribe", "export", "slow", "check", "read", "place", "isolate", "backing", "practice",
             "strip", "film", "lesson", "packet")  # fmt: skip
_LONGEST_SLOWED_S, _LONG_FILM_S, _PATIENCE_S = 3600, 60, 5.0


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status: 0 done, 1 could not be done, 2 wrong usage."""
    args = list(sys.argv[1:] if argv is None else argv)
    use(system_language())
    speak_for_argparse()
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    # A file's name may hold bytes that are no text.
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="backslashreplace")
    try:
        if not args or (args[0] not in _COMMANDS and not args[0].startswith("-")):
            return _window(Path(args[0]) if args else None, args[1:])
        options = _parser().parse_args(args)
        return int(options.run(options) or 0)
    except NotcherError as error:
        _complain(told(error))
        return 1
    except KeyboardInterrupt:
        _complain(tr("stopped"))
        return 1
    except MemoryError:
        _complain(tr("not enough memory for this recording; cut out the solo first"))
        return 1


def _complain(text: str) -> None:
    print(f"notcher: {text}", file=sys.stderr)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="notcher",
        description=tr(
            "Measured guitar tablature from a recording. Without a command: opens the window, on FILE if one is named "
            "(a project or a recording)."
        ),
    )
    parser.add_argument(
        "--version",
        action="version",
        version=f"notcher {__version__}",
        help=tr("show program's version number and exit"),
    )
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    demo = commands.add_parser("demo", help=tr("open the window on the demo project, in a copy of its own"))
    demo.set_defaults(run=lambda _: _demo())

    transcribe = commands.add_parser(
        "transcribe", help=tr("measure a recording and write a project with proposed notes")
    )
    transcribe.add_argument("audio", type=Path, metavar="AUDIO")
    transcribe.add_argument("-o", "--output", type=Path, required=True, metavar="P.notcher")
    transcribe.add_argument("--start", type=_seconds, default=0.0, metavar="S", help=tr("seconds, or m:ss"))
    transcribe.add_argument("--end", type=_seconds, default=None, metavar="S")
    transcribe.add_argument("--tuning", default="standard", help=tr("a name, or six pitches from string 1 to 6"))
    transcribe.add_argument("--lead", default="auto", choices=tuple(NAMED_ISOLATIONS))
    transcribe.add_argument("--no-beat", action="store_true", help=tr("do not look for beats and bars"))
    _may_replace(transcribe)
    transcribe.set_defaults(run=_transcribe)

    export = commands.add_parser("export", help=tr("write it for others: as tab, score, sound data or pictures"))
    export.add_argument("project", type=Path, metavar="P.notcher")
    export.add_argument("out", type=Path, metavar="OUT")
    export.add_argument("--as", dest="kind", default=None, metavar="KIND", help=_kinds_of_export())
    export.add_argument("--phrase", action="append", default=[], metavar="NAME")
    export.add_argument(
        "--showing", default=None, metavar="VERSION", help=tr("such as easier: phrases that have it show it")
    )
    export.add_argument(
        "--hands", action="store_true", help=tr("fingers and strokes of the pick also where they are only proposed")
    )
    _looks(export)
    _layered(export)
    export.add_argument("--series", default="", metavar="TEXT", help=tr("on pages: what it is a part of"))
    export.add_argument("--pace", type=_pace, default=100.0, metavar="PERCENT", help=tr("of captions and cues"))
    export.add_argument("--offset", type=_offset_s, default=0.0, metavar="S",
                        help=tr("of captions and cues: so many seconds later"))  # fmt: skip
    export.add_argument("--dialect", type=_dialect, default=0, metavar="N",
                        help=tr("how captions and cues are worded, 1 to 6"))  # fmt: skip
    export.set_defaults(run=_export)

    read = commands.add_parser("read", help=tr("write a project from a MusicXML, MIDI or text tab file"))
    read.add_argument("score", type=Path, metavar="SCORE")
    read.add_argument("-o", "--output", type=Path, required=True, metavar="P.notcher")
    read.add_argument("--tuning", default=None, help=tr("where the score names none; else standard"))
    read.add_argument("--part", default="", metavar="NAME", help=tr("the part to read; else the guitar's"))
    read.add_argument(
        "--recording", type=Path, default=None, metavar="AUDIO", help=tr("line it up with this recording")
    )
    _may_replace(read)
    read.set_defaults(run=_read)

    place = commands.add_parser("place", help=tr("find string, fret, finger and position for notes"))
    place.add_argument("notes", type=Path, metavar="NOTES.json")
    place.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.json")
    place.add_argument("--offer", type=_offers, default=0, metavar="N", help=tr("so many places for each phrase"))
    place.add_argument("--hand", default="per-fret", choices=_hands(), help=tr("which school of fingering"))
    place.set_defaults(run=_place)

    slow = commands.add_parser("slow", help=tr("write the recording slowed at the same pitch"))
    slow.add_argument("audio", type=Path, metavar="AUDIO")
    slow.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.wav", help=tr("or .flac, .ogg"))
    slow.add_argument("--speed", type=_speed, required=True, help=tr("0.5 is half as fast"))
    slow.add_argument("--start", type=_seconds, default=0.0, metavar="S")
    slow.add_argument("--end", type=_seconds, default=None, metavar="S")
    slow.set_defaults(run=_slow)

    isolate = commands.add_parser("isolate", help=tr("write the lead alone, and all the rest"))
    isolate.add_argument("audio", type=Path, metavar="AUDIO")
    isolate.add_argument("-o", "--output", type=Path, required=True, metavar="LEAD.wav", help=tr("or .flac, .ogg"))
    isolate.add_argument("--rest", type=Path, default=None, metavar="REST.wav", help=tr("all but the lead, too"))
    isolate.add_argument("--lead", default="auto", choices=tuple(NAMED_ISOLATIONS))
    isolate.set_defaults(run=_isolate)

    backing = commands.add_parser("backing", help=tr("write a plain band over the chords, as sound or MIDI"))
    backing.add_argument("project", type=Path, metavar="P.notcher")
    backing.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.wav", help=tr("or .flac, .ogg, .mid"))
    backing.add_argument("--phrase", action="append", default=[], metavar="NAME")
    backing.add_argument("--feel", default=None, choices=_feels(), help=tr("else as the project says, or by the tempo"))
    backing.add_argument("--pace", type=_percent, default=100, metavar="PERCENT")
    backing.add_argument("--rounds", type=_rounds, default=1, metavar="N")
    backing.set_defaults(run=_backing)

    practice = commands.add_parser("practice", help=tr("sounds to practise with, a file for each phrase and pace"))
    practice.add_argument("project", type=Path, metavar="P.notcher")
    practice.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    practice.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    practice.add_argument("--paces", type=_paces, default=(50, 75, 100), metavar="50,75,100")
    practice.add_argument("--hear", choices=("recording", "lead", "rest", "backing", "written"), default="recording")
    practice.add_argument("--rounds", type=_rounds, default=4, metavar="N")
    practice.add_argument("--count-in", action="store_true", help=tr("counted before the first round"))
    practice.add_argument("--click", action="store_true")
    practice.add_argument("--in-tune", action="store_true", help=tr("brought to A = 440"))
    practice.add_argument("--shift", type=_shift, default=0, metavar="SEMITONES")
    practice.add_argument("--format", choices=("flac", "ogg", "mp3", "wav"), default="flac")
    practice.set_defaults(run=_practice)

    strip = commands.add_parser("strip", help=tr("a phrase as a picture with a transparent ground, for a video"))
    strip.add_argument("project", type=Path, metavar="P.notcher")
    strip.add_argument("out", type=Path, metavar="OUT.png", help=tr("or .svg"))
    strip.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    strip.add_argument("--width", type=_pixels, default=1920, metavar="PIXELS")
    strip.add_argument("--numbers", type=_pixels, default=40, metavar="PIXELS", help=tr("how high the figures are"))
    strip.add_argument("--dark", action="store_true", help=tr("light ink, for a dark picture"))
    strip.add_argument("--staff", action="store_true", help=tr("a standard staff over the tab"))
    strip.add_argument("--neck", action="store_true", help=tr("and the neck"))
    strip.add_argument("--left-handed", action="store_true", help=tr("its nut on the right"))
    strip.add_argument("--no-chords", action="store_true", help=tr("without the names of chords"))
    strip.add_argument("--each", choices=("phrase", "system", "bar", "card"), default="phrase",
                       help=tr("a picture for each line or bar, or a card for each section"))  # fmt: skip
    strip.set_defaults(run=_strip)

    film = commands.add_parser("film", help=tr("the strip with its playhead over the slowed sound, as a film"))
    film.add_argument("project", type=Path, metavar="P.notcher")
    film.add_argument("out", type=Path, metavar="OUT.webm", help=tr("or .mp4, .mov"))
    film.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    film.add_argument("--pace", type=_pace_of_sound, default=50, metavar="PERCENT")
    film.add_argument("--hear", choices=("recording", "lead", "rest", "backing", "written"), default="",
                      help=tr("else the recording, or the written tab where that is not there"))  # fmt: skip
    film.add_argument("--rounds", type=_rounds, default=1, metavar="N")
    film.add_argument("--width", type=_pixels, default=1280, metavar="PIXELS")
    film.add_argument("--height", type=_pixels, default=720, metavar="PIXELS")
    film.add_argument("--rate", type=int, choices=(24, 25, 30, 50, 60), default=30, metavar="N",
                      help=tr("frames a second: 24, 25, 30, 50 or 60"))  # fmt: skip
    film.add_argument("--no-count-in", action="store_true", help=tr("without the count before"))
    film.add_argument("--no-click", action="store_true", help=tr("without a click"))
    film.add_argument("--dark", action="store_true", help=tr("light ink on a dark ground"))
    film.add_argument("--staff", action="store_true", help=tr("a standard staff over the tab"))
    film.add_argument("--layer", action="store_true", help=tr("a transparent ground, for editing"))
    film.add_argument("--frames", action="store_true", help=tr("OUT is a folder: each frame as PNG, and the sound"))
    film.add_argument("--dialect", type=_dialect, default=0, metavar="N", help=tr("how cues are worded, 1 to 6"))
    film.set_defaults(run=_film)

    lesson = commands.add_parser("lesson", help=tr("a page that any browser opens, with tab and sounds in one file"))
    lesson.add_argument("project", type=Path, metavar="P.notcher")
    lesson.add_argument("out", type=Path, metavar="OUT.html")
    lesson.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    lesson.add_argument("--with-recording", action="store_true", help=tr("the recording goes along, too"))
    lesson.add_argument("--showing", default=None, metavar="VERSION",
                        help=tr("such as easier: phrases that have it show it"))  # fmt: skip
    lesson.add_argument("--left-handed", action="store_true", help=tr("its nut on the right"))
    lesson.add_argument("--dialect", type=_dialect, default=0, metavar="N", help=tr("how cues are worded, 1 to 6"))
    lesson.set_defaults(run=_lesson)

    packet = commands.add_parser("packet", help=tr("all that one learner gets, as a folder or a zip file"))
    packet.add_argument("projects", type=Path, nargs="+", metavar="P.notcher", help=tr("several: a folder for each"))
    packet.add_argument("-o", "--output", type=Path, required=True, metavar="DIR_OR_ZIP")
    packet.add_argument("--for", dest="learner", default="", metavar="NAME", help=tr("else whoever asked for it"))
    packet.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    packet.add_argument("--showing", default=None, metavar="VERSION",
                        help=tr("such as easier: phrases that have it show it"))  # fmt: skip
    packet.add_argument("--parts", type=_parts, default=None, metavar="A,B",
                        help=tr("of {names}; else all", names=", ".join(_part_names())))  # fmt: skip
    packet.add_argument("--paces", type=_paces, default=(50, 75, 100), metavar="50,75,100")
    packet.add_argument("--hear", choices=("recording", "lead", "rest", "backing", "written"), default="written",
                        help=tr("in the practice sounds"))  # fmt: skip
    packet.add_argument("--with-recording", action="store_true", help=tr("the recording goes into the lesson page"))
    packet.add_argument("--hands", action="store_true",
                        help=tr("fingers and strokes of the pick also where they are only proposed"))  # fmt: skip
    packet.add_argument("--keep-no-state", action="store_true", help=tr("do not remember what was handed out"))
    packet.add_argument("--dialect", type=_dialect, default=0, metavar="N",
                        help=tr("how captions and cues are worded, 1 to 6"))  # fmt: skip
    _looks(packet)
    _layered(packet)
    packet.set_defaults(run=_packet)

    check = commands.add_parser("check", help=tr("compare a learner's take with the transcription"))
    check.add_argument("project", type=Path, metavar="P.notcher")
    check.add_argument("take", type=Path, metavar="TAKE.wav")
    check.add_argument("--phrase", default=None, metavar="NAME")
    check.add_argument("--pace", type=_pace, default=None, metavar="PERCENT",
                       help=tr("at which it was played; found where it is not said"))  # fmt: skip
    check.add_argument("--json", action="store_true")
    check.set_defaults(run=_check)
    return parser


def _looks(command: argparse.ArgumentParser) -> None:
    """How pages look."""
    from notcher.formats.sheet.look import Rhythm
    from notcher.formats.sheet.shapes import PAPERS

    command.add_argument("--staff", action="store_true", help=tr("a standard staff over the tab"))
    command.add_argument("--rhythm", choices=tuple(Rhythm), default=None, help=tr("what of it stands under the tab"))
    command.add_argument("--paper", choices=tuple(PAPERS), default="a4")
    command.add_argument("--run-on", action="store_true", help=tr("phrases follow one another on a line"))
    command.add_argument("--size", type=_size, default=100, metavar="PERCENT", help=tr("of all that is printed"))
    command.add_argument("--neck", action="store_true", help=tr("on pages: each phrase on the neck"))
    command.add_argument("--left-handed", action="store_true", help=tr("its nut on the right"))


def _look(options: argparse.Namespace) -> "Look":
    from notcher.formats.sheet.look import Look, Rhythm
    from notcher.formats.sheet.neck import Necks
    from notcher.formats.sheet.shapes import PAPERS

    return Look(
        rhythm=Rhythm(options.rhythm) if options.rhythm else None,
        paper=PAPERS[options.paper],
        run_on=options.run_on,
        size=options.size / 100,
        staff=options.staff,
        neck=Necks(left_handed=options.left_handed) if options.neck else None,
    )


def _layered(command: argparse.ArgumentParser) -> None:
    command.add_argument("--layer", choices=("notes", "legato", "bends", "all"), default="all",
                         help=tr("how much of each phrase is there"))  # fmt: skip


def _shown(options: argparse.Namespace) -> str:
    """The version and the layer that are written, in words."""
    from notcher.teach.layers import Layer
    from notcher.wording.lesson import layer_words
    from notcher.wording.notes import version_words

    layer = Layer(options.layer)
    said = [version_words(options.showing)] if options.showing else []
    return ", ".join(said + ([layer_words(layer)] if layer is not Layer.COLOUR else []))


def _kinds_of_export() -> str:
    from notcher.formats.export import BY_NAME

    return tr("{names}; else told from OUT's ending", names=", ".join(BY_NAME))


def _may_replace(command: argparse.ArgumentParser) -> None:
    command.add_argument("--replace", action="store_true", help=tr("replace a project that is there already"))


def _seconds(text: str) -> float:
    """Seconds from '12.5' or '1:02.5'."""
    from notcher.formats.limits import number

    minutes, _, rest = text.rpartition(":")
    try:
        found = (number(minutes) if minutes else 0.0) * 60 + number(rest)
    except ValueError as error:
        raise argparse.ArgumentTypeError(tr("'{text}' is no time; write seconds or m:ss", text=text)) from error
    if found < 0:
        raise argparse.ArgumentTypeError(
            tr("'{text}' is before the beginning; write seconds from 0 on, or m:ss", text=text)
        )
    return found


def _hands() -> tuple[str, ...]:
    from notcher.score.playing import Hand

    return tuple(str(hand) for hand in Hand)


def _feels() -> tuple[str, ...]:
    from notcher.score.feel import BY_NAME

    return tuple(BY_NAME)


def _between(text: str, low: int, high: int) -> int:
    from notcher.formats.limits import whole

    try:
        number = whole(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(tr("'{text}' is no whole number", text=text)) from error
    if not low <= number <= high:
        raise argparse.ArgumentTypeError(tr("from {low} to {high}, got {text}", low=low, high=high, text=text))
    return number


def _size(text: str) -> int:
    return _between(text, 70, 160)


def _pixels(text: str) -> int:
    return _between(text, 1, 10000)


def _part_names() -> tuple[str, ...]:
    from notcher.formats.packet.wanted import Part

    return tuple(Part)


def _parts(text: str) -> "tuple[Part, ...]":
    from notcher.formats.packet.wanted import Part

    wanted = [word.strip() for word in text.split(",") if word.strip()]
    for word in wanted:
        if word not in _part_names():
            known = ", ".join(_part_names())
            raise argparse.ArgumentTypeError(
                tr("'{text}' is no part of a packet; there are {known}", text=word, known=known)
            )
    return tuple(part for part in Part if part in wanted)


def _percent(text: str) -> int:
    return _between(text, 10, 200)


def _pace(text: str) -> float:
    from notcher.teach.alignment import FASTEST, SLOWEST

    low, high = 100 * SLOWEST, 100 * FASTEST
    found = _number(text.strip().removesuffix("%"), later("'{text}' is no pace in percent"))
    if not low <= found <= high:
        raise argparse.ArgumentTypeError(tr("from {low:.0f} to {high:.0f}, got {text}", low=low, high=high, text=text))
    return found


def _offset_s(text: str) -> float:
    return _number(text, later("'{text}' is no number of seconds"))


def _number(text: str, refused: str) -> float:
    """A number; refused: what is said of what is none."""
    from notcher.formats.limits import number

    try:
        return number(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(tr(refused, text=text)) from error


def _dialect(text: str) -> int:
    from notcher.formats.line import DIALECTS

    return _between(text, 1, len(DIALECTS)) - 1


def _pace_of_sound(text: str) -> int:
    return _between(text.strip().removesuffix("%").strip(), 25, 110)


def _paces(text: str) -> tuple[int, ...]:
    return tuple(_pace_of_sound(part) for part in text.split(","))


def _shift(text: str) -> int:
    return _between(text, -12, 12)


def _rounds(text: str) -> int:
    return _between(text, 1, 999)


def _offers(text: str) -> int:
    from notcher.formats.limits import whole
    from notcher.formats.placing import MOST_OFFERED

    try:
        number = whole(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(tr("'{text}' is no number of places", text=text)) from error
    if not 0 <= number <= MOST_OFFERED:
        raise argparse.ArgumentTypeError(tr("0 to {most} places are offered, got {text}", most=MOST_OFFERED, text=text))
    return number


def _speed(text: str) -> float:
    return _number(text, later("'{text}' is no speed; 0.5 is half as fast"))


def _interruptible(work: Callable[[], T], stop: threading.Event | None = None) -> T:
    """Do something that lasts inside a library, and still stop at once at Ctrl+C. stop: what the work looks at now and
    then; it is given a moment to leave nothing half done."""
    results: list[T] = []
    errors: list[BaseException] = []

    def run() -> None:
        try:
            results.append(work())
        except BaseException as error:
            errors.append(error)

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    try:
        while thread.is_alive():
            thread.join(0.1)
    except KeyboardInterrupt:
        if stop is not None:
            stop.set()
            thread.join(_PATIENCE_S)
        raise
    if errors:
        raise errors[0]
    return results[0]


class _Progress:
    """One line on a terminal, rewritten; silent where the output is no terminal."""

    def __init__(self) -> None:
        self._shown = sys.stderr.isatty()

    def __call__(self, what: str, share: float) -> None:
        if self._shown:
            print(f"\r{tr(what)} {share * 100:3.0f} %", end="", file=sys.stderr, flush=True)

    def done(self) -> None:
        if self._shown:
            print("\r" + " " * 30 + "\r", end="", file=sys.stderr, flush=True)


def _transcribe(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.score.tuning import parse_tuning
    from notcher.work import transcribed

    tuning = parse_tuning(options.tuning)
    _check_project(options, options.audio)
    progress = _Progress()
    try:
        project, warnings = transcribed(
            options.audio,
            tuning=tuning,
            lead=Isolation.named(options.lead),
            start=options.start,
            end=options.end,
            beat=not options.no_beat,
            progress=progress,
        )
    finally:
        progress.done()
    from notcher.wording.guitar import seat_words

    output = options.output
    project_file.save(project, output)
    for warning in warnings:
        _complain(tr("note: {warning}", warning=warning))
    said = [
        _counts(project),
        tr("the lead sits {where}", where=seat_words(project.lead)),
        _offset(project.offset_cents),
    ]
    print(f"{output}: {'; '.join(said)}")


def _counts(project: "Project") -> str:
    notes = trn("{n} note", "{n} notes", len(project.notes))
    return trn("{notes} in {n} phrase", "{notes} in {n} phrases", len(project.phrases), notes=notes)


def _offset(cents: float) -> str:
    if cents < 0:
        return tr("the recording sits {cents:.1f} cents flat of A = 440", cents=-cents)
    return tr("the recording sits {cents:.1f} cents sharp of A = 440", cents=cents)


def _check_project(options: argparse.Namespace, *inputs: Path) -> None:
    from notcher.formats.atomic import check_output
    from notcher.formats.project_file import SUFFIX

    check_output(options.output, inputs=inputs, endings=(SUFFIX,), replace=options.replace)


def _export(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.atomic import check_output
    from notcher.formats.export import With, export, kind_of
    from notcher.formats.heading import Said
    from notcher.teach.layers import Layer

    kind_of(options.out, options.kind)
    check_output(options.out, inputs=[options.project])
    project = project_file.load(options.project)
    if options.showing is not None:
        project = _showing(project, options.showing)
    phrases = [project.phrase_named(name) for name in options.phrase]
    inputs = [options.project, options.project.parent / project.recording.path]
    said = Said(shown=_shown(options), series=options.series)
    beside = With(hands=options.hands, layer=Layer(options.layer), look=_look(options), said=said, pace=options.pace,
                  offset=options.offset, dialect=options.dialect)  # fmt: skip
    kind = export(project, options.out, kind=options.kind, phrases=phrases, beside=beside, inputs=inputs)
    print(f"{options.out}: {kind}")


def _backing(options: argparse.Namespace) -> None:
    from dataclasses import replace

    from notcher.formats import project_file
    from notcher.formats.atomic import check_output, write_bytes
    from notcher.formats.backing import backing_midi, backing_sound
    from notcher.formats.sound import KINDS, write_sound

    check_output(options.output, inputs=[options.project], endings=(*KINDS, ".mid", ".midi"))
    project = project_file.load(options.project)
    check_output(options.output, inputs=[options.project.parent / project.recording.path])
    if options.feel is not None:
        project = replace(project, feel=options.feel)
    phrases = [project.phrase_named(name) for name in options.phrase]
    if options.output.suffix.lower() in KINDS:
        sound = backing_sound(project, phrases, pace=options.pace, rounds=options.rounds)
        write_sound(options.output, sound)
    else:
        write_bytes(options.output, backing_midi(project, phrases))
    print(options.output)


def _practice(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.practice import Wanted, recording_for, write_practice

    project = project_file.load(options.project)
    wanted = Wanted(options.paces, options.hear, options.rounds, options.count_in, options.click, options.in_tune,
                    options.shift, options.format)  # fmt: skip
    phrases = [project.phrase_named(name) for name in options.phrase]
    recording = options.project.parent / project.recording.path
    progress = _Progress()
    try:
        audio = recording_for(recording, options.hear)
        rows = _interruptible(
            lambda: write_practice(
                project, audio, options.output, phrases, wanted, lambda share: progress("Writing", share)
            )
        )
    finally:
        progress.done()
    print(trn("{folder}: {n} sound", "{folder}: {n} sounds", len(rows), folder=options.output))


def _strip(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.atomic import check_output
    from notcher.formats.strip import Each, Strips, write_strips

    check_output(options.out, inputs=[options.project], endings=(".png", ".svg"))
    look = Strips(
        width=options.width, numbers=options.numbers, dark=options.dark, staff=options.staff, neck=options.neck,
        left_handed=options.left_handed, chords=not options.no_chords, each=Each(options.each),
    )  # fmt: skip
    project = project_file.load(options.project)
    phrases = [project.phrase_named(name) for name in options.phrase]
    inputs = [options.project, options.project.parent / project.recording.path]
    for path in write_strips(project, options.out, phrases, look, inputs=inputs):
        print(path)


def _film(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.film.look import Film
    from notcher.formats.film.writing import planned, write_film, write_frames
    from notcher.formats.practice import recording_for

    look = Film(
        pace=options.pace, hear=options.hear, rounds=options.rounds, width=options.width, height=options.height,
        rate=options.rate, counted=not options.no_count_in, click=not options.no_click, dark=options.dark,
        staff=options.staff, layer=options.layer, dialect=options.dialect,
    )  # fmt: skip
    project = project_file.load(options.project)
    phrases = [project.phrase_named(name) for name in options.phrase]
    plan = planned(project, phrases, look)
    if plan.seconds > _LONG_FILM_S:
        _complain(
            tr(
                "note: {seconds:.0f} s of film, some {megabytes:.0f} MB, in about {minutes:.0f} min; Ctrl+C stops it",
                seconds=plan.seconds,
                megabytes=plan.megabytes,
                minutes=max(1.0, plan.minutes),
            )
        )
    recording = options.project.parent / project.recording.path
    progress = _Progress()
    stopped = threading.Event()

    def told_of(share: float) -> None:
        progress("Writing", share)

    def work() -> None:
        if options.frames:
            write_frames(project, audio, options.out, phrases, look, progress=told_of, cancelled=stopped.is_set)
            return
        write_film(project, audio, options.out, phrases, look, inputs=[options.project, recording], progress=told_of,
                   cancelled=stopped.is_set)  # fmt: skip

    try:
        audio = recording_for(recording, options.hear)
        _interruptible(work, stopped)
    finally:
        progress.done()
    print(tr("{output}: {seconds:.1f} s", output=options.out, seconds=plan.seconds))


def _lesson(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.lesson_page.page import REMINDER, write_lesson_page
    from notcher.formats.practice import recording_for

    project = project_file.load(options.project)
    if options.showing is not None:
        project = _showing(project, options.showing)
    phrases = [project.phrase_named(name) for name in options.phrase]
    recording = options.project.parent / project.recording.path
    audio = recording_for(recording, "recording") if options.with_recording else None
    size = _interruptible(
        lambda: write_lesson_page(
            project, options.out, phrases, audio=audio, dialect=options.dialect, left_handed=options.left_handed,
            inputs=[options.project, recording],
        )
    )  # fmt: skip
    if audio is not None:
        _complain(tr("note: {warning}", warning=tr(REMINDER)))
    print(tr("{output}: {megabytes:.1f} MB", output=options.out, megabytes=size / 1e6))


def _packet(options: argparse.Namespace) -> int:
    """Each project by itself: one that fails is told, and the others are written."""
    from notcher.formats.errors import FileFormatError

    several = len(options.projects) > 1
    if several and options.output.suffix.lower() == ".zip":
        raise FileFormatError("several projects go into a folder; name one")
    stems = [path.stem for path in options.projects]
    failed = 0
    for path, stem in zip(options.projects, stems, strict=True):
        twice = stems.count(stem) > 1
        name = f"{path.resolve().parent.name}-{stem}" if twice else stem
        try:
            _one_packet(options, path, options.output / name if several else options.output)
        except NotcherError as error:
            if not several:
                raise
            _complain(f"{path}: {told(error)}")
            failed += 1
    return 1 if failed else 0


def _one_packet(options: argparse.Namespace, path: Path, target: Path) -> None:
    import datetime

    from notcher.document.store import open_document
    from notcher.formats import project_file
    from notcher.formats.lesson_page.page import REMINDER
    from notcher.formats.packet.wanted import PART_WORDS, Packet, Part
    from notcher.formats.packet.writing import learner_of, since_of, write_packet
    from notcher.formats.practice import recording_for
    from notcher.score.compare import free_state_name, name_state
    from notcher.teach.layers import Layer

    document = None if options.keep_no_state else open_document(path)
    try:
        kept = document.project if document else project_file.load(path)
        project = _showing(kept, options.showing) if options.showing is not None else kept
        packet = Packet(
            learner=options.learner, parts=options.parts or tuple(Part), look=_look(options), hands=options.hands,
            hear=options.hear, paces=options.paces, recording=options.with_recording, dialect=options.dialect,
            shown=_shown(options), layer=Layer(options.layer),
        )  # fmt: skip
        phrases = [project.phrase_named(name) for name in options.phrase]
        recording = path.parent / project.recording.path
        progress, stopped = _Progress(), threading.Event()
        audio = recording_for(recording, "recording" if options.with_recording else options.hear)
        try:
            written = _interruptible(
                lambda: write_packet(
                    project, audio, target, phrases, packet, since=since_of(kept, packet, phrases),
                    inputs=[path, recording], cancelled=stopped.is_set,
                    progress=lambda share: progress("Writing", share),
                ),
                stopped,
            )  # fmt: skip
        finally:
            progress.done()
        if options.with_recording:
            _complain(tr("note: {warning}", warning=tr(REMINDER)))
        for part, why in written.missing:
            _complain(tr("not written: {part}: {why}", part=tr(PART_WORDS[part]), why=why))
        if document is not None:
            learner, today = learner_of(project, packet), datetime.date.today().isoformat()
            name = (
                tr("handed to {name}, {day}", name=learner, day=today)
                if learner
                else tr("handed out, {day}", day=today)
            )
            document.edit(
                lambda p: name_state(p, free_state_name(p, name), made=today, learner=learner), label=tr("Hand out")
            )
            document.save()
    finally:
        if document is not None:
            document.close()
    print(trn("{folder}: {n} file", "{folder}: {n} files", len(written.files), folder=target))
    if written.missing:
        from notcher.formats.errors import FileFormatError

        raise FileFormatError("not all of the packet could be written")


def _showing(project: "Project", name: str) -> "Project":
    from notcher.score.errors import ScoreError
    from notcher.score.versions import all_versions, shown_as

    known = all_versions(project)
    if name not in known:
        if not known:
            raise ScoreError("no phrase has a version '{name}'; there are no phrases yet", name=name)
        raise ScoreError("no phrase has a version '{name}'; there are: {known}", name=name, known=", ".join(known))
    return shown_as(project, name)


def _read(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.score.tuning import parse_tuning
    from notcher.work import read_in, with_recording

    tuning = parse_tuning(options.tuning) if options.tuning else None
    _check_project(options, options.score, *([options.recording] if options.recording else []))
    output = options.output
    found = read_in(options.score, tuning=tuning, part=options.part)
    project, said = found.project, []
    if options.recording is not None:
        progress = _Progress()
        try:
            project, lined = with_recording(project, options.recording, progress=progress)
        finally:
            progress.done()
        said.append(
            tr("{matched} found in the recording, {extra} more heard there", matched=lined.matched, extra=lined.extra)
        )
    project_file.save(project, output)
    for what in found.skipped:
        _complain(tr("not understood: {what}", what=what))
    if found.parts:
        _complain(tr("note: other parts were left out: {names}", names=", ".join(found.parts)))
    print(f"{output}: {'; '.join([_counts(project), *said])}")


def _place(options: argparse.Namespace) -> None:
    import json

    from notcher.formats.atomic import check_output, write_json
    from notcher.formats.placing import read_notes_document, with_places
    from notcher.score.playing import Hand

    check_output(options.output, inputs=(options.notes,), endings=(".json",))
    document = with_places(read_notes_document(options.notes), offer=options.offer, hand=Hand(options.hand))
    write_json(options.output, json.dumps(document, ensure_ascii=False, indent=1) + "\n")
    notes, phrases = len(document["notes"]), len(document["phrases"])
    counted = trn("{n} note", "{n} notes", notes)
    print(f"{options.output}: {trn('{notes} in {n} phrase', '{notes} in {n} phrases', phrases, notes=counted)}")


def _slow(options: argparse.Namespace) -> None:
    from notcher.audio import RATE
    from notcher.audio.decode import load
    from notcher.audio.recording import AudioError
    from notcher.audio.stretch import check_speed, stretch
    from notcher.formats.atomic import check_output
    from notcher.formats.sound import KINDS, write_sound
    from notcher.work import checked_range

    check_speed(options.speed)
    check_output(options.output, inputs=(options.audio,), endings=tuple(KINDS))
    audio = load(options.audio)
    start, end = checked_range(audio, options.start, options.end)
    if (end - start) / options.speed > _LONGEST_SLOWED_S:
        raise AudioError(
            "slowed it would last {minutes:.0f} minutes, and {most} is the limit; choose a part of it with --start and "
            "--end",
            minutes=(end - start) / options.speed / 60,
            most=_LONGEST_SLOWED_S // 60,
        )
    slowed = _interruptible(lambda: stretch(audio.between(start, end), speed=options.speed))
    write_sound(options.output, slowed)
    print(tr("{output}: {seconds:.1f} s", output=options.output, seconds=slowed.shape[1] / RATE))


def _isolate(options: argparse.Namespace) -> None:
    from notcher.formats.atomic import check_output
    from notcher.formats.errors import FileFormatError
    from notcher.formats.sound import KINDS
    from notcher.wording.guitar import seat_words
    from notcher.work import isolated

    for path in (options.output, options.rest):
        if path is not None:
            check_output(path, inputs=(options.audio,), endings=tuple(KINDS))
    if options.rest is not None and options.rest.resolve() == options.output.resolve():
        raise FileFormatError("'{path}' cannot hold both the lead and the rest; name two files", path=options.rest)
    progress = _Progress()
    try:
        heard, warnings = _interruptible(
            lambda: isolated(
                options.audio,
                lead=Isolation.named(options.lead),
                out=options.output,
                rest=options.rest,
                progress=progress,
            )
        )
    finally:
        progress.done()
    for warning in warnings:
        _complain(tr("note: {warning}", warning=warning))
    notes = trn("{n} note", "{n} notes", len(heard.notes))
    said = tr("the lead sits {where}", where=seat_words(heard.lead))
    written = ", ".join(str(p) for p in (options.output, options.rest) if p is not None)
    print(f"{written}: {notes}; {said}")


def _check(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.take import take_json
    from notcher.teach.take import judge, notes_to_play
    from notcher.wording.take import report_words
    from notcher.work import take_in

    project = project_file.load(options.project)
    phrase = project.phrase_named(options.phrase) if options.phrase else None
    notes_to_play(project, phrase)
    progress = _Progress()
    try:
        heard = _interruptible(lambda: take_in(options.take, progress=lambda share: progress("Listening", share)))
    finally:
        progress.done()
    pace = options.pace / 100 if options.pace is not None else None
    report = judge(project, heard, phrase=phrase, pace=pace)
    words = report_words(project, report, phrase=phrase)
    print(take_json(project, report, words) if options.json else words, end="" if options.json else "\n")


def _window(path: Path | None, rest: Sequence[str]) -> int:
    if rest:
        _complain(tr("'{rest}' is too much; open one file, or see notcher --help", rest=rest[0]))
        return 2
    from notcher.app.start import run_window

    return int(run_window(path))


def _demo() -> int:
    from notcher.app.start import run_window
    from notcher.demo_copy import demo_project

    return int(run_window(demo_project()))


if __name__ == "__main__":
    sys.exit(main())
