"""What a note does over its chord: a tone of it, on its way, leaning on the next, or a tension.

The words are those of any standard harmony textbook (from memory): a passing note is left by step as it was reached, in
the same direction; a neighbour steps away from a tone and back; a suspension is held over from the chord before, where
it belonged, and steps down; an approach lies a half step from the chord tone it goes to. The blue note is the flat
third over a major third, or the flat fifth, of the key (common practice, no source).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from notcher.harmony.scales import degree
from notcher.score.chord import FIFTHS, KINDS, Chord
from notcher.score.chords import chord_of, key_at
from notcher.score.key import Key
from notcher.score.note import Note
from notcher.score.project import Project

_STEP = (1, 2)
# Seconds to either side in which what comes before and after a note is looked for.
_AROUND_S = 8.0


class Role(StrEnum):
    """Each, as it is called."""

    CHORD_TONE = "chord tone"
    SUSPENSION = "suspension"
    PASSING = "passing note"
    NEIGHBOUR = "neighbour"
    FROM_BELOW = "approach from a half step below"
    FROM_ABOVE = "approach from a half step above"
    BLUE = "blue note"
    TENSION = "tension"


_TENSIONS = {"b2": "b9", "2": "9", "b3": "#9", "4": "11", "b5": "#11", "b6": "b13", "6": "13"}
"""What a degree is called that the chord does not hold; others keep their own name."""


@dataclass(frozen=True, slots=True)
class Doing:
    """degree: against the chord, '' where there is none; in_key: against the key, '' where none is known; role: None
    where no chord is under it."""

    chord: Chord | None
    degree: str
    in_key: str
    role: Role | None


def sounding(note: Note, project: Project) -> int:
    """The pitch that a note is heard as: where its bend aims, and of a harmonic what sounds."""
    raised = note.bend.target_cents if note.bend else 0
    # A quarter step (a curl) colours a tone and makes it no other.
    return round(note.unbent_pitch(project.tuning)) + (raised // 100 if raised % 100 == 0 else 0)


def doings(project: Project, notes: Sequence[Note]) -> list[Doing]:
    """What each of some notes does. notes: in order, those between which it is decided what passes."""
    pitches = [sounding(n, project) for n in notes]
    out = []
    for k, note in enumerate(notes):
        here, key = chord_of(project, note), key_at(project, note.onset)
        chord = here.chord if here is not None else None
        in_key = degree(pitches[k], key.key.tonic) if key else ""
        if chord is None:
            out.append(Doing(None, "", in_key, None))
            continue
        before = _beside(notes, pitches, k, -1)
        after = _beside(notes, pitches, k, 1)
        former = chord_of(project, notes[k - 1]) if k else None
        role = role_of(
            pitches[k], chord, before=before, after=after, former=former.chord if former else None,
            key=key.key if key else None, following=_chord_of_next(project, notes, k),
        )  # fmt: skip
        out.append(Doing(chord, degree_in(pitches[k], chord), in_key, role))
    return out


def doing_of(project: Project, note: Note) -> Doing:
    """What one note does, between those around it."""
    around = project.notes_between(note.onset - _AROUND_S, note.onset + _AROUND_S)
    return doings(project, around)[[n.id for n in around].index(note.id)]


def _beside(notes: Sequence[Note], pitches: Sequence[int], k: int, way: int) -> int | None:
    """The pitch of the note before or after that is not struck together with this one."""
    at = k + way
    while 0 <= at < len(notes):
        if abs(notes[at].onset - notes[k].onset) > 0.03:
            return pitches[at]
        at += way
    return None


def _chord_of_next(project: Project, notes: Sequence[Note], k: int) -> Chord | None:
    found = chord_of(project, notes[k + 1]) if k + 1 < len(notes) else None
    return found.chord if found else None


def role_of(
    pitch: int,
    chord: Chord,
    *,
    before: int | None,
    after: int | None,
    former: Chord | None,
    key: Key | None,
    following: Chord | None,
) -> Role:
    """What a pitch does over a chord. before, after: the pitches beside it; former, following: the chords under
    those."""
    if pitch % 12 in chord.pitch_classes:
        return Role.CHORD_TONE
    came = pitch - before if before is not None else None
    goes = after - pitch if after is not None else None
    resolves = (
        goes is not None and following is not None and after is not None and after % 12 in following.pitch_classes
    )
    held = came == 0 and former is not None and former != chord and pitch % 12 in former.pitch_classes
    if held and goes is not None and -goes in _STEP and resolves:
        return Role.SUSPENSION
    if came is not None and goes is not None and abs(came) in _STEP and abs(goes) in _STEP:
        if came * goes > 0:
            return Role.PASSING
        if came == -goes:
            return Role.NEIGHBOUR
    if resolves and goes is not None and abs(goes) == 1:
        return Role.FROM_BELOW if goes > 0 else Role.FROM_ABOVE
    if key is not None and _is_blue(pitch, chord, key):
        return Role.BLUE
    return Role.TENSION


def _is_blue(pitch: int, chord: Chord, key: Key) -> bool:
    above = (pitch - key.tonic.pitch_class) % 12
    degrees = KINDS[chord.kind].degrees
    # The third of a minor key is its own, whatever chord is under it; but for the tonic's, made major.
    foreign = not key.minor or (chord.root.pitch_class == key.tonic.pitch_class and "3" in degrees)
    return above == 6 or (above == 3 and foreign and "b3" not in degrees)


def degree_in(pitch: int, chord: Chord) -> str:
    """The degree of a pitch against a chord: of its tones as the chord has them, else as a tension is called."""
    above = (pitch - chord.root.pitch_class) % 12
    for name in KINDS[chord.kind].degrees:
        if 7 * FIFTHS[name] % 12 == above:
            return name
    plain = degree(pitch, chord.root)
    return _TENSIONS.get(plain, plain)
