"""The work from a sound file to a project: decode, listen, place, cut into phrases.

The command line and the window both come through here.
"""

import contextlib
import itertools
import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np

from notcher import kept, stopping
from notcher.audio.decode import SHORTEST, file_hash, load
from notcher.audio.lines import Sounded, lines_of, lines_of_project
from notcher.audio.parted import BLOCK_S, Parted
from notcher.audio.recording import Audio, AudioError, SilentError
from notcher.audio.wiener import Lines
from notcher.formats.incoming.build import project_of, put_elsewhere
from notcher.formats.incoming.open_score import read_score
from notcher.formats.outputs import FRESH, Outputs
from notcher.formats.printable import printable
from notcher.formats.sound import sound_file
from notcher.listen.beats import hear_beats
from notcher.listen.frames import Frames
from notcher.listen.learned import Known
from notcher.listen.listener import Heard, listen
from notcher.listen.lower import raised_for
from notcher.listen.notes import HeardNote
from notcher.listen.spectrum import at_low_rate
from notcher.place.harmonics import Node, likeliest_node
from notcher.place.solver import cut_at_rests, place
from notcher.place.wanted import Wanted
from notcher.rhythm.lineup import LinedUp, line_up
from notcher.score.chords import with_heard
from notcher.score.clause import Clause
from notcher.score.edits import SHORTEST_NOTE, new_note_id
from notcher.score.errors import ScoreError
from notcher.score.gap import Gap
from notcher.score.isolation import FIND_OUT, Isolation, Seat
from notcher.score.measured import Measured
from notcher.score.note import LEGATO, Attack, Mark, Note, struck_together
from notcher.score.pitch import PitchName, harmonic_rise
from notcher.score.project import AS_PLAYED, Contour, Phrase, Project, Recording, Request, Version, phrase_number
from notcher.score.tuning import STANDARD, Tuning
from notcher.score.versions import of_the_recording, show_version, shown_as
from notcher.teach.phrasing import propose_phrases
from notcher.teach.take import LONGEST_TAKE_S
from notcher.wording import later

Progress = Callable[[str, float], None]
_AROUND = 6


def describe(path: Path, audio: Audio) -> Recording:
    """The recording as a project refers to it."""
    return Recording(str(path), file_hash(path), round(audio.duration, 4), audio.file_rate, audio.file_channels)


def listen_kept(
    audio: Audio,
    sha256: str,
    *,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    first: float | None = None,
    on_part: Callable[[Heard, float, float], None] | None = None,
    progress: Callable[[float], None] | None = None,
    confirmed: Sequence[Known] = (),
    doubt: bool = True,
    tuning: Tuning = STANDARD,
) -> tuple[Heard, str | None]:
    """As listener.listen, with frames kept on disk; also a sentence on what could not be kept, if so.

    sha256: the recording's; tuning: of the guitar, which says how low is listened. Raises as listen.
    """
    lowest = min(tuning.open_pitches)
    trouble: list[str | None] = [None]

    def made(frames: Frames, low: float, high: float) -> None:
        trouble[0] = kept.keep(frames, sha256, low, high, raised=raised_for(lowest))

    heard = listen(
        audio, lead=lead, start=start, end=end, first=first, on_part=on_part, progress=progress,
        frames_found=lambda isolation, low, high: kept.find(sha256, isolation, low, high, raised=raised_for(lowest)),
        frames_made=made, confirmed=confirmed, doubt=doubt, lowest=lowest,
    )  # fmt: skip
    return heard, trouble[0]


