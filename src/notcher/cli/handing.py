"""Commands that write for others: files, sounds, pictures, films, the lesson page."""

import argparse
from pathlib import Path
from typing import Any

from notcher.cli.looks import given, printing
from notcher.cli.running import Progress, complain, may_replace, outputs_of
from notcher.cli.values import (
    dialect,
    feels,
    kinds_of_export,
    pace_of_sound,
    paces,
    percent,
    pixels,
    rounds,
    shift,
)
from notcher.stopping import apart
from notcher.wording import tr, trn

_LONG_FILM_S = 60


def add_export(commands: Any) -> None:
    """`notcher export`."""
    export = commands.add_parser("export", help=tr("write it for others: as tab, score, sound data or pictures"))
    export.add_argument("project", type=Path, metavar="P.notcher")
    export.add_argument("out", type=Path, metavar="OUT")
    export.add_argument("--as", dest="kind", default=None, metavar="KIND", help=kinds_of_export())
    export.add_argument("--phrase", action="append", default=[], metavar="NAME")
    printing(export)
    may_replace(export)
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
    may_replace(backing)
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
    may_replace(practice)
    practice.set_defaults(run=_practice)


def add_strip(commands: Any) -> None:
    """`notcher strip`."""
    strip = commands.add_parser("strip", help=tr("a phrase as a picture with a transparent ground, for a video"))
    strip.add_argument("project", type=Path, metavar="P.notcher")
    strip.add_argument("out", type=Path, metavar="OUT.png", help=tr("or .svg"))
    strip.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    strip.add_argument("--width", type=pixels, default=1920, metavar="PIXELS")
    strip.add_argument("--numbers", type=pixels, metavar="PIXELS", help=tr("how high the figures are"))
    strip.add_argument("--dark", action="store_true", help=tr("light ink, for a dark picture"))
    strip.add_argument("--neck", action="store_true", help=tr("and the neck"))
    printing(strip, "staff", "left_handed")
    strip.add_argument("--no-chords", action="store_true", help=tr("without the names of chords"))
    strip.add_argument("--each", choices=("line", "phrase", "bar", "card", "system"), default="line",
                       help=tr("a picture for each line, phrase or bar, or a card for each section"))  # fmt: skip
    may_replace(strip)
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
    printing(film, "staff")
    film.add_argument("--layer", action="store_true", help=tr("a transparent ground, for editing"))
    film.add_argument("--frames", action="store_true", help=tr("OUT is a folder: each frame as PNG, and the sound"))
    film.add_argument("--dialect", type=dialect, default=0, metavar="N", help=tr("how cues are worded, 1 to 6"))
    may_replace(film)
    film.set_defaults(run=_film)


def add_lesson(commands: Any) -> None:
    """`notcher lesson`."""
    lesson = commands.add_parser("lesson", help=tr("a page that any browser opens, with tab and sounds in one file"))
    lesson.add_argument("project", type=Path, metavar="P.notcher")
    lesson.add_argument("out", type=Path, metavar="OUT.html")
    lesson.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    lesson.add_argument("--with-recording", action="store_true", help=tr("the recording goes along, too"))
    printing(lesson, "showing", "left_handed")
    lesson.add_argument("--dialect", type=dialect, default=0, metavar="N", help=tr("how cues are worded, 1 to 6"))
    may_replace(lesson)
    lesson.set_defaults(run=_lesson)


