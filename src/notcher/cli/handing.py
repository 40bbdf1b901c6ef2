"""Commands that write for others: files, sounds, pictures, films, the lesson page."""

import argparse
import threading
from pathlib import Path
from typing import TYPE_CHECKING, Any

from notcher.cli.looks import layered, look, looks, shown
from notcher.cli.running import Progress, complain, interruptible
from notcher.cli.values import (
    dialect,
    feels,
    kinds_of_export,
    offset_s,
    pace,
    pace_of_sound,
    paces,
    percent,
    pixels,
    rounds,
    shift,
)
from notcher.wording import tr, trn

if TYPE_CHECKING:
    pass


_LONG_FILM_S = 60


def add_export(commands: Any) -> None:
    """`notcher export`."""
    export = commands.add_parser("export", help=tr("write it for others: as tab, score, sound data or pictures"))
    export.add_argument("project", type=Path, metavar="P.notcher")
    export.add_argument("out", type=Path, metavar="OUT")
    export.add_argument("--as", dest="kind", default=None, metavar="KIND", help=kinds_of_export())
    export.add_argument("--phrase", action="append", default=[], metavar="NAME")
    export.add_argument(
        "--showing", default=None, metavar="VERSION", help=tr("such as easier: phrases that have it show it")
    )
    export.add_argument(
        "--hands", action="store_true", help=tr("fingers and strokes of the pick also where they are only proposed")
    )
    looks(export)
    layered(export)
    export.add_argument("--series", default="", metavar="TEXT", help=tr("on pages: what it is a part of"))
    export.add_argument("--pace", type=pace, default=100.0, metavar="PERCENT", help=tr("of captions and cues"))
    export.add_argument("--offset", type=offset_s, default=0.0, metavar="S",
                        help=tr("of captions and cues: so many seconds later"))  # fmt: skip
    export.add_argument("--dialect", type=dialect, default=0, metavar="N",
                        help=tr("how captions and cues are worded, 1 to 6"))  # fmt: skip
    export.set_defaults(run=_export)


def add_backing(commands: Any) -> None:
    """`notcher backing`."""
    backing = commands.add_parser("backing", help=tr("write a plain band over the chords, as sound or MIDI"))
    backing.add_argument("project", type=Path, metavar="P.notcher")
    backing.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.wav", help=tr("or .flac, .ogg, .mid"))
    backing.add_argument("--phrase", action="append", default=[], metavar="NAME")
    backing.add_argument("--feel", default=None, choices=feels(), help=tr("else as the project says, or by the tempo"))
    backing.add_argument("--pace", type=percent, default=100, metavar="PERCENT")
    backing.add_argument("--rounds", type=rounds, default=1, metavar="N")
    backing.set_defaults(run=_backing)


def add_practice(commands: Any) -> None:
    """`notcher practice`."""
    practice = commands.add_parser("practice", help=tr("sounds to practise with, a file for each phrase and pace"))
    practice.add_argument("project", type=Path, metavar="P.notcher")
    practice.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    practice.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    practice.add_argument("--paces", type=paces, default=(50, 75, 100), metavar="50,75,100")
    practice.add_argument("--hear", choices=("recording", "lead", "rest", "backing", "written"), default="recording")
    practice.add_argument("--rounds", type=rounds, default=4, metavar="N")
    practice.add_argument("--count-in", action="store_true", help=tr("counted before the first round"))
    practice.add_argument("--click", action="store_true")
    practice.add_argument("--in-tune", action="store_true", help=tr("brought to A = 440"))
    practice.add_argument("--shift", type=shift, default=0, metavar="SEMITONES")
    practice.add_argument("--format", choices=("flac", "ogg", "mp3", "wav"), default="flac")
    practice.set_defaults(run=_practice)


def add_strip(commands: Any) -> None:
    """`notcher strip`."""
    strip = commands.add_parser("strip", help=tr("a phrase as a picture with a transparent ground, for a video"))
    strip.add_argument("project", type=Path, metavar="P.notcher")
    strip.add_argument("out", type=Path, metavar="OUT.png", help=tr("or .svg"))
    strip.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    strip.add_argument("--width", type=pixels, default=1920, metavar="PIXELS")
    strip.add_argument("--numbers", type=pixels, default=40, metavar="PIXELS", help=tr("how high the figures are"))
    strip.add_argument("--dark", action="store_true", help=tr("light ink, for a dark picture"))
    strip.add_argument("--staff", action="store_true", help=tr("a standard staff over the tab"))
    strip.add_argument("--neck", action="store_true", help=tr("and the neck"))
    strip.add_argument("--left-handed", action="store_true", help=tr("its nut on the right"))
    strip.add_argument("--no-chords", action="store_true", help=tr("without the names of chords"))
    strip.add_argument("--each", choices=("phrase", "system", "bar", "card"), default="phrase",
                       help=tr("a picture for each line or bar, or a card for each section"))  # fmt: skip
    strip.set_defaults(run=_strip)