def take_heard(
    audio: Audio, *, tuning: Tuning = STANDARD, progress: Callable[[float], None] | None = None
) -> Heard | None:
    """What a learner's take holds; None where nothing can be heard in it. Raises AudioError for one that is too long,
    CancelledError when asked to stop."""
    if audio.duration > LONGEST_TAKE_S:
        raise AudioError(
            "a take lasts up to {most:.0f} minutes, this one {minutes:.0f}; cut out the part that was played",
            most=LONGEST_TAKE_S / 60, minutes=audio.duration / 60,
        )  # fmt: skip
    try:
        heard = listen(audio, lead=Isolation(Seat.MIX), progress=progress, lowest=min(tuning.open_pitches))
    except AudioError:
        return None
    if not heard.notes:
        return None
    return replace(heard, sound=at_low_rate(audio))


def take_in(path: Path, *, tuning: Tuning = STANDARD, progress: Callable[[float], None] | None = None) -> Heard | None:
    """What the take in a sound file holds; None for silence. Raises AudioError for a file that is no take."""
    try:
        audio = load(path)
    except SilentError:
        return None
    return take_heard(audio, tuning=tuning, progress=progress)


def known_of(project: Project) -> tuple[Known, ...]:
    """What the person decided of a project's notes, for judging the rest by it."""
    out: list[Known] = []
    open_since = True
    for n in project.notes:
        if not (n.confirmed or n.by_hand) or not of_the_recording(project, n.onset):
            open_since = True
            continue
        by_hand = n.attack in (Attack.HAMMER, Attack.PULL)
        out.append(Known(n.onset, n.pitch(project.tuning), by_hand, follows=not open_since))
        open_since = False
    return tuple(out)


def measured_project(
    audio: Audio,
    recording: Recording,
    *,
    tuning: Tuning = STANDARD,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    doubt: bool = True,
    progress: Progress | None = None,
) -> Project:
    """A project with proposed notes and phrases from a decoded recording. doubt: as listener.listen has it.

    Raises AudioError where there is nothing to hear, CancelledError when asked to stop.
    """
    heard, _ = listen_kept(
        audio, recording.sha256, lead=lead, start=start, end=end, doubt=doubt,
        tuning=tuning, progress=(lambda x: progress(later("Listening"), x)) if progress else None,
    )  # fmt: skip
    empty = Project(recording, tuning=tuning, request=Request(title=title_of(Path(recording.path))))
    return stopping.apart(lambda: with_proposals(empty, heard, start=start, end=audio.duration if end is None else end))


def placed_notes(
    heard: Iterable[HeardNote], tuning: Tuning, *, phrases: Sequence[Phrase] = (), beside: Sequence[Note] = ()
) -> list[Note]:
    """Heard notes with a string and a fret each, numbered n1, n2 ...

    phrases: of the solo; those that would be proposed, where it has none. beside: notes that are settled already, which
    the hand comes from and goes to; what is struck with one of them is placed by itself.
    """
    ordered = sorted(heard, key=lambda n: (n.onset, -n.pitch))
    settled = [n for n in beside if not any(struck_together(n.onset, h.onset) for h in ordered)]
    ordered, nodes = _with_nodes(ordered, tuning)
    cut = phrases or propose_phrases([*ordered, *settled], duration=math.inf)
    wanted = [
        Wanted(n.onset, n.end, _fretted(n, tuning), n.attack, n.bend.target_cents if n.bend else 0,
               n.vibrato is not None, phrase=phrase_number(cut, n.onset),
               place=(nodes[k].string, nodes[k].fret) if k in nodes else None)
        for k, n in enumerate(ordered)
    ]  # fmt: skip
    wanted += [Wanted.of(n, tuning, fixed=True, phrase=phrase_number(cut, n.onset)) for n in settled]
    order = sorted(range(len(wanted)), key=lambda i: wanted[i].onset)
    found = dict(zip(order, place([wanted[i] for i in order], tuning), strict=True))
    return [
        Note(
            f"n{i}", h.onset, h.end, p.string, p.fret, attack=h.attack, bend=h.bend, vibrato=h.vibrato, marks=h.marks,
            confidence=h.confidence, evidence=h.evidence, sure=h.sure,
            partial=nodes[i - 1].partial if i - 1 in nodes else _partial(h, tuning),
        )
        for i, (h, p) in enumerate(((h, found[k]) for k, h in enumerate(ordered)), 1)
    ]  # fmt: skip


