"""Commands that measure, place, part and judge."""

import argparse
import contextlib
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from notcher.cli.running import Progress, complain, counts, may_replace, outputs_of, project_output
from notcher.cli.values import (
    hands,
    offers,
    pace,
    seconds,
    speed,
)
from notcher.score.isolation import NAMED_ISOLATIONS, Isolation
from notcher.score.plays import Plays
from notcher.stopping import apart
from notcher.wording import tr, trn

if TYPE_CHECKING:
    from notcher.listen.listener import Stages


_LONGEST_SLOWED_S = 3600


def add_transcribe(commands: Any) -> None:
    """`notcher transcribe`."""
    transcribe = commands.add_parser(
        "transcribe", help=tr("measure a recording and write a project with proposed notes")
    )
    transcribe.add_argument("audio", type=Path, metavar="AUDIO")
    transcribe.add_argument("-o", "--output", type=Path, required=True, metavar="P.notcher")
    transcribe.add_argument("--start", type=seconds, default=0.0, metavar="S", help=tr("seconds, or m:ss"))
    transcribe.add_argument("--end", type=seconds, default=None, metavar="S")
    transcribe.add_argument("--tuning", default="standard", help=tr("a name, or six to eight pitches from string 1 on"))
    transcribe.add_argument("--lead", default="auto", choices=tuple(NAMED_ISOLATIONS))
    transcribe.add_argument("--plays", default=Plays.LINE, type=Plays, choices=tuple(Plays),
                            help=tr("one line, or a riff and chords"))  # fmt: skip
    transcribe.add_argument("--no-beat", action="store_true", help=tr("do not look for beats and bars"))
    transcribe.add_argument("--stages", type=Path, default=None, metavar="DIR",
                            help=tr("also write what each stage of listening said"))  # fmt: skip
    may_replace(transcribe)
    transcribe.set_defaults(run=_transcribe)


def add_read(commands: Any) -> None:
    """`notcher read`."""
    read = commands.add_parser("read", help=tr("write a project from a MusicXML, MIDI or text tab file"))
    read.add_argument("score", type=Path, metavar="SCORE")
    read.add_argument("-o", "--output", type=Path, required=True, metavar="P.notcher")
    read.add_argument("--tuning", default=None, help=tr("where the score names none; else standard"))
    read.add_argument("--part", default="", metavar="NAME", help=tr("the part to read; else the guitar's"))
    read.add_argument(
        "--recording", type=Path, default=None, metavar="AUDIO", help=tr("line it up with this recording")
    )
    may_replace(read)
    read.set_defaults(run=_read)


def add_place(commands: Any) -> None:
    """`notcher place`."""
    place = commands.add_parser("place", help=tr("find string, fret, finger and position for notes"))
    place.add_argument("notes", type=Path, metavar="NOTES.json")
    place.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.json")
    place.add_argument("--offer", type=offers, default=0, metavar="N", help=tr("so many places for each phrase"))
    place.add_argument("--hand", default="per-fret", choices=hands(), help=tr("which school of fingering"))
    may_replace(place)
    place.set_defaults(run=_place)


def add_slow(commands: Any) -> None:
    """`notcher slow`."""
    slow = commands.add_parser("slow", help=tr("write the recording slowed at the same pitch"))
    slow.add_argument("audio", type=Path, metavar="AUDIO")
    slow.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.wav", help=tr("or .flac, .ogg"))
    slow.add_argument("--speed", type=speed, required=True, help=tr("0.5 is half as fast"))
    slow.add_argument("--start", type=seconds, default=0.0, metavar="S")
    slow.add_argument("--end", type=seconds, default=None, metavar="S")
    may_replace(slow)
    slow.set_defaults(run=_slow)


def add_isolate(commands: Any) -> None:
    """`notcher isolate`."""
    isolate = commands.add_parser("isolate", help=tr("write the lead alone, and all the rest"))
    isolate.add_argument("audio", type=Path, metavar="AUDIO")
    isolate.add_argument("-o", "--output", type=Path, required=True, metavar="LEAD.wav", help=tr("or .flac, .ogg"))
    isolate.add_argument("--rest", type=Path, default=None, metavar="REST.wav", help=tr("all but the lead, too"))
    isolate.add_argument("--lead", default="auto", choices=tuple(NAMED_ISOLATIONS))
    may_replace(isolate)
    isolate.set_defaults(run=_isolate)


