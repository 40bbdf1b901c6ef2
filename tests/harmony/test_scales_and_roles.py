"""Scales against music21's, and what notes do against worked examples of harmony textbooks (from memory)."""

import pytest

from notcher.harmony.roles import Role, degree_in, doings, role_of
from notcher.harmony.scales import BY_NAME, SCALES, degree, fitting
from notcher.harmony.symbols import parse_chord
from notcher.score.chord import Chord
from notcher.score.chords import set_chords, set_key
from notcher.score.key import Key
from notcher.score.note import Note
from notcher.score.project import Project, Recording
from notcher.score.spelling import Tone
from notcher.score.tuning import Tuning
from tests.conftest import small_project

# Each scale by the name of music21's class.
THEIRS = {
    "major": "MajorScale", "minor": "MinorScale", "dorian": "DorianScale", "phrygian": "PhrygianScale",
    "lydian": "LydianScale", "mixolydian": "MixolydianScale", "locrian": "LocrianScale",
    "harmonic minor": "HarmonicMinorScale", "whole tone": "WholeToneScale",
}  # fmt: skip


def chord(symbol: str) -> Chord:
    found = parse_chord(symbol)
    assert found is not None
    return found


@pytest.mark.parametrize("name", THEIRS)
def test_a_scale_has_music21s_tones(name: str) -> None:
    from music21 import scale

    theirs = getattr(scale, THEIRS[name])("C").getPitches("C4", "B4")
    assert set(BY_NAME[name].semitones) == {p.pitchClass for p in theirs}
    if name != "whole tone":
        assert {t.plain().replace("b", "-") for t in BY_NAME[name].tones(Tone.named("C"))} == {p.name for p in theirs}


def test_the_octatonic_scale_repeats_every_three_frets() -> None:
    """Common practice, no source: the half-whole diminished shape moves by three frets."""
    steps = set(BY_NAME["half-whole diminished"].semitones)
    assert {(s + 3) % 12 for s in steps} == steps
    from music21.scale import OctatonicScale

    assert steps == {p.pitchClass for p in OctatonicScale("C", 1).getPitches("C4", "B4")}


def test_a_scale_is_named_only_if_it_covers_what_sounds() -> None:
    a = Tone.named("A")
    pentatonic = dict.fromkeys((9, 0, 2, 4, 7), 1.0)
    assert fitting(pentatonic, a) == (BY_NAME["minor pentatonic"], ())
    assert fitting(pentatonic | {3: 1.0}, a) == (BY_NAME["blues"], ())
    found = fitting(dict.fromkeys(pentatonic, 10.0) | {6: 0.5}, a)
    assert found is not None
    assert found[1] in ((), (6,))
    assert fitting(dict.fromkeys(range(12), 1.0), a) is None
    assert fitting({}, a) is None


def test_degrees_are_called_as_the_scale_has_them() -> None:
    c = Tone.named("C")
    assert [degree(pc, c) for pc in (0, 3, 6, 10)] == ["1", "b3", "b5", "b7"]
    assert degree(6, c, BY_NAME["lydian"]) == "#4"
    assert [degree_in(pc, chord("C7")) for pc in (4, 10, 2, 9, 3)] == ["3", "b7", "9", "13", "#9"]
    assert len({s.name for s in SCALES}) == len(SCALES)


@pytest.mark.parametrize(
    ("line", "chords", "role"),
    [
        ((64, 62, 60), "C C C", Role.PASSING),
        ((64, 65, 64), "C C C", Role.NEIGHBOUR),
        ((64, 67, 60), "C C C", Role.CHORD_TONE),
        ((65, 65, 64), "F C C", Role.SUSPENSION),
        ((60, 66, 67), "C C C", Role.FROM_BELOW),
        ((60, 68, 67), "C C C", Role.FROM_ABOVE),
        ((60, 63, 60), "C C C", Role.BLUE),
        ((60, 69, 60), "C C C", Role.TENSION),
    ],
)
def test_what_a_note_does(line: tuple[int, int, int], chords: str, role: Role) -> None:
    before, here, after = (chord(c) for c in chords.split())
    found = role_of(
        line[1], here, before=line[0], after=line[2], former=before, key=Key.of(0, "major"), following=after
    )  # fmt: skip
    assert found is role