def _with_nodes(heard: list[HeardNote], tuning: Tuning) -> tuple[list[HeardNote], dict[int, Node]]:
    """The notes, natural harmonics only where a node of this tuning sounds them, and the node of each by its place in
    the list."""
    out: list[HeardNote] = []
    nodes: dict[int, Node] = {}
    last: tuple[Node, float] | None = None
    for k, n in enumerate(heard):
        if Mark.NATURAL_HARMONIC in n.marks:
            node = likeliest_node(n.pitch, tuning, last[0] if last else None, n.onset - last[1] if last else 0.0)
            if node is None:
                n = replace(n, marks=n.marks - {Mark.NATURAL_HARMONIC})
            else:
                nodes[k], last = node, (node, n.onset)
        out.append(n)
    return out, nodes


def _fretted(n: HeardNote, tuning: Tuning) -> int:
    """The pitch that is pressed down: under a pinch harmonic that of the string it squeals on."""
    partial = _partial(n, tuning)
    return n.pitch if partial is None else round(n.pitch - harmonic_rise(partial))


def _partial(n: HeardNote, tuning: Tuning) -> int | None:
    """Which partial of its string a pinch harmonic is, where the neck has that string's pitch."""
    if n.partial is None or Mark.PINCH_HARMONIC not in n.marks:
        return None
    return n.partial if tuning.places(round(n.pitch - harmonic_rise(n.partial))) else None


def placed_among(project: Project, heard: HeardNote) -> Note:
    """A heard note with a place by the hand around it; it counts as added by hand, and so as confirmed.

    Raises ScoreError where it is not on the neck.
    """
    before = [n for n in project.notes if n.onset <= heard.onset][-_AROUND:]
    after = [n for n in project.notes if n.onset > heard.onset][:_AROUND]
    if not project.tuning.places(heard.pitch):
        raise ScoreError("the pitch heard here is not on the neck in this tuning; check the tuning")
    mine = Wanted(
        heard.onset, heard.end, heard.pitch, heard.attack, heard.bend.target_cents if heard.bend else 0,
        heard.vibrato is not None,
    )  # fmt: skip
    around = [Wanted.of(n, project.tuning, fixed=True) for n in (*before, *after)]
    wanted = [*around[: len(before)], mine, *around[len(before) :]]
    found = place(wanted, project.tuning)[len(before)]
    following = next((n for n in after if n.string == found.string), None)
    end = heard.end if following is None else max(heard.onset + SHORTEST_NOTE, min(heard.end, following.onset))
    return Note(
        new_note_id(project), heard.onset, end, found.string, found.fret, attack=heard.attack, bend=heard.bend,
        vibrato=heard.vibrato, marks=heard.marks, confidence=heard.confidence, confirmed=True, by_hand=True,
        evidence=None,
    )  # fmt: skip


def note_in_gap(project: Project, gap: Gap) -> Project:
    """The project with the note that may be missing in a gap, placed by the hand around it. Raises ScoreError where it
    is not on the neck."""
    heard = HeardNote(
        gap.start, gap.end, gap.midi, Attack.PICK, None, None, frozenset(), gap.chance, Measured()
    )  # fmt: skip
    return project.with_notes([*project.notes, placed_among(project, heard)])