def add_film(commands: Any) -> None:
    """`notcher film`."""
    film = commands.add_parser("film", help=tr("the strip with its playhead over the slowed sound, as a film"))
    film.add_argument("project", type=Path, metavar="P.notcher")
    film.add_argument("out", type=Path, metavar="OUT.webm", help=tr("or .mp4, .mov"))
    film.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    film.add_argument("--pace", type=pace_of_sound, default=50, metavar="PERCENT")
    film.add_argument("--hear", choices=("recording", "lead", "rest", "backing", "written"), default="",
                      help=tr("else the recording, or the written tab where that is not there"))  # fmt: skip
    film.add_argument("--rounds", type=rounds, default=1, metavar="N")
    film.add_argument("--width", type=pixels, default=1280, metavar="PIXELS")
    film.add_argument("--height", type=pixels, default=720, metavar="PIXELS")
    film.add_argument("--rate", type=int, choices=(24, 25, 30, 50, 60), default=30, metavar="N",
                      help=tr("frames a second: 24, 25, 30, 50 or 60"))  # fmt: skip
    film.add_argument("--no-count-in", action="store_true", help=tr("without the count before"))
    film.add_argument("--no-click", action="store_true", help=tr("without a click"))
    film.add_argument("--dark", action="store_true", help=tr("light ink on a dark ground"))
    film.add_argument("--staff", action="store_true", help=tr("a standard staff over the tab"))
    film.add_argument("--layer", action="store_true", help=tr("a transparent ground, for editing"))
    film.add_argument("--frames", action="store_true", help=tr("OUT is a folder: each frame as PNG, and the sound"))
    film.add_argument("--dialect", type=dialect, default=0, metavar="N", help=tr("how cues are worded, 1 to 6"))
    film.set_defaults(run=_film)


def add_lesson(commands: Any) -> None:
    """`notcher lesson`."""
    lesson = commands.add_parser("lesson", help=tr("a page that any browser opens, with tab and sounds in one file"))
    lesson.add_argument("project", type=Path, metavar="P.notcher")
    lesson.add_argument("out", type=Path, metavar="OUT.html")
    lesson.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    lesson.add_argument("--with-recording", action="store_true", help=tr("the recording goes along, too"))
    lesson.add_argument("--showing", default=None, metavar="VERSION",
                        help=tr("such as easier: phrases that have it show it"))  # fmt: skip
    lesson.add_argument("--left-handed", action="store_true", help=tr("its nut on the right"))
    lesson.add_argument("--dialect", type=dialect, default=0, metavar="N", help=tr("how cues are worded, 1 to 6"))
    lesson.set_defaults(run=_lesson)


def _export(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.atomic import check_output
    from notcher.formats.export import With, export, kind_of
    from notcher.formats.heading import Said
    from notcher.score.versions import shown_named
    from notcher.teach.layers import Layer

    kind_of(options.out, options.kind)
    check_output(options.out, inputs=[options.project])
    project = shown_named(project_file.load(options.project), options.showing)
    phrases = [project.phrase_named(name) for name in options.phrase]
    inputs = [options.project, options.project.parent / project.recording.path]
    said = Said(shown=shown(options), series=options.series)
    beside = With(hands=options.hands, layer=Layer(options.layer), look=look(options), said=said, pace=options.pace,
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
    progress = Progress()
    try:
        audio = recording_for(recording, options.hear)
        rows = interruptible(
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
        complain(
            tr(
                "note: {seconds:.0f} s of film, some {megabytes:.0f} MB, in about {minutes:.0f} min; Ctrl+C stops it",
                seconds=plan.seconds,
                megabytes=plan.megabytes,
                minutes=max(1.0, plan.minutes),
            )
        )
    recording = options.project.parent / project.recording.path
    progress = Progress()
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
        interruptible(work, stopped)
    finally:
        progress.done()
    print(tr("{output}: {seconds:.1f} s", output=options.out, seconds=plan.seconds))


def _lesson(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.lesson_page.page import REMINDER, write_lesson_page
    from notcher.formats.practice import recording_for
    from notcher.score.versions import shown_named

    project = shown_named(project_file.load(options.project), options.showing)
    phrases = [project.phrase_named(name) for name in options.phrase]
    recording = options.project.parent / project.recording.path
    audio = recording_for(recording, "recording") if options.with_recording else None
    size = interruptible(
        lambda: write_lesson_page(
            project, options.out, phrases, audio=audio, dialect=options.dialect, left_handed=options.left_handed,
            inputs=[options.project, recording],
        )
    )  # fmt: skip
    if audio is not None:
        complain(tr("note: {warning}", warning=tr(REMINDER)))
    print(tr("{output}: {megabytes:.1f} MB", output=options.out, megabytes=size / 1e6))
