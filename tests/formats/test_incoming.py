"""Scores from elsewhere: what goes out comes back, what others write is understood, what does harm is one line."""

import io
import zipfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.build import project_of, put_elsewhere
from notcher.formats.incoming.open_score import read_score
from notcher.formats.midi import midi_bytes
from notcher.formats.musicxml import musicxml
from notcher.formats.text_tab import text_tab
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from notcher.score.tuning import NAMED
from tests.conftest import note, small_project


def opened(path: Path, data: str | bytes) -> Project:
    path.write_bytes(data.encode() if isinstance(data, str) else data)
    return project_of(read_score(path))


def essence(n: Note) -> tuple[object, ...]:
    """What a notation file carries of a note."""
    bend = (n.bend.kind, n.bend.target_cents) if n.bend else None
    return n.string, n.fret, n.attack, bend, n.vibrato is not None, n.marks, n.finger, n.partial


# -- MusicXML ------------------------------------------------------------------------------------------------------


def test_a_project_comes_back_from_musicxml(tmp_path: Path) -> None:
    project = small_project()
    text = musicxml(project, project.notes)
    again = opened(tmp_path / "a.musicxml", text)
    assert [essence(n) for n in again.notes] == [essence(n) for n in project.notes]
    assert again.request.title == "Low Tide"
    assert again.tuning == project.tuning
    assert again.tempo is not None
    assert again.tempo.bpm() == pytest.approx(120)
    assert musicxml(again, again.notes).count("<note>") == text.count("<note>")
    assert _measures(musicxml(again, again.notes)) == _measures(text)


def _measures(text: str) -> str:
    """The music itself, without the heading and the number of the first bar."""
    import re

    return re.sub(r'measure number="\d+"', "measure", text[text.index("<measure") :])


KINDS = [k for k in BendKind if k is not BendKind.CURL]
# What stands by itself: a legato needs a note before it on its string, and is tested on its own.
MARKS = [
    Mark.PALM_MUTE, Mark.STACCATO, Mark.DEAD, Mark.LET_RING, Mark.NATURAL_HARMONIC, Mark.PINCH_HARMONIC, Mark.SLIDE_IN,
    Mark.SLIDE_OFF, Mark.TRILL, Mark.DOWN_STROKE, Mark.UP_STROKE, Mark.TREMOLO, Mark.SWELL, Mark.BAR_DIP, Mark.BAR_DIVE,
    Mark.BAR_SCOOP, Mark.LEFT_HAND,
]  # fmt: skip


@st.composite
def written_solos(draw: st.DrawFn) -> Project:
    """Solos whose rhythm is as it is counted, with any technique on any note."""
    lengths = draw(st.lists(st.sampled_from([1, 2, 3, 4, 6, 8]), min_size=1, max_size=14))
    at, notes = draw(st.integers(0, 7)), []
    for k, sixteenths in enumerate(lengths, 1):
        bend = draw(st.none() | st.builds(Bend, st.sampled_from(KINDS), st.sampled_from([50, 100, 150, 200, 350, 600])))
        marks = frozenset(draw(st.lists(st.sampled_from(MARKS), max_size=3)))
        attack = draw(st.sampled_from([Attack.PICK, Attack.TAP, Attack.RAKE]))
        partial = draw(st.sampled_from([None, 5])) if Mark.NATURAL_HARMONIC in marks else None
        notes.append(Note(
            f"n{k}", at / 8 + 0.5, (at + sixteenths) / 8 + 0.5, draw(st.integers(1, 6)), draw(st.integers(0, 22)),
            attack=attack, bend=bend, marks=marks, partial=partial, finger=draw(st.sampled_from([None, 0, 1, 4])),
            vibrato=draw(st.sampled_from([None, Vibrato(5.5, 25.0)])),
        ))  # fmt: skip
        at += sixteenths + draw(st.sampled_from([0, 0, 0, 4]))
    tempo = TempoMap.steady(120, first_beat=0.5, count=60, beats_per_bar=draw(st.integers(2, 6)))
    return Project(Recording("x.wav", "ab" * 32, 60.0, 44100, 2), notes=tuple(notes), tempo=tempo)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(written_solos())
