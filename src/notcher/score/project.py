"""The whole document of one request: the recording, what was heard in it, and what the person made of that."""

import bisect
import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated

from notcher.score.chord import ChordAt
from notcher.score.clause import Clause, quoted
from notcher.score.declared import Seconds, declared, within
from notcher.score.errors import ScoreError
from notcher.score.feel import BY_NAME as FEELS
from notcher.score.gap import Gap
from notcher.score.isolation import FIND_OUT, Isolation
from notcher.score.key import KeyAt
from notcher.score.limits import LONGEST_S, MOST_NOTES, MOST_PARTS, check_count, check_time
from notcher.score.note import Note
from notcher.score.playing import USUAL, Playing
from notcher.score.plays import Plays
from notcher.score.practice import NO_LESSON, Lesson, TakeKept
from notcher.score.tempo import TempoMap
from notcher.score.tuning import STANDARD, Tuning

_LONGEST_S, _SOUNDS_S = 20.0, 0.05


@dataclass(frozen=True, slots=True)
class Recording:
    """The sound file a project is about. path is as written in the project: relative to it where it can be."""

    path: Annotated[str, declared("relative to the project file where it can be")]
    sha256: Annotated[str, declared(pattern="^[0-9a-f]{64}$")]
    duration: Seconds
    sample_rate: int
    channels: int

    def __post_init__(self) -> None:
        if not 0 <= self.duration <= LONGEST_S:
            raise ScoreError(
                "a recording lasts 0 s to {longest_s:.0f} hours, got {duration} s",
                longest_s=LONGEST_S / 3600,
                duration=self.duration,
            )


@dataclass(frozen=True, slots=True)
class Contour:
    """Measured pitch, one value each `hop` seconds from `start`.

    decicents: tenths of a cent above MIDI pitch 0 at A = 440, or -1 where nothing sounds; percent: confidence.
    """

    start: float
    hop: Annotated[float, declared(exclusiveMinimum=0)]
    decicents: Annotated[tuple[int, ...], declared("tenths of a cent above MIDI 0 at A = 440; -1 where nothing sounds")]
    percent: tuple[Annotated[int, within(0, 100)], ...]

    def __post_init__(self) -> None:
        if len(self.decicents) != len(self.percent):
            raise ScoreError("a contour needs one confidence for each pitch")
        if not (self.start >= -LONGEST_S and self.hop > 0 and self.end <= 2 * LONGEST_S):
            raise ScoreError(
                "a contour has steps of more than 0 s, got {hop} s from {start} s on", hop=self.hop, start=self.start
            )

    @property
    def end(self) -> float:
        """Seconds at which the contour stops."""
        return self.start + self.hop * len(self.decicents)


@dataclass(frozen=True, slots=True)
class Section:
    """A named place in the recording, in seconds; it lasts until the next one.

    like: the name of a section that this one repeats, '' for none; less_bars: how many bars at the end it leaves out.
    """

    name: str
    start: Seconds
    like: Annotated[str, declared("name of the section it repeats, or empty")] = ""
    less_bars: Annotated[int, declared("bars it leaves out at the end", minimum=0)] = 0

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise ScoreError("a section needs a name, such as A or Solo")
        if not self.start >= 0:
            raise ScoreError("a section starts at 0 s or later, got {start} s", start=self.start)
        check_time(self.start, Clause("a section"))
        if not 0 <= self.less_bars <= 64:
            raise ScoreError("a repeated section leaves out 0 to 64 bars, got {less_bars}", less_bars=self.less_bars)


AS_PLAYED = "as played"


@dataclass(frozen=True, slots=True)
class Version:
    """One way of playing a phrase, put aside while another is shown: a name, and its notes in order."""

    name: str
    notes: tuple[Note, ...]

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise ScoreError("a version needs a name, such as 'easier'")