def test_each_note_of_a_project_is_told() -> None:
    project = small_project()
    assert all(d.role is None and d.in_key == "" for d in doings(project, project.notes))
    project = set_key(set_chords(project, [(0.0, chord("Em"))], until=9.0), Key.of(4, "minor"))
    found = doings(project, project.notes)
    # The first note lies on string 3 at fret 9: E, the root.
    assert (found[0].degree, found[0].in_key, found[0].role) == ("1", "1", Role.CHORD_TONE)
    assert all(d.role is not None for d in found)


# -- beside music21's own analysis, on its corpus ------------------------------------------------------------------

_KINDS_OF = {
    ("major", 3): "major", ("minor", 3): "minor", ("diminished", 3): "diminished", ("dominant", 4): "dominant",
    ("minor", 4): "minor-seventh", ("half-diminished", 4): "half-diminished",
}  # fmt: skip


def _chorale(name: str) -> tuple[Project, list[object]]:
    """The soprano of a chorale of music21's corpus, a beat a second, over the chord that sounds on each beat; and
    music21's notes."""
    from music21 import corpus
    from music21.note import GeneralNote

    score = corpus.parse(name)
    soprano = [n for n in score.parts[0].flatten().notes if n.isNote]
    notes = tuple(
        Note(f"n{k}", float(n.offset) + 1.0, float(n.offset + n.quarterLength) + 0.95, 1, n.pitch.midi - 58)
        for k, n in enumerate(soprano)
    )  # fmt: skip
    chords = []
    for vertical in score.asTimespans(classList=(GeneralNote,)).iterateVerticalities():
        c = vertical.toChord()
        if not c.pitches:
            continue
        kind = _KINDS_OF.get((c.quality if not c.isDominantSeventh() else "dominant", c.pitchClassCardinality))
        if float(vertical.offset).is_integer() and kind is not None:
            chords.append((float(vertical.offset) + 1.0, Chord(Tone.named(c.root().name.replace("-", "b")), kind)))
    high = Tuning((58, 53, 49, 44, 39, 34))
    project = Project(Recording("", "0" * 64, notes[-1].end + 2, 44100, 1), tuning=high, notes=notes)
    return set_chords(project, chords, until=notes[-1].end + 1), soprano


CHORALES = (
    "66.6",
    "57.8",
    "153.1",
    "269",
    "371",
    "318",
    "253",
    "255",
    "259",
    "320",
    "26.6",
    "86.6",
    "84.5",
    "144.3",
    "17.7",
)


def test_passing_notes_and_neighbours_are_those_of_music21_in_chorales() -> None:
    """music21's ThreeNoteLinearSegment says of three notes whether the middle one could be a passing or a neighbouring
    note; asked of every soprano note off the beat that its chord does not hold."""
    from music21.voiceLeading import ThreeNoteLinearSegment

    agree = asked = 0
    for number in CHORALES:
        project, theirs = _chorale(f"bach/bwv{number}")
        ours = doings(project, project.notes)
        by_id = {n.id: d for n, d in zip(project.notes, ours, strict=True)}
        for k in range(1, len(theirs) - 1):
            found = by_id.get(f"n{k}")
            if found is None or found.chord is None or found.role is Role.CHORD_TONE:
                continue
            if float(theirs[k].offset).is_integer():  # type: ignore[attr-defined]
                continue
            three = ThreeNoteLinearSegment(*theirs[k - 1 : k + 2])
            passing, neighbour = three.couldBePassingTone(), three.couldBeNeighborTone()
            asked += 1
            agree += (passing, neighbour) == (found.role is Role.PASSING, found.role is Role.NEIGHBOUR)
    assert asked >= 50
    assert agree >= 0.95 * asked, (agree, asked)