@pytest.mark.slow
def test_any_solo_comes_back_from_musicxml(tmp_path: Path, project: Project) -> None:
    text = musicxml(project, project.notes)
    again = opened(tmp_path / "a.musicxml", text)
    assert [essence(n) for n in again.notes] == [essence(n) for n in project.notes]
    # Phrases are proposed where a score names none.
    assert _measures(musicxml(replace(again, phrases=()), again.notes)) == _measures(text)


def test_another_librarys_score_is_read_and_placed(tmp_path: Path) -> None:
    """Written by music21, a general-purpose library: plain notes with a tie, a triplet, a rest and a chord."""
    import music21

    part = music21.stream.Part()
    part.append(music21.meter.TimeSignature("3/4"))
    part.append(music21.tempo.MetronomeMark(number=96))
    part.append(music21.note.Note("E5", quarterLength=1.5))
    for name in ("G5", "A5", "B5"):
        part.append(music21.note.Note(name, quarterLength=1 / 3))
    part.append(music21.note.Rest(quarterLength=0.5))
    part.append(music21.chord.Chord(["E4", "B4"], quarterLength=2.0))
    path = tmp_path / "other.musicxml"
    part.write("musicxml", fp=str(path))
    project = project_of(read_score(path))
    pitches = [n.pitch(project.tuning) for n in project.notes]
    # MIDI numbers: C4 = 60.
    assert sorted(pitches) == sorted([76, 79, 81, 83, 71, 64])
    assert project.tempo is not None
    assert project.tempo.beats_per_bar == 3
    assert project.tempo.bpm() == pytest.approx(96, rel=1e-3)
    beats = sorted({round(project.tempo.beat_at(n.onset) * 6) for n in project.notes})
    assert beats == [0, 9, 11, 13, 18]
    assert all(0 <= n.fret <= 24 for n in project.notes)


def test_music21_reads_back_what_notcher_read(tmp_path: Path) -> None:
    """The same notes as the other library finds, in beats and pitches."""
    import music21

    project = small_project()
    path = tmp_path / "a.musicxml"
    path.write_text(musicxml(project, project.notes))
    theirs = sorted(
        (float(n.getOffsetInHierarchy(score)), n.pitch.midi)
        for score in [music21.converter.parse(str(path))]
        for n in score.stripTies().recurse().notes
    )
    ours = sorted((float(n.start), n.pitch) for n in read_score(path).notes)
    assert [p for _, p in ours] == [p for _, p in theirs]
    assert [t for t, _ in ours] == pytest.approx([t for t, _ in theirs])


def test_a_zipped_score_is_read(tmp_path: Path) -> None:
    project = small_project()
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("META-INF/container.xml", '<container><rootfiles><rootfile full-path="s.xml"/></rootfiles>'
                         "</container>")  # fmt: skip
        archive.writestr("s.xml", musicxml(project, project.notes))
    assert len(opened(tmp_path / "a.mxl", buffer.getvalue()).notes) == 8


SCORE = (
    '<score-partwise version="4.0"><part-list><score-part id="P1"><part-name>Keys</part-name></score-part>'
    '<score-part id="P2"><part-name>Lead</part-name></score-part></part-list>{parts}</score-partwise>'
)
NOTE = "<note>{more}<pitch><step>{step}</step><octave>4</octave></pitch><duration>{length}</duration>{after}</note>"


def plain(step: str, length: int, *, more: str = "", after: str = "") -> str:
    return NOTE.format(step=step, length=length, more=more, after=after)


def score(*measures: str, attributes: str = "<divisions>2</divisions>") -> str:
    music = "".join(
        f'<measure number="{k}">{f"<attributes>{attributes}</attributes>" if k == 1 else ""}{m}</measure>'
        for k, m in enumerate(measures, 1)
    )
    keys = '<part id="P1"><measure number="1"><note><rest/><duration>8</duration></note></measure></part>'
    return SCORE.format(parts=f'{keys}<part id="P2">{music}</part>')