@dataclass(frozen=True, slots=True)
class Phrase:
    """A lick: a name and the stretch of the recording it takes, in seconds.

    showing: the name of the version whose notes the project has now; aside: its other versions. like: the id of the
    phrase it repeats, so that what is corrected in one is corrected in both; '' for none. advice: what the person tells
    whoever learns it; listen_for: what to notice in it; optional: whether it may be left out.
    """

    id: str
    name: str
    start: Seconds
    end: Seconds
    showing: Annotated[str, declared("name of the version whose notes stand in 'notes'")] = AS_PLAYED
    aside: tuple[Version, ...] = ()
    like: Annotated[str, declared("id of the phrase it repeats, or empty")] = ""
    advice: Annotated[str, declared("what the person tells whoever learns it, or empty")] = ""
    listen_for: Annotated[str, declared("what to notice in it, or empty")] = ""
    optional: Annotated[bool, declared("whether it may be left out")] = False

    def __post_init__(self) -> None:
        if not 0 <= self.start < self.end:
            raise ScoreError(
                "a phrase must end after it starts, got {start} s to {end} s", start=self.start, end=self.end
            )
        check_time(self.end, Clause("a phrase's end"))
        names = [self.showing, *(v.name for v in self.aside)]
        if len(set(names)) < len(names):
            raise ScoreError("the versions of a phrase need different names, got {names}", names=", ".join(names))

    @property
    def versions(self) -> tuple[str, ...]:
        """The names of all its versions, as it was played first."""
        names = {self.showing, *(v.name for v in self.aside)}
        return tuple(sorted(names, key=lambda n: (n != AS_PLAYED, n)))

    def holds(self, time: float) -> bool:
        """Whether a time in seconds lies in it."""
        return self.start <= time < self.end


def phrase_number(phrases: Sequence[Phrase], time: float) -> int:
    """The number of the first phrase that holds a time in seconds, from 0; -1 where none does."""
    return next((k for k, p in enumerate(phrases) if p.holds(time)), -1)


@dataclass(frozen=True, slots=True)
class State:
    """The notes as they stood at some time, kept under a name such as 'first handout'. made: a date, YYYY-MM-DD;
    learner: whom they were handed out to so, '' for nobody."""

    name: str
    made: Annotated[str, declared("YYYY-MM-DD")]
    tuning: Tuning
    notes: tuple[Note, ...]
    phrases: tuple[Phrase, ...]
    learner: str = ""

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise ScoreError("say what this state is to be called, such as 'first handout'")


@dataclass(frozen=True, slots=True)
class Request:
    """What was asked for, and by whom. version: which recording of it (live, a cover ...); due: a date, YYYY-MM-DD,
    or ''."""

    title: str = ""
    performer: str = ""
    asked_by: str = ""
    school: str = ""
    rights: str = ""
    version: str = ""
    due: Annotated[str, declared("YYYY-MM-DD, or empty")] = ""

    def __post_init__(self) -> None:
        if self.due:
            try:
                datetime.date.fromisoformat(self.due)
            except ValueError:
                raise ScoreError(
                    "'{due}' is no date; write it as year-month-day, such as 2027-03-14", due=self.due
                ) from None