def add_check(commands: Any) -> None:
    """`notcher check`."""
    check = commands.add_parser("check", help=tr("compare a learner's take with the transcription"))
    check.add_argument("project", type=Path, metavar="P.notcher")
    check.add_argument("take", type=Path, metavar="TAKE.wav")
    check.add_argument("--phrase", default=None, metavar="NAME")
    check.add_argument("--pace", type=pace, default=None, metavar="PERCENT",
                       help=tr("at which it was played; found where it is not said"))  # fmt: skip
    check.add_argument("--json", action="store_true")
    check.set_defaults(run=_check)


def _transcribe(options: argparse.Namespace) -> None:
    from notcher.pipeline.stages import FILES, write_stages
    from notcher.pipeline.transcribe import transcribed
    from notcher.score.tuning import parse_tuning
    from notcher.wording.guitar import stereo_position_words

    tuning = parse_tuning(options.tuning)
    progress = Progress()
    outputs = outputs_of(options, options.audio)
    if options.stages is not None:
        outputs.check_folder(options.stages, FILES)
    stages: list[Stages] = []
    with project_output(options, options.audio) as save:
        try:
            with _lead_named():
                project, warnings = transcribed(
                    options.audio, tuning=tuning, lead=Isolation.named(options.lead), plays=options.plays,
                    start=options.start, end=options.end, beat=not options.no_beat, staged=stages.append,
                    progress=progress,
                )  # fmt: skip
        finally:
            progress.done()
        save(project)
    if options.stages is not None:
        for last in stages[-1:]:
            write_stages(last, options.stages, outputs)
    for warning in warnings:
        complain(tr("note: {warning}", warning=warning))
    here = stereo_position_words(project.lead)
    said = [
        counts(project),
        tr("the lead sits {where}", where=here)
        if project.other_lead is None
        else tr(
            "the lead sits {where}, or {other}: both sound about equally clear",
            where=here,
            other=stereo_position_words(project.other_lead),
        ),
        _offset(project.offset_cents),
    ]
    print(f"{options.output}: {'; '.join(said)}")


@contextlib.contextmanager
def _lead_named() -> Iterator[None]:
    """Where no lead is told, the option that says where it sits is named."""
    from notcher.audio.recording import NoLeadError

    try:
        yield
    except NoLeadError as error:
        names = ", ".join(name for name in NAMED_ISOLATIONS if name != "auto")
        raise NoLeadError(
            "no lead could be heard here; if one plays, say where it sits with --lead ({names}), or choose another "
            "part of the recording", names=names,
        ) from error  # fmt: skip


def _offset(cents: float) -> str:
    if cents < 0:
        return tr("the recording sits {cents:.1f} cents flat of A = 440", cents=-cents)
    return tr("the recording sits {cents:.1f} cents sharp of A = 440", cents=cents)


def _read(options: argparse.Namespace) -> None:
    from notcher.pipeline.import_score import read_in, with_recording
    from notcher.score.tuning import parse_tuning

    tuning = parse_tuning(options.tuning) if options.tuning else None
    said: list[str] = []
    with project_output(options, options.score, *([options.recording] if options.recording else [])) as save:
        found = read_in(options.score, tuning=tuning, part=options.part)
        project = found.project
        if options.recording is not None:
            progress = Progress()
            try:
                project, lined = with_recording(project, options.recording, progress=progress)
            finally:
                progress.done()
            said.append(
                tr(
                    "{matched} found in the recording, {extra} more heard there", matched=lined.matched,
                    extra=lined.extra,
                )
            )  # fmt: skip
            if lined.others:
                said.append(
                    trn("{n} sounds another pitch than the score has (it is doubted)",
                        "{n} sound other pitches than the score has (they are doubted)", len(lined.others))
                )  # fmt: skip
        save(project)
    for what in found.skipped:
        complain(tr("not understood: {what}", what=what))
    if found.parts:
        complain(tr("note: other parts were left out: {names}", names=", ".join(found.parts)))
    print(f"{options.output}: {'; '.join([counts(project), *said])}")