def test_the_guitars_part_is_taken_or_the_one_asked_for(tmp_path: Path) -> None:
    path = tmp_path / "a.xml"
    path.write_text(score(plain("A", 8)))
    found = read_score(path)
    assert (found.part, found.parts) == ("Lead", ("Keys",))
    with pytest.raises(FileFormatError, match="no part 'Bass'; the score has 'Keys', 'Lead'"):
        read_score(path, part="Bass")


def test_repeats_and_endings_are_written_out(tmp_path: Path) -> None:
    forward = '<barline location="left"><repeat direction="forward"/></barline>'
    first = '<barline location="left"><ending number="1" type="start"/></barline>'
    back = '<barline location="right"><ending number="1" type="stop"/><repeat direction="backward"/></barline>'
    second = '<barline location="left"><ending number="2" type="start"/></barline>'
    text = score(plain("A", 8), forward + plain("B", 8), first + plain("C", 8) + back, second + plain("D", 8))
    notes = read_score_of(tmp_path, text)
    assert [n.pitch for n in notes] == [69, 71, 60, 71, 62]
    assert [n.start for n in notes] == [0, 4, 8, 12, 16]


def read_score_of(tmp_path: Path, text: str):
    path = tmp_path / "a.musicxml"
    path.write_text(text)
    return read_score(path).notes


def test_a_pick_up_comes_before_bar_one(tmp_path: Path) -> None:
    text = score(plain("A", 2), plain("B", 8), plain("C", 8)).replace(
        'measure number="1"><attributes>', 'measure number="0" implicit="yes"><attributes>'
    )
    project = opened(tmp_path / "a.xml", text)
    assert project.tempo is not None
    assert project.tempo.pickup == 1
    assert [project.tempo.bar_and_beat(n.onset) for n in project.notes] == [(0, 4.0), (1, 1.0), (2, 1.0)]
    out = musicxml(project, project.notes)
    assert '<measure number="0" implicit="yes">' in out
    again = opened(tmp_path / "b.musicxml", out)
    assert again.tempo is not None
    assert again.tempo.pickup == 1
    assert [n.onset for n in again.notes] == pytest.approx([n.onset for n in project.notes])


def test_bars_of_eighths_are_counted_in_eighths(tmp_path: Path) -> None:
    text = score(*[plain("A", 7)] * 3, attributes="<divisions>2</divisions><time><beats>7</beats>"
                 "<beat-type>8</beat-type></time>")  # fmt: skip
    path = tmp_path / "a.xml"
    path.write_text(text)
    found = read_score(path)
    assert found.metres == ((1, 7),)
    assert found.unit.signature(7) == (7, 8)
    assert found.skipped == ()
    assert [n.start for n in found.notes] == [0, 7, 14]


def test_what_is_not_understood_is_listed(tmp_path: Path) -> None:
    odd = "<notations><technical><double-tongue/></technical><arpeggiate/></notations>"
    path = tmp_path / "a.xml"
    path.write_text(score(plain("A", 4, after=odd) + plain("B", 4, after=odd)))
    assert set(read_score(path).skipped) == {"'double-tongue' (2 times)", "'arpeggiate' (2 times)"}


def test_a_transposing_part_sounds_where_it_sounds(tmp_path: Path) -> None:
    text = score(plain("A", 8), attributes="<divisions>2</divisions><transpose><chromatic>0</chromatic>"
                 "<octave-change>-1</octave-change></transpose>")  # fmt: skip
    assert read_score_of(tmp_path, text)[0].pitch == 57


def test_a_note_below_the_neck_is_put_into_it_and_counted(tmp_path: Path) -> None:
    text = score(plain("A", 8).replace("<octave>4", "<octave>1"))
    path = tmp_path / "a.xml"
    path.write_text(text)
    found = read_score(path)
    project = project_of(found)
    assert put_elsewhere(found, project) == 1
    assert project.notes[0].pitch(project.tuning) % 12 == 9