def _export(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.export import export, kind_of
    from notcher.formats.printing import with_options
    from notcher.formats.recordings import files_of
    from notcher.score.versions import shown_named

    kind_of(options.out, options.kind)
    outputs_of(options, options.project).check(options.out)
    kept = project_file.load(options.project)
    project = shown_named(kept, options.showing)
    phrases = [project.phrase_named(name) for name in options.phrase]
    beside = with_options(given(options))
    kind = export(
        project, options.out, kind=options.kind, phrases=phrases, beside=beside,
        outputs=outputs_of(options, *files_of(kept, options.project)),
    )  # fmt: skip
    print(f"{options.out}: {kind}")


def _backing(options: argparse.Namespace) -> None:
    from dataclasses import replace

    from notcher.formats import project_file
    from notcher.formats.backing import backing_midi, backing_sound
    from notcher.formats.recordings import files_of
    from notcher.formats.sound import KINDS, write_sound

    outputs_of(options, options.project).check(options.output, endings=(*KINDS, ".mid", ".midi"))
    project = project_file.load(options.project)
    outputs = outputs_of(options, *files_of(project, options.project))
    outputs.check(options.output)
    if options.feel is not None:
        project = replace(project, feel=options.feel)
    phrases = [project.phrase_named(name) for name in options.phrase]
    if options.output.suffix.lower() in KINDS:
        sound = apart(lambda: backing_sound(project, phrases, pace=options.pace, rounds=options.rounds))
        write_sound(options.output, sound, outputs)
    else:
        outputs.write(options.output, backing_midi(project, phrases))
    print(options.output)


def _practice(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.practice import Wanted, write_practice
    from notcher.formats.recordings import files_of, recording_sound

    project = project_file.load(options.project)
    wanted = Wanted(options.paces, options.hear, options.rounds, options.count_in, options.click, options.in_tune,
                    options.shift, options.format)  # fmt: skip
    phrases = [project.phrase_named(name) for name in options.phrase]
    outputs = outputs_of(options, *files_of(project, options.project), source=options.project)
    outputs.check_folder(options.output, ())
    progress = Progress()
    try:
        rows = write_practice(
            project, recording_sound(project, options.project, options.hear), options.output, phrases, wanted,
            lambda share: progress("Writing", share), outputs,
        )  # fmt: skip
    finally:
        progress.done()
    print(trn("{folder}: {n} sound", "{folder}: {n} sounds", len(rows), folder=options.output))


# What values were called before.
_FORMER_EACH = {"system": "line"}


def _strip(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.recordings import files_of
    from notcher.formats.strip import Each, Strips, write_strips

    look = Strips(
        width=options.width, numbers=options.numbers, dark=options.dark, staff=options.staff, neck=options.neck,
        left_handed=options.left_handed, chords=not options.no_chords,
        each=Each(_FORMER_EACH.get(options.each, options.each)),
    )  # fmt: skip
    project = project_file.load(options.project)
    phrases = [project.phrase_named(name) for name in options.phrase]
    outputs = outputs_of(options, *files_of(project, options.project))
    for path in write_strips(project, options.out, phrases, look, outputs):
        print(path)


def _film(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.film.look import Film
    from notcher.formats.film.writing import check_film, planned, write_film, write_frames
    from notcher.formats.recordings import files_of, recording_sound

    look = Film(
        pace=options.pace, hear=options.hear, rounds=options.rounds, width=options.width, height=options.height,
        rate=options.rate, counted=not options.no_count_in, click=not options.no_click, dark=options.dark,
        staff=options.staff, layer=options.layer, dialect=options.dialect,
    )  # fmt: skip
    project = project_file.load(options.project)
    phrases = [project.phrase_named(name) for name in options.phrase]
    outputs = outputs_of(options, *files_of(project, options.project), source=options.project)
    if options.frames:
        outputs.check_folder(options.out, ())
    else:
        check_film(options.out, look, outputs)
    plan = planned(project, phrases, look)
    if plan.seconds > _LONG_FILM_S:
        complain(
            tr(
                "note: {seconds:.0f} s of film, some {megabytes:.0f} MB, in about {minutes:.0f} min; Ctrl+C stops it",
                seconds=plan.seconds,
                megabytes=max(1.0, plan.megabytes),
                minutes=max(1.0, plan.minutes),
            )
        )
    progress = Progress()
    write = write_frames if options.frames else write_film
    try:
        audio = recording_sound(project, options.project, options.hear)
        write(
            project, audio, options.out, phrases, look, outputs=outputs,
            progress=lambda share: progress("Writing", share),
        )  # fmt: skip
    finally:
        progress.done()
    print(tr("{output}: {seconds:.1f} s", output=options.out, seconds=plan.seconds))


def _lesson(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.lesson_page.page import REMINDER, check_page, write_lesson_page
    from notcher.formats.recordings import files_of, recording_sound
    from notcher.score.versions import shown_named

    kept = project_file.load(options.project)
    project = shown_named(kept, options.showing)
    phrases = [project.phrase_named(name) for name in options.phrase]
    outputs = outputs_of(options, *files_of(kept, options.project))
    check_page(options.out, outputs)
    audio = recording_sound(project, options.project, "recording") if options.with_recording else None
    size = write_lesson_page(
        project, options.out, phrases, audio=audio, dialect=options.dialect, left_handed=options.left_handed,
        outputs=outputs,
    )  # fmt: skip
    if audio is not None:
        complain(tr("note: {warning}", warning=tr(REMINDER)))
    print(tr("{output}: {megabytes:.1f} MB", output=options.out, megabytes=size / 1e6))