@dataclass(frozen=True, slots=True)
class Project:
    """The document. Notes are sorted by onset, then string; phrases and sections by start.

    playing: the schools of both hands, and the guitar. lead: how the lead is taken out of the recording; other_lead: a
    second way, to compare it with, or None. plays: what is listened for. in_tune: whether playback is brought to A =
    440 by offset_cents. states: earlier ones that were named, the oldest first. gaps: where something may have been
    missed, as it was measured. chords, keys: each from its start to the next one's, by start. feel: of the backing, by
    its name, '' for one by the tempo. lesson: the plan of its lesson; takes: what came of takes, the oldest first.
    """

    recording: Recording
    tuning: Tuning = STANDARD
    playing: Playing = USUAL
    offset_cents: Annotated[float, declared("how far the recording sits from A = 440")] = 0.0
    lead: Annotated[Isolation, declared("how the lead is taken out of the recording")] = FIND_OUT
    other_lead: Annotated[Isolation | None, declared("a second way, to compare with")] = None
    plays: Annotated[Plays, declared("what is listened for: one line, or a riff and chords")] = Plays.LINE
    in_tune: Annotated[bool, declared("whether playback is brought to A = 440")] = False
    request: Request = Request()
    notes: tuple[Note, ...] = ()
    phrases: tuple[Phrase, ...] = ()
    sections: tuple[Section, ...] = ()
    tempo: TempoMap | None = None
    contour: Contour | None = None
    states: tuple[State, ...] = ()
    gaps: Annotated[tuple[Gap, ...], declared("where something may have been missed")] = ()
    chords: Annotated[tuple[ChordAt, ...], declared("each until the next one")] = ()
    keys: tuple[KeyAt, ...] = ()
    feel: Annotated[str, declared("of the backing; empty: by the tempo", enum=("", *FEELS))] = ""
    lesson: Lesson = NO_LESSON
    takes: Annotated[tuple[TakeKept, ...], declared("what came of takes, the oldest first")] = ()

    def __post_init__(self) -> None:
        check_count(len(self.notes), MOST_NOTES, Clause("notes"))
        if self.feel and self.feel not in FEELS:
            raise ScoreError("'{feel}' is no feel; there are {known}", feel=self.feel, known=", ".join(FEELS))
        if any(n.string > self.tuning.strings for n in self.notes):
            raise ScoreError(
                "a note lies on a string that this guitar of {strings} does not have", strings=self.tuning.strings
            )
        for parts, what in (
            (self.phrases, Clause("phrases")), (self.sections, Clause("sections")),
            (self.states, Clause("named states")), (self.gaps, Clause("gaps")),
            (self.chords, Clause("chords")), (self.keys, Clause("keys")), (self.takes, Clause("takes")),
        ):  # fmt: skip
            check_count(len(parts), MOST_PARTS, what)

    def note(self, note_id: str) -> Note:
        """The note of that id. Raises ScoreError where there is none."""
        for note in self.notes:
            if note.id == note_id:
                return note
        raise ScoreError("there is no note '{note_id}' in this project", note_id=note_id)

    def phrase_named(self, name: str) -> Phrase:
        """The phrase of that name or id, letter case ignored. Raises ScoreError, listing the names."""
        wanted = name.strip().lower()
        for phrase in self.phrases:
            if wanted in (phrase.name.lower(), phrase.id.lower()):
                return phrase
        if not self.phrases:
            raise ScoreError("there is no phrase '{name}'; this project has none yet", name=name)
        known = quoted(p.name for p in self.phrases)
        raise ScoreError("there is no phrase '{name}'; this project has {known}", name=name, known=known)

    def phrase_at(self, time: float) -> Phrase | None:
        """The phrase that holds a time in seconds."""
        number = phrase_number(self.phrases, time)
        return None if number < 0 else self.phrases[number]

    def notes_between(self, start: float, end: float) -> tuple[Note, ...]:
        """The notes whose onsets lie in [start, end)."""
        low = bisect.bisect_left(self.notes, start, key=lambda n: n.onset)
        high = bisect.bisect_left(self.notes, end, key=lambda n: n.onset)
        return self.notes[low:high]

    def pitches_at(self, time: float) -> list[float]:
        """Pitches (MIDI) that are written as sounding at a time: as fretted, as struck, and where a bend takes them."""
        notes = [n for n in self.notes_between(time - _LONGEST_S, time + _SOUNDS_S) if n.end > time + _SOUNDS_S]
        tops = [n.pitch(self.tuning) + n.bend.target_cents / 100 for n in notes if n.bend is not None]
        return [n.sounding_pitch(self.tuning) for n in notes] + [float(n.pitch(self.tuning)) for n in notes] + tops

    def with_tempo(self, tempo: TempoMap | None) -> "Project":
        """This project with another tempo map, or none."""
        return replace(self, tempo=tempo)

    def with_notes(self, notes: "list[Note] | tuple[Note, ...]") -> "Project":
        """This project with other notes, put in order."""
        return replace(self, notes=tuple(sorted(notes, key=lambda n: (n.onset, n.string, n.id))))