BOMB = '<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa">' + "".join(
    f'<!ENTITY {b} "{f"&{a};" * 10}">' for a, b in zip("abcdefgh", "bcdefghi", strict=True)
) + "]><score-partwise><x>&i;</x></score-partwise>"  # fmt: skip
OUTSIDE = (
    '<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><score-partwise>&a;</score-partwise>'
)


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("bomb.musicxml", BOMB, "entities"),
        ("outside.musicxml", OUTSIDE, "entities"),
        ("deep.musicxml", "<a>" * 20000 + "</a>" * 20000, "deep"),
        ("cut.musicxml", musicxml(small_project(), small_project().notes)[:3000], "cut off at line"),
        ("page.xml", "<html><body/></html>", "no score"),
        ("words.musicxml", "not xml at all", "no whole XML"),
        ("none.musicxml", "<score-partwise/>", "no part"),
        ("rests.musicxml", score("<note><rest/><duration>8</duration></note>"), "no note"),
        ("values.musicxml", score(plain("A", 8).replace("<duration>8", "<duration>x")), "no duration"),
        ("nan.musicxml", score(plain("A", 8), attributes="<divisions>nan</divisions>"), "divisions"),
        ("zip.mxl", b"PK\x03\x04 broken", "zip"),
        ("empty.mid", b"", "empty"),
        ("noise.mid", b"MThd\x00\x00\x00\x06\x00\x01\x00\x01\x00\x60MTrk\x7f\xff\xff\xff\x00\x90", "no whole MIDI"),
        ("text.mid", b"hello there", "no whole MIDI"),
        ("silent.mid", b"MThd\x00\x00\x00\x06\x00\x00\x00\x01\x00\x60MTrk\x00\x00\x00\x04\x00\xff\x2f\x00", "no notes"),
        ("letter.txt", "Dear Wenna,\nno tab today.\n", "six lines"),
        ("five.txt", "\n".join(f"{c}|--5--|" for c in "BGDAE"), "six lines"),
    ],
)  # fmt: skip
def test_harmful_or_broken_files_are_one_clear_line(tmp_path: Path, name: str, data: str | bytes, said: str) -> None:
    path = tmp_path / name
    path.write_bytes(data.encode() if isinstance(data, str) else data)
    with pytest.raises(FileFormatError, match=said) as caught:
        read_score(path)
    assert "\n" not in str(caught.value)
    assert name in str(caught.value)


def test_a_zip_bomb_is_not_unpacked(tmp_path: Path) -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("META-INF/container.xml", b" " * 50_000_000)
    path = tmp_path / "a.mxl"
    path.write_bytes(buffer.getvalue())
    assert path.stat().st_size < 100_000
    with pytest.raises(FileFormatError, match="unpacked"):
        read_score(path)


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
@pytest.mark.slow
def test_no_damage_brings_anything_but_a_clear_error(tmp_path: Path, data: st.DataObject) -> None:
    """Bytes of good files changed at random: a project, or one line."""
    project = small_project()
    good = {
        "a.musicxml": musicxml(project, project.notes).encode(),
        "a.mid": midi_bytes(project, project.notes),
        "a.txt": text_tab(project, project.notes).encode(),
    }
    name = data.draw(st.sampled_from(sorted(good)))
    raw = bytearray(good[name])
    for _ in range(data.draw(st.integers(1, 8))):
        raw[data.draw(st.integers(0, len(raw) - 1))] = data.draw(st.integers(0, 255))
    path = tmp_path / name
    path.write_bytes(bytes(raw[: data.draw(st.integers(1, len(raw)))]))
    said = ""
    try:
        project_of(read_score(path))
    except FileFormatError as error:
        said = str(error)
    assert "\n" not in said


# -- MIDI ----------------------------------------------------------------------------------------------------------