def with_proposals(
    project: Project, heard: Heard, *, start: float, end: float, placed: Sequence[Note] | None = None
) -> Project:
    """The project with what was heard between two times; confirmed and added notes stay as they are.

    placed: the heard notes already on the neck, where that was done beforehand (placing takes its time).

    What is heard is what was played: versions of phrases stay as they are. Phrases are proposed where there are none;
    the tuning offset is taken over from a measuring of the whole, or where there was none.
    """
    showing = {p.id: p.showing for p in project.phrases}
    project = shown_as(project, AS_PLAYED)
    stay = [n for n in project.notes if n.confirmed or n.by_hand or not start <= n.onset < end]
    if placed is None:
        placed = placed_notes(heard.notes, project.tuning, phrases=project.phrases, beside=stay)
    proposed = placed
    fresh = _beside(stay, [n for n in proposed if start <= n.onset < end])
    whole = start <= 0.01 and end >= project.recording.duration - 0.01
    contour = heard.trace.stored()
    if not whole and project.contour is not None:
        contour = _spliced(project.contour, contour, start, end)
    measured = replace(
        project,
        contour=contour,
        offset_cents=heard.offset.cents if whole or not project.notes else project.offset_cents,
        lead=heard.lead,
        gaps=tuple(
            sorted(
                (
                    *(g for g in project.gaps if not start <= g.start < end),
                    *(g for g in heard.gaps if start <= g.start < end),
                ),
                key=lambda g: g.start,
            )
        ),
        phrases=project.phrases or propose_phrases([*stay, *fresh], duration=project.recording.duration),
    ).with_notes([*stay, *fresh])
    for phrase_id, name in showing.items():
        measured = show_version(measured, phrase_id, name)
    return measured


def _beside(stay: Sequence[Note], proposed: Sequence[Note]) -> list[Note]:
    """The proposed notes that none of those that stay is struck with, under ids of their own."""
    fresh = [n for n in proposed if not any(struck_together(s.onset, n.onset) for s in stay)]
    taken = {n.id for n in stay}
    if not taken:
        return fresh
    free = (f"n{k}" for k in itertools.count(1) if f"n{k}" not in taken)
    return [replace(n, id=next(free)) for n in fresh]


def _spliced(old: Contour, new: Contour, start: float, end: float) -> Contour:
    """The old contour with the new one between two times; the old one as a whole where their frames differ."""
    if old.hop != new.hop or old.start != new.start:
        return new
    a, b = round((start - old.start) / old.hop), round((end - old.start) / old.hop)
    return Contour(
        old.start, old.hop, old.decicents[:a] + new.decicents[a:b] + old.decicents[b:],
        old.percent[:a] + new.percent[a:b] + old.percent[b:],
    )  # fmt: skip


def transcribed(
    path: Path,
    *,
    tuning: Tuning = STANDARD,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    beat: bool = True,
    progress: Progress | None = None,
) -> tuple[Project, tuple[Clause, ...]]:
    """Load and measure a sound file: the project, and sentences about what is odd with the file or in doubt.

    beat: whether a steady beat is looked for, in the whole recording, as the window does. Raises AudioError.
    """
    audio = load(path, progress=(lambda x: progress(later("Reading"), x)) if progress else None)
    low, high = checked_range(audio, start, end)
    project = measured_project(
        audio, describe(path.resolve(), audio), tuning=tuning, lead=lead, start=low, end=high, progress=progress
    )
    doubts: tuple[Clause, ...] = ()
    if beat:
        if progress:
            progress(later("Finding the beat"), 0.0)
        found = stopping.apart(lambda: hear_beats(audio))
        project = project.with_tempo(found.tempo if found is not None else None)
        doubt = found.doubt() if found is not None else None
        doubts = (doubt,) if doubt is not None else ()
    if progress:
        progress(later("Hearing the chords"), 0.0)
    measured = project
    return stopping.apart(lambda: with_harmony(measured, audio)), (*audio.warnings, *doubts)


def with_harmony(project: Project, audio: Audio) -> Project:
    """The project with the key and the chords that are heard in its recording; what was decided stays.

    Raises CancelledError when asked to stop.
    """
    from notcher.harmony.hearing import hear
    from notcher.harmony.roles import sounding

    lead = [(n.onset, n.end, sounding(n, project)) for n in project.notes if Mark.DEAD not in n.marks]
    heard = hear(
        audio, lines_of_project(project, audio.duration), lead, project.tempo,
        isolation=project.lead, offset_cents=project.offset_cents,
    )  # fmt: skip
    return with_heard(project, heard.chords, heard.keys)