def _place(options: argparse.Namespace) -> None:
    import json

    from notcher.formats.placing import read_notes_document, with_places
    from notcher.score.playing import Hand

    outputs = outputs_of(options, options.notes)
    outputs.check(options.output, endings=(".json",))
    document = apart(
        lambda: with_places(read_notes_document(options.notes), offer=options.offer, hand=Hand(options.hand))
    )
    text = json.dumps(document, ensure_ascii=False, indent=1) + "\n"
    outputs.write(options.output, text.encode("utf-8", errors="backslashreplace"))
    notes, phrases = len(document["notes"]), len(document["phrases"])
    counted = trn("{n} note", "{n} notes", notes)
    print(f"{options.output}: {trn('{notes} in {n} phrase', '{notes} in {n} phrases', phrases, notes=counted)}")


def _slow(options: argparse.Namespace) -> None:
    from notcher.audio import RATE
    from notcher.audio.decode import load
    from notcher.audio.recording import AudioError
    from notcher.audio.stretch import check_speed, stretch
    from notcher.formats.sound import KINDS, write_sound
    from notcher.pipeline.transcribe import checked_range

    check_speed(options.speed)
    outputs = outputs_of(options, options.audio)
    outputs.check(options.output, endings=tuple(KINDS))
    audio = load(options.audio)
    start, end = checked_range(audio, options.start, options.end)
    if (end - start) / options.speed > _LONGEST_SLOWED_S:
        raise AudioError(
            "slowed it would last {minutes:.0f} minutes, and {most} is the limit; choose a part of it with --start and "
            "--end",
            minutes=(end - start) / options.speed / 60,
            most=_LONGEST_SLOWED_S // 60,
        )
    slowed = stretch(audio.between(start, end), speed=options.speed)
    write_sound(options.output, slowed, outputs)
    print(tr("{output}: {seconds:.1f} s", output=options.output, seconds=slowed.shape[1] / RATE))


def _isolate(options: argparse.Namespace) -> None:
    from notcher.formats.errors import FileFormatError
    from notcher.formats.sound import KINDS
    from notcher.pipeline.isolate import isolated
    from notcher.wording.guitar import stereo_position_words

    outputs = outputs_of(options, options.audio)
    for path in (options.output, options.rest):
        if path is not None:
            outputs.check(path, endings=tuple(KINDS))
    if options.rest is not None and options.rest.resolve() == options.output.resolve():
        raise FileFormatError("'{path}' cannot hold both the lead and the rest; name two files", path=options.rest)
    progress = Progress()
    try:
        with _lead_named():
            heard, warnings = isolated(
                options.audio, lead=Isolation.named(options.lead), out=options.output, rest=options.rest,
                outputs=outputs, progress=progress,
            )  # fmt: skip
    finally:
        progress.done()
    for warning in warnings:
        complain(tr("note: {warning}", warning=warning))
    notes = trn("{n} note", "{n} notes", len(heard.notes))
    said = tr("the lead sits {where}", where=stereo_position_words(heard.lead))
    written = ", ".join(str(p) for p in (options.output, options.rest) if p is not None)
    print(f"{written}: {notes}; {said}")


def _check(options: argparse.Namespace) -> None:
    from notcher.formats import project_file
    from notcher.formats.take import take_json
    from notcher.pipeline.transcribe import take_in
    from notcher.teach.take import judge, notes_to_play
    from notcher.wording.take import report_words

    project = project_file.load(options.project)
    phrase = project.phrase_named(options.phrase) if options.phrase else None
    notes_to_play(project, phrase)
    progress = Progress()
    try:
        heard = take_in(options.take, tuning=project.tuning, progress=lambda share: progress("Listening", share))
    finally:
        progress.done()
    pace = options.pace / 100 if options.pace is not None else None
    report = apart(lambda: judge(project, heard, phrase=phrase, pace=pace))
    words = report_words(project, report, phrase=phrase)
    print(take_json(project, report, words) if options.json else words, end="" if options.json else "\n")