def test_a_project_comes_back_from_midi(tmp_path: Path) -> None:
    project = small_project()
    again = opened(tmp_path / "a.mid", midi_bytes(project, project.notes))
    assert [(n.string, n.fret) for n in again.notes] == [(n.string, n.fret) for n in project.notes]
    assert [n.onset - again.notes[0].onset for n in again.notes] == pytest.approx(
        [n.onset - project.notes[0].onset for n in project.notes], abs=0.002
    )
    third, fifth, sixth = again.note("n3"), again.note("n5"), again.note("n6")
    assert third.bend is not None
    assert (third.bend.kind, third.bend.target_cents) == (BendKind.BEND, 200)
    assert third.bend.peak_cents == pytest.approx(203, abs=4)
    assert fifth.bend is not None
    assert (fifth.bend.kind, fifth.bend.target_cents) == (BendKind.PRE_BEND_RELEASE, 200)
    assert sixth.attack is Attack.SLIDE
    assert again.tempo is not None
    assert again.tempo.bpm() == pytest.approx(120)


def test_vibrato_comes_back_from_the_wheel(tmp_path: Path) -> None:
    held = replace(small_project(), notes=(note(1, 1.0, 2, 12, length=2.0, vibrato=Vibrato(5.5, 30.0, 0.3)),))
    vibrato = opened(tmp_path / "a.mid", midi_bytes(held, held.notes)).notes[0].vibrato
    assert vibrato is not None
    assert vibrato.rate_hz == pytest.approx(5.5, abs=0.3)
    assert vibrato.extent_cents == pytest.approx(30, rel=0.2)


def test_another_librarys_midi_is_read(tmp_path: Path) -> None:
    """Written by pretty_midi: a bass, drums and a guitar; the guitar is taken, others are named. General MIDI's
    program 30 (overdriven guitar, counted from 1) is 29 there."""
    mido = pytest.importorskip("mido")
    file = mido.MidiFile(ticks_per_beat=480)
    for name, channel, program, keys in (
        ("Low", 1, 33, [40] * 8), ("Kit", 9, 0, [36] * 16), ("Front", 0, 29, [64, 67, 69, 71]),
    ):  # fmt: skip
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=name)])
        track.append(mido.Message("program_change", channel=channel, program=program))
        for key in keys:
            track.append(mido.Message("note_on", channel=channel, note=key, velocity=90, time=0))
            track.append(mido.Message("note_off", channel=channel, note=key, time=240))
        file.tracks.append(track)
    path = tmp_path / "band.mid"
    file.save(str(path))
    found = read_score(path)
    assert (found.part, found.parts) == ("Front", ("Low",))
    assert [n.pitch for n in found.notes] == [64, 67, 69, 71]
    assert read_score(path, part="low").part == "Low"


def test_tempo_and_metre_of_a_midi_file(tmp_path: Path) -> None:
    project = replace(
        small_project(), tempo=TempoMap(tuple(0.4 * k + 0.01 * (k % 2) for k in range(30)), 3, changes=((3, 4),))
    )
    again = opened(tmp_path / "a.mid", midi_bytes(project, project.notes))
    assert again.tempo is not None
    assert (again.tempo.beats_per_bar, again.tempo.changes) == (3, ((3, 4),))
    spans = [b - a for a, b in zip(again.tempo.beats, again.tempo.beats[1:], strict=False)][:8]
    assert spans == pytest.approx([0.41, 0.39] * 4, abs=1e-5)


# -- text tab ------------------------------------------------------------------------------------------------------


def test_a_project_comes_back_from_text_tab(tmp_path: Path) -> None:
    project = small_project()
    again = opened(tmp_path / "a.txt", text_tab(project, project.notes))
    assert [essence(n) for n in again.notes] == [essence(n) for n in project.notes]
    assert [p.name for p in again.phrases] == ["First", "Second"]
    assert again.tempo is None
    assert [n.doubt is not None for n in again.notes] == [n.doubt is not None for n in project.notes]


def test_a_capo_comes_back_from_text_tab_and_facts_are_no_performer(tmp_path: Path) -> None:
    project = small_project()
    capo = replace(project, tuning=replace(project.tuning, capo=2), request=replace(project.request, performer=""))
    again = opened(tmp_path / "a.txt", text_tab(capo, capo.notes))
    assert again.tuning == capo.tuning
    assert [essence(n) for n in again.notes] == [essence(n) for n in capo.notes]
    assert "recording" not in again.request.performer
    named = replace(project, request=replace(project.request, version="take 3"))
    assert opened(tmp_path / "b.txt", text_tab(named, named.notes)).request.performer == "The Invented"