def isolated(
    path: Path, *, lead: Isolation, out: Path, rest: Path | None, outputs: Outputs = FRESH,
    progress: Progress | None = None,
) -> tuple[Heard, tuple[Clause, ...]]:  # fmt: skip
    """Write the lead of a sound file alone, and (where `rest` is given) all the rest, each as long as the file: what
    was heard, and sentences about what is odd with the file. Raises AudioError, FileFormatError."""
    audio = load(path, progress=(lambda x: progress(later("Reading"), x)) if progress else None)
    heard, _ = listen_kept(
        audio, file_hash(path), lead=lead, progress=(lambda x: progress(later("Measuring"), x)) if progress else None
    )
    split = stopping.apart(lambda: Parted(audio, lines_heard(heard), heard.lead))
    channels = audio.kept.shape[0]
    with contextlib.ExitStack() as files:
        writers = [files.enter_context(sound_file(p, channels, outputs)) for p in (out, rest) if p is not None]
        for at in np.arange(0.0, audio.duration, BLOCK_S).tolist():
            if progress:
                progress(later("Taking the lead out"), at / audio.duration)
            upto = min(audio.duration, at + BLOCK_S)
            for number, write in enumerate(writers):
                stopping.look_for_stop()
                write(stopping.apart(partial(split.between, at, upto, rest=number > 0)))
    return heard, audio.warnings


def lines_heard(heard: Heard) -> Lines:
    """The lines of what was heard."""
    offset = heard.offset.cents / 100.0
    played = (
        Sounded(n.onset, n.end, n.pitch + offset, n.bend.points if n.bend else (), n.attack not in LEGATO)
        for n in heard.notes
    )
    return lines_of(played, heard.trace.cents)


def checked_range(audio: Audio, start: float, end: float | None) -> tuple[float, float]:
    """A part of a recording in seconds, cut to what there is. Raises AudioError where nothing is left to hear."""
    high = audio.duration if end is None else end
    if not (math.isfinite(start) and math.isfinite(high)):
        raise AudioError(
            "a part of a recording goes from one second to another, got {start} to {high}", start=start, high=high
        )
    low, high = max(0.0, start), min(high, audio.duration)
    if high - low < SHORTEST:
        raise AudioError(
            "nothing can be heard from {start:g} s to {high:g} s; the recording lasts {duration:.1f} s, and at "
            "least {shortest:g} s of it are needed",
            start=start,
            high=high,
            duration=audio.duration,
            shortest=SHORTEST,
        )
    return low, high


@dataclass(frozen=True, slots=True)
class ReadIn:
    """A score that was read: the project, the part it came from and the other ones, how many notes lay outside the
    neck, and what was not understood."""

    project: Project
    part: str
    parts: tuple[str, ...]
    moved: int
    skipped: tuple[str, ...]


def read_in(path: Path, *, tuning: Tuning | None = None, part: str = "") -> ReadIn:
    """A project without a recording from a MusicXML, MIDI or text tab file. tuning: where the score names none.

    Raises FileFormatError.
    """
    score = stopping.apart(lambda: read_score(path, part=part))
    project = stopping.apart(lambda: project_of(score, tuning=tuning, title=title_of(path)))
    return ReadIn(project, score.part, score.parts, put_elsewhere(score, project), score.skipped)