# Common practice, no source: how learners and instructors type tab in messages.
COMMON = """\
My solo
e|----------------------12b14r12-|
B|-----8h10p8--10b12~------------|
G|--9-------------------(9)--7/9-|
D|-------------------------------|
A|-x-----------------------------|
E|-------------------------------| x2
"""


def test_tab_as_people_type_it(tmp_path: Path) -> None:
    path = tmp_path / "a.txt"
    path.write_text(COMMON)
    found = read_score(path)
    project = project_of(found)
    assert [(n.string, n.fret, n.attack) for n in project.notes] == [
        (5, 0, Attack.PICK), (3, 9, Attack.PICK), (2, 8, Attack.PICK), (2, 10, Attack.HAMMER), (2, 8, Attack.PULL),
        (2, 10, Attack.PICK), (1, 12, Attack.PICK), (3, 9, Attack.PICK), (3, 7, Attack.PICK), (3, 9, Attack.SLIDE),
    ]  # fmt: skip
    bends = [n.bend.kind for n in project.notes if n.bend]
    assert bends == [BendKind.BEND, BendKind.BEND_RELEASE]
    assert Mark.DEAD in project.notes[0].marks
    assert project.request.title == "My solo"
    assert found.skipped == ("line 7: 'x2' after the tab",)


def test_tab_that_is_not_understood_is_listed_with_its_place(tmp_path: Path) -> None:
    path = tmp_path / "a.tab"
    path.write_text(COMMON.replace("8h10p8", "8q10p8").replace("x2", ""))
    assert read_score(path).skipped == ("line 3, column 9: 'q10p8'",)


def test_the_lowest_string_on_top_is_noticed(tmp_path: Path) -> None:
    text = "\n".join(f"{c}|--{k}--|" for c, k in zip("EADGBe", range(6), strict=True))
    assert [(n.string, n.fret) for n in opened(tmp_path / "a.txt", text).notes] == [(s, 6 - s) for s in range(1, 7)]


def test_a_tuning_is_told_by_its_letters(tmp_path: Path) -> None:
    text = "\n".join(f"{c}|--5--|" for c in ("Eb", "Bb", "Gb", "Db", "Ab", "Eb"))
    assert opened(tmp_path / "a.txt", text).tuning == NAMED["half-step-down"]


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(written_solos())
def test_any_solo_comes_back_from_text_tab(tmp_path: Path, project: Project) -> None:
    """All but what text has no sign for: fingers, unison and held bends told from plain ones, dead notes' frets."""
    project = project.with_notes([replace(n, partial=None) for n in project.notes])
    again = opened(tmp_path / "a.txt", text_tab(project, project.notes))
    same = {BendKind.UNISON: BendKind.BEND, BendKind.HOLD: BendKind.PRE_BEND}

    def place(n: Note) -> tuple[int, int | str]:
        return n.string, "dead" if Mark.DEAD in n.marks and not n.bend else n.fret

    assert [place(n) for n in again.notes] == [place(n) for n in project.notes]
    for n, was in zip(again.notes, project.notes, strict=True):
        if was.bend and n.bend and Mark.DEAD not in was.marks:
            kind = same.get(was.bend.kind, was.bend.kind)
            quarter = kind is BendKind.BEND and was.bend.target_cents == 50
            assert (n.bend.kind, n.bend.target_cents) == (BendKind.CURL if quarter else kind, was.bend.target_cents)


def test_lengths_that_were_written_stay(tmp_path: Path) -> None:
    """A quarter that sounds short on paper is still a quarter: values are not read off the sound."""
    text = score(plain("A", 1) + plain("B", 3) + plain("C", 4))
    project = opened(tmp_path / "a.xml", text)
    again = tmp_path / "again.musicxml"
    again.write_text(musicxml(project, project.notes))
    assert [n.length for n in read_score(again).notes] == [Fraction(1, 2), Fraction(3, 2), Fraction(2)]