def with_recording(score: Project, path: Path, *, progress: Progress | None = None) -> tuple[Project, LinedUp]:
    """A score lined up with a recording: the project, and how much of it was found.

    Raises AudioError, and ScoreError where too little fits.
    """
    audio = load(path, progress=(lambda x: progress(later("Reading"), x)) if progress else None)
    recording = describe(path.resolve(), audio)
    heard = measured_project(audio, recording, tuning=score.tuning, lead=score.lead, doubt=False, progress=progress)
    lined = stopping.apart(lambda: line_up(score, heard.notes, recording))
    return replace(lined.over(heard), request=score.request, states=score.states), lined


def title_of(path: Path) -> str:
    """A title from a file's name."""
    return printable(path.stem.replace("_", " ").replace("-", " ")).capitalize()


def _kept(note: Note, was: Tuning, now: Tuning) -> tuple[int, int] | None:
    """Where a note stays as the guitar becomes another, counted from its capo; None where it is placed anew."""
    if was.pitches != now.pitches:
        return None
    fret = note.fret + was.capo - now.capo
    settled = note.confirmed or note.held
    if settled and fret < 0:
        raise ScoreError(
            "a capo at fret {capo} lies above fret {fret} of string {string}, which you settled at {onset:.2f} s; "
            "choose another place for it first, or a lower capo", capo=now.capo, fret=note.fret + was.capo,
            string=note.string, onset=note.onset,
        )  # fmt: skip
    if settled and fret > now.highest_fret:
        raise ScoreError(
            "fret {fret} of string {string}, which you settled at {onset:.2f} s, lies beyond a neck of {frets} frets; "
            "choose another place for it first", fret=note.fret + was.capo, string=note.string, onset=note.onset,
            frets=now.frets,
        )  # fmt: skip
    stays = settled or was.capo == now.capo
    return (note.string, fret) if stays and 0 <= fret <= now.highest_fret else None


def retuned(project: Project, tuning: Tuning) -> Project:
    """The same sounding notes on another guitar: what sounds does not change.

    Every place is found anew where the strings change; where only the capo does, those that are neither confirmed nor
    held, and where only the neck's last fret does, those beyond it. Raises NotcherError for a note the other guitar
    does not have, and for a capo above a fret that is confirmed or held, or a neck that ends before it.
    """
    lowest, highest = min(tuning.pitches) + tuning.capo, max(tuning.pitches) + tuning.capo + tuning.highest_fret

    def placed(notes: Sequence[Note]) -> list[Note]:
        gone = [n for n in notes if not lowest <= n.pitch(project.tuning) <= highest]
        if gone:
            note, more = PitchName(gone[0].pitch(project.tuning)), len(gone) - 1
            clause = Clause(
                "{note} at {onset:.2f} s cannot be played on a guitar with {frets} frets in {tuning}; correct or "
                "delete what is wrong first",
                note=note, onset=gone[0].onset, frets=tuning.frets, tuning=tuning,
            ) if not more else Clause(
                "{note} at {onset:.2f} s (and {more} more) cannot be played on a guitar with {frets} frets in "
                "{tuning}; correct or delete what is wrong first",
                note=note, onset=gone[0].onset, more=more, frets=tuning.frets, tuning=tuning,
            )  # fmt: skip
            raise ScoreError(clause)
        kept = [_kept(n, project.tuning, tuning) for n in notes]
        wanted = [
            # A harmonic's place goes with the guitar it was written for.
            replace(
                Wanted.of(n, project.tuning, fixed=k is not None, phrase=phrase_number(project.phrases, n.onset)),
                place=k,
            )
            for n, k in zip(notes, kept, strict=True)
        ]  # fmt: skip
        return [
            replace(n, string=p.string, fret=p.fret, held=n.held and k is not None)
            for n, k, p in zip(
                notes, kept, place(wanted if project.phrases else cut_at_rests(wanted), tuning), strict=True
            )
        ]

    phrases = tuple(
        replace(p, aside=tuple(Version(v.name, tuple(placed(v.notes))) for v in p.aside)) for p in project.phrases
    )
    return replace(project, tuning=tuning, phrases=phrases, notes=()).with_notes(placed(project.notes))
