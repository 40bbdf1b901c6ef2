"""MusicXML and MIDI, read back by general-purpose music libraries and compared note by note; tables and text."""

import csv
import io
import itertools
import json
import re
import xml.etree.ElementTree as ET
from collections import defaultdict
from dataclasses import replace
from pathlib import Path

import mido
import music21
import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.formats.errors import FileFormatError
from notcher.formats.export import BY_NAME, EXPORTS, export, kind_of, render
from notcher.formats.midi import WHEEL_RANGE, midi_bytes, wheel
from notcher.formats.musicxml import musicxml
from notcher.formats.project_file import load, save
from notcher.formats.tables import contour_csv, notes_json
from notcher.formats.text_tab import text_tab
from notcher.score.beats import say_bar_length
from notcher.score.chord import Chord
from notcher.score.chords import set_chords
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Bend, BendKind, Mark, Maybe, Vibrato
from notcher.score.pitch import midi_to_hz
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.score.tempo import TempoMap
from notcher.score.tuning import NAMED
from tests.conftest import ROOT, note

# -- MusicXML ------------------------------------------------------------------------------------------------------


def first_notes(project: Project) -> list[ET.Element]:
    """The elements of notes that are struck, in file order: no rests, no continuations of a tie."""
    root = ET.fromstring(musicxml(project, project.notes).split("\n", 2)[2])
    return [
        n for n in root.iter("note")
        if n.find("rest") is None and not any(t.get("type") == "stop" for t in n.findall("tie"))
    ]  # fmt: skip


def read_back(project: Project) -> music21.stream.Score:
    score = music21.converter.parseData(musicxml(project, project.notes), format="musicxml")
    assert isinstance(score, music21.stream.Score)
    return score


@pytest.mark.parametrize("tuning", ["standard", "half-step-down"])
def test_every_note_comes_back_with_pitch_string_and_fret(project: Project, tuning: str) -> None:
    project = replace(project, tuning=NAMED[tuning])
    back = []
    for n in read_back(project).recurse().notes:
        if n.tie is not None and n.tie.type != "start":
            continue
        places = {type(a).__name__: getattr(a, "number", None) for a in n.articulations}
        back.append((n.pitches[0].midi, places.get("StringIndication"), places.get("FretIndication")))
    assert back == [(n.pitch(project.tuning), n.string, n.fret) for n in project.notes]


def test_the_demo_comes_back_whole_and_every_bar_is_full(demo: Project) -> None:
    score = read_back(demo)
    back = [
        (p.midi, n)
        for n in score.recurse().getElementsByClass(("Note", "Chord"))
        if not isinstance(n, music21.harmony.Harmony) and (n.tie is None or n.tie.type == "start") for p in n.pitches
    ]  # fmt: skip
    assert sorted(p for p, _ in back) == sorted(n.pitch(demo.tuning) for n in demo.notes)
    assert {float(m.duration.quarterLength) for m in score.parts[0].getElementsByClass("Measure")} == {4.0}


def test_onsets_are_on_their_beats(project: Project) -> None:
    """120 bpm, bar 1 at 0 s: seconds are half beats, and the file's first bar is the one of the first note."""
    score = read_back(project)
    starts = [
        float(n.getOffsetInHierarchy(score)) for n in score.recurse().notes if n.tie is None or n.tie.type == "start"
    ]
    assert starts == pytest.approx([n.onset * 2 for n in project.notes])


def test_techniques_stand_as_the_standard_has_them(project: Project) -> None:
    """Element names of MusicXML 4.0: technical/bend with bend-alter, pre-bend, release; hammer-on, pull-off, tap ..."""
    found = {e.tag: e for e in ET.fromstring(musicxml(project, project.notes).split("\n", 2)[2]).iter()}
    assert {"hammer-on", "pull-off", "slide", "tap", "harmonic", "wavy-line", "pre-bend", "release"} <= set(found)
    by_place = {}
    for n in first_notes(project):
        technical = n.find("notations/technical")
        assert technical is not None
        by_place[(technical.findtext("string"), technical.findtext("fret"), n.findtext("voice"))] = technical
    bends = [t.find("bend") for t in by_place.values() if t.find("bend") is not None]
    assert sorted(float(b.findtext("bend-alter") or 0) for b in bends if b is not None) == [2.0, 2.0]


def test_links_of_legato_start_and_stop(demo: Project) -> None:
    root = ET.fromstring(musicxml(demo, demo.notes).split("\n", 2)[2])
    for tag in ("hammer-on", "pull-off", "slide"):
        kinds = [e.get("type") for e in root.iter(tag)]
        assert kinds.count("start") == kinds.count("stop") > 0


def test_the_tuning_of_the_staff_is_given(project: Project) -> None:
    lowered = replace(project, tuning=NAMED["drop-d"])
    root = ET.fromstring(musicxml(lowered, lowered.notes).split("\n", 2)[2])
    lines = {e.get("line"): (e.findtext("tuning-step"), e.findtext("tuning-octave")) for e in root.iter("staff-tuning")}
    low_to_high = ["D2", "A2", "D3", "G3", "B3", "E4"]
    assert lines == {str(k): (name[0], name[1]) for k, name in enumerate(low_to_high, 1)}


def test_without_a_tempo_map_it_is_said_and_still_reads(project: Project) -> None:
    free = replace(project, tempo=None)
    assert "no beat given" in musicxml(free, free.notes)
    assert len([n for n in read_back(free).recurse().notes if n.tie is None or n.tie.type == "start"]) == 8


# -- MIDI ----------------------------------------------------------------------------------------------------------


def played(data: bytes) -> tuple[list[tuple[float, float, int, int]], dict[int, list[tuple[float, int]]]]:
    """(onset s, end s, pitch, channel) of all notes, and (s, wheel) by channel, as mido plays the file."""
    now, open_notes, out, wheels = 0.0, {}, [], defaultdict(list)
    for message in mido.MidiFile(file=io.BytesIO(data)):
        now += message.time
        if message.type == "note_on" and message.velocity > 0:
            open_notes[(message.channel, message.note)] = now
        elif message.type in ("note_off", "note_on"):
            out.append((open_notes.pop((message.channel, message.note)), now, message.note, message.channel))
        elif message.type == "pitchwheel":
            wheels[message.channel].append((now, message.pitch))
    assert not open_notes
    return sorted(out), wheels


@pytest.mark.parametrize("with_tempo", [True, False])
def test_midi_notes_come_back_in_time(project: Project, with_tempo: bool) -> None:
    project = project if with_tempo else replace(project, tempo=None)
    notes, _ = played(midi_bytes(project, project.notes))
    plain = [n for n in project.notes if Mark.NATURAL_HARMONIC not in n.marks]
    by_onset = {round(o, 2): (p, c) for o, _, p, c in notes}
    for n in plain:
        pitch, channel = by_onset[round(n.onset, 2)]
        assert pitch == n.pitch(project.tuning)
        assert channel == n.string - 1, "one channel a string"
    # Natural harmonic at the 12th fret: an octave above the open string.
    assert by_onset[5.0] == (52, 5)
    assert [e - o for o, e, _, _ in notes] == pytest.approx([n.duration for n in project.notes], abs=0.02)


def test_midi_bends_reach_their_interval(project: Project) -> None:
    _, wheels = played(midi_bytes(project, project.notes))
    third_string = wheels[2]
    top = max(v for t, v in third_string if 2.0 <= t <= 2.5)
    assert top / 8192 * WHEEL_RANGE * 100 == pytest.approx(203, abs=35)  # the vibrato's extent goes on top
    assert [v for t, v in third_string if t <= 2.501][-1] == 0, "the next note starts unbent"
    second_string = wheels[1]
    assert [v for t, v in second_string if t <= 4.0001][-1] == wheel(199)


def test_the_wheel_rests_after_a_minute(project: Project) -> None:
    """A note that is said to last for hours makes no million messages."""
    held = replace(project.notes[0], end=5000.0, bend=None, vibrato=Vibrato(5.0, 20.0))
    data = midi_bytes(replace(project, notes=(held,)), (held,))
    wheel = [m for t in mido.MidiFile(file=io.BytesIO(data)).tracks for m in t if m.type == "pitchwheel"]
    assert 100 < len(wheel) <= 6000


def test_the_wheels_range_is_announced_on_each_channel(project: Project) -> None:
    """Registered parameter 0 (pitch bend sensitivity), MIDI 1.0 Detailed Specification."""
    seen = defaultdict(list)
    file = mido.MidiFile(file=io.BytesIO(midi_bytes(project, project.notes)))
    for message in itertools.chain.from_iterable(file.tracks):
        if message.type == "control_change":
            seen[message.channel].append((message.control, message.value))
    for string in {n.string for n in project.notes}:
        controls = seen[string - 1]
        at = controls.index((101, 0))
        assert controls[at : at + 3] == [(101, 0), (100, 0), (6, WHEEL_RANGE)]


@pytest.mark.parametrize(("cents", "value"), [(-1200, -8192), (0, 0), (600, 4096), (1200, 8191)])
def test_wheel_endpoints(cents: float, value: int) -> None:
    assert wheel(cents) == value


@given(st.floats(-1200, 1200))
def test_the_wheel_is_as_fine_as_it_can_be(cents: float) -> None:
    assert abs(wheel(cents) / 8192 * 1200 - cents) <= 1200 / 8192 + 1e-9


def test_the_wheel_has_an_end() -> None:
    with pytest.raises(ScoreError, match="12 semitones, got 1300"):
        wheel(1300)


# -- tables and text -----------------------------------------------------------------------------------------------


def test_what_may_be_so_of_a_note_is_in_the_json_and_in_the_project(project: Project, tmp_path: Path) -> None:
    """As CONTRACTS.md has it: the plainer reading is written, the technique beside it with its chance."""
    maybe = (
        Maybe(0.45, attack=Attack.HAMMER), Maybe(0.5, mark=Mark.PALM_MUTE), Maybe(0.3, bend=Bend(BendKind.BEND, 200))
    )  # fmt: skip
    asked = project.with_notes([replace(project.notes[0], maybe=maybe), *project.notes[1:]])
    first, second = json.loads(notes_json(asked, asked.notes))["notes"][:2]
    assert (first["attack"], first["bend"], first["marks"]) == ("pick", None, [])
    assert first["maybe"] == [
        {"mark": "palm-mute", "chance": 0.5}, {"attack": "hammer", "chance": 0.45},
        {"bend": {"kind": "bend", "peak_cents": None, "target_cents": 200, "points": []}, "chance": 0.3},
    ]  # fmt: skip
    assert "maybe" not in second
    save(asked, tmp_path / "asked.notcher")
    assert load(tmp_path / "asked.notcher").notes == asked.notes


def test_notes_as_json_keep_their_promise(project: Project) -> None:
    data = json.loads(notes_json(project, project.notes))
    assert (data["format"], data["version"], data["offset_cents"]) == ("notcher-notes", 2, -14.0)
    assert data["strings"] == 6
    assert data["tuning"] == [64, 59, 55, 50, 45, 40]
    third = data["notes"][2]
    assert {k: third[k] for k in ("onset", "duration", "string", "fret", "pitch", "attack")} == {
        "onset": 2.0, "duration": 0.5, "string": 3, "fret": 11, "pitch": 66, "attack": "pick",
    }  # fmt: skip
    assert third["bend"] == {
        "kind": "bend", "peak_cents": 203.0, "target_cents": 200, "points": [[0.0, 0.0], [0.2, 203.0], [0.5, 201.0]],
    }  # fmt: skip
    assert third["vibrato"] == {"rate_hz": 5.4, "extent_cents": 31.0, "start": 0.25}
    assert data["notes"][7]["doubt"] == "buried under the organ"
    assert (third["finger"], third["position"]) == (3, 9)
    assert data["notes"][6]["finger"] is None, "a tap is no finger of the fretting hand"
    assert data["notes"][6]["sure"] == {"place": 1.0}, "confirmed"
    assert all(0 < n["sure"]["place"] <= 1 for n in data["notes"])
    order = [(n["onset"], n["string"]) for n in data["notes"]]
    assert order == sorted(order)


def test_the_contour_as_csv(project: Project) -> None:
    rows = list(csv.DictReader(io.StringIO(contour_csv(project))))
    assert list(rows[0]) == ["time_s", "f0_hz", "confidence"]
    assert len(rows) == 400
    assert rows[0]["f0_hz"] == ""
    assert float(rows[250]["time_s"]) == 1.25
    assert float(rows[250]["f0_hz"]) == pytest.approx(midi_to_hz(64), abs=0.001)


def test_text_tab_lines_up_and_says_the_tuning(project: Project) -> None:
    text = text_tab(project, project.notes)
    assert "E A D G B E" in text
    assert "Low Tide" in text
    blocks = [line for line in text.splitlines() if line[1:3] == " |"]
    assert len(blocks) >= 12
    assert len(blocks) % 6 == 0
    for k in range(0, len(blocks), 6):
        assert len({len(line) for line in blocks[k : k + 6]}) == 1
    assert max(map(len, text.splitlines())) <= 80


def test_the_table_of_exports_is_the_one_in_the_docs() -> None:
    rows = re.findall(r"^\| `(\w+)` \| ([^|]+) \| ([^|]+) \|", (ROOT / "docs/FORMATS.md").read_text(), re.MULTILINE)
    wanted = [(k.name, " ".join(f"`{e}`" for e in k.endings), k.needs.value) for k in EXPORTS]
    assert [(name, endings.strip(), needs.strip()) for name, endings, needs in rows] == wanted
    assert len(BY_NAME) == len(EXPORTS)
    assert kind_of(Path("x.json"), None).name == "notes", "of two kinds with one ending, the first"


def test_every_kind_is_written_whole_or_not_at_all(tmp_path: Path, project: Project) -> None:
    project = set_chords(project, [(0.0, Chord(Tone.named("A")))], until=8.0)
    for kind in EXPORTS:
        for ending in kind.endings:
            # Of two kinds with one ending, the second is asked for by name, and sound always.
            sound = ending in (".wav", ".flac", ".ogg")
            said = None if not sound and kind_of(Path(f"a{ending}"), None) is kind else kind.name
            path = tmp_path / f"{kind.name}{ending}"
            assert export(project, path, kind=said) == kind.name
            assert path.stat().st_size > 30
    assert kind_of(Path("x.weird"), "midi").name == "midi"
    with pytest.raises(FileFormatError, match="cannot be told"):
        kind_of(Path("x.weird"), None)
    with pytest.raises(FileFormatError, match="the kinds are pdf, musicxml"):
        kind_of(Path("x.mid"), "opus")
    with pytest.raises(FileFormatError, match="no notes to write"):
        export(Project(project.recording), tmp_path / "b.pdf")
    with pytest.raises(FileFormatError, match="nowhere"):
        export(project, tmp_path / "nowhere" / "c.mid")
    assert not (tmp_path / "b.pdf").exists()


def test_a_phrase_alone_can_be_written(project: Project) -> None:
    data = json.loads(render(project, "notes", [project.phrases[1]]))
    assert [n["id"] for n in data["notes"]] == ["n5", "n6", "n7", "n8"]


def test_kinds_of_bends_in_musicxml() -> None:
    """MusicXML 4.0, bend-alter: a release after a bend has a negative value (the standard's text, from memory)."""
    from tests.conftest import small_project

    base = small_project()
    for kind, wanted in (
        (BendKind.BEND, [(None, "2")]),
        (BendKind.BEND_RELEASE, [(None, "2"), ("release", "-2")]),
        (BendKind.PRE_BEND, [("pre-bend", "2")]),
        (BendKind.PRE_BEND_RELEASE, [("pre-bend", "2"), ("release", "-2")]),
        (BendKind.CURL, [(None, "0.5")]),
    ):
        target = 50 if kind is BendKind.CURL else 200
        one = base.with_notes([note(1, 1.0, 3, 9, length=0.5, bend=Bend(kind, target), attack=Attack.PICK)])
        found = []
        for b in ET.fromstring(musicxml(one, one.notes).split("\n", 2)[2]).iter("bend"):
            extra = next((tag for tag in ("pre-bend", "release") if b.find(tag) is not None), None)
            found.append((extra, b.findtext("bend-alter")))
        assert found == wanted, kind


# -- changes of metre and capo -------------------------------------------------------------------------------------


def with_a_short_bar(project: Project) -> Project:
    """Bar 2 has three beats (say_bar_length is tested on its own)."""
    assert project.tempo is not None
    return project.with_tempo(say_bar_length(project.tempo, 2, 3))


def test_a_bar_of_another_length_in_musicxml(project: Project) -> None:
    """Read back by music21: the bars' lengths in quarters, and each note where its beat is."""
    changed = with_a_short_bar(project)
    score = music21.converter.parse(musicxml(changed, changed.notes), format="musicxml")
    measures = list(score.parts[0].getElementsByClass("Measure"))
    assert [m.barDuration.quarterLength for m in measures[:3]] == [4.0, 3.0, 4.0]
    begun = [n for n in score.recurse().notes if n.tie is None or n.tie.type == "start"]
    struck = [float(n.getOffsetInHierarchy(score)) for n in begun]
    assert changed.tempo is not None
    first = changed.tempo.first_beat_of(changed.tempo.bar_and_beat(changed.notes[0].onset)[0])
    wanted = [changed.tempo.beat_at(n.onset) - first for n in changed.notes]
    assert struck == pytest.approx(wanted, abs=0.02)


def test_a_bar_of_another_length_in_midi(project: Project) -> None:
    file = mido.MidiFile(file=io.BytesIO(midi_bytes(with_a_short_bar(project), project.notes)))
    times, at = [], 0
    for message in file.tracks[0]:
        at += message.time
        if message.type == "time_signature":
            times.append((at // file.ticks_per_beat, message.numerator))
    assert times == [(0, 4), (4, 3), (7, 4)]


def bars_of_midi(data: bytes) -> list[float]:
    """The bar (from 1.0, counted as any sequencer does from the metres) of each note that begins, in order."""
    file = mido.MidiFile(file=io.BytesIO(data))
    metres, at = [], 0
    for message in file.tracks[0]:
        at += message.time
        if message.type == "time_signature":
            metres.append((at / file.ticks_per_beat, message.numerator))
    found = []
    for track in file.tracks[1:]:
        at = 0
        for message in track:
            at += message.time
            if message.type == "note_on":
                beat, bar = at / file.ticks_per_beat, 1.0
                for (start, size), following in itertools.zip_longest(metres, metres[1:]):
                    end = min(beat, following[0]) if following else beat
                    bar += max(0.0, end - start) / size
                found.append(bar)
    return sorted(found)


@pytest.mark.parametrize("lead_s", [0.0, 2.9, 7.3])
def test_bars_are_the_same_in_midi_on_the_page_and_in_musicxml(project: Project, lead_s: float) -> None:
    """However long the recording runs before its first beat."""
    tempo = TempoMap.steady(120, first_beat=lead_s, count=40)
    moved = replace(project, tempo=tempo, recording=replace(project.recording, duration=30.0)).with_notes(
        [replace(n, onset=n.onset + lead_s, end=n.end + lead_s) for n in project.notes]
    )
    wanted = [tempo.bar_and_beat(n.onset)[0] for n in moved.notes]
    assert [int(b + 1e-6) for b in bars_of_midi(midi_bytes(moved, moved.notes))] == wanted
    root = ET.fromstring(musicxml(moved, moved.notes).split("\n", 2)[2])
    numbers = [
        int(m.get("number", "0")) for m in root.iter("measure") for n in m.iter("note")
        if n.find("rest") is None and not any(t.get("type") == "stop" for t in n.findall("tie"))
    ]  # fmt: skip
    assert numbers == wanted
    file = mido.MidiFile(file=io.BytesIO(midi_bytes(moved, moved.notes)))
    said = [m for m in file.tracks[0] if m.type == "smpte_offset"]
    assert [m.seconds + m.frames / 30 + m.sub_frames / 3000 for m in said] == (
        pytest.approx([lead_s], abs=0.001) if lead_s else []
    )


def test_a_pick_up_is_a_short_bar_of_its_own_in_midi(project: Project) -> None:
    """MIDI has no bar 0: two beats before bar 1 are its bar 1."""
    tempo = TempoMap.steady(120, first_beat=0.0, count=40)
    early = replace(project, tempo=replace(tempo, pickup=4))
    file = mido.MidiFile(file=io.BytesIO(midi_bytes(early, early.notes)))
    metres = [m.numerator for m in file.tracks[0] if m.type == "time_signature"]
    assert metres == [2, 4]
    assert bars_of_midi(midi_bytes(early, early.notes))[:3] == pytest.approx([1.0, 1.5, 2.0])


def test_a_capo_in_musicxml(project: Project) -> None:
    from lxml import etree

    capo = replace(project, tuning=replace(project.tuning, capo=2))
    root = etree.fromstring(musicxml(capo, capo.notes).encode())
    assert root.findtext(".//staff-details/capo") == "2"
    midi_pitches = [n.pitch(capo.tuning) for n in capo.notes]
    assert midi_pitches == [n.pitch(project.tuning) + 2 for n in project.notes]


def test_strokes_tremolo_swell_and_the_bar_are_written_in_every_format(project: Project) -> None:
    marks = [Mark.DOWN_STROKE, Mark.UP_STROKE, Mark.TREMOLO, Mark.SWELL, Mark.BAR_DIP, Mark.BAR_DIVE, Mark.BAR_SCOOP]
    notes = tuple(replace(n, marks=frozenset({m})) for n, m in zip(project.notes, marks, strict=False))
    marked = project.with_notes([replace(n, bend=None) for n in notes])
    text = musicxml(marked, marked.notes)
    for tag in ("<down-bow", "<up-bow", '<tremolo type="single">3<', ">volume swell<", ">dip<", ">dive<", ">scoop<"):
        assert tag in text, tag
    root = ET.fromstring(text.split("\n", 2)[2])
    bars = [(b.findtext("with-bar"), b.findtext("bend-alter")) for b in root.iter("bend")]
    assert bars == [("dip", "-1"), ("dive", "-7"), ("scoop", "-1.5")]
    assert len(read_back(marked).flatten().notes) >= len(marks)
    tab = text_tab(marked, marked.notes)
    assert all(word in tab for word in ("9d", "11u", "11~tm", "9sw", "10dip", "12dive", "17scoop"))
    said = [n["marks"] for n in json.loads(notes_json(marked, marked.notes))["notes"]]
    assert said == [[str(m)] for m in marks]


@pytest.mark.parametrize(("mark", "lowest"), [(Mark.BAR_DIP, -100), (Mark.BAR_DIVE, -700), (Mark.BAR_SCOOP, -150)])
def test_what_the_bar_does_moves_the_wheel(project: Project, mark: Mark, lowest: int) -> None:
    plain = note(1, 1.0, 3, 9, length=1.0, marks=frozenset({mark}))
    file = mido.MidiFile(file=io.BytesIO(midi_bytes(project.with_notes([plain]), (plain,))))
    values = [m.pitch for track in file.tracks for m in track if m.type == "pitchwheel"]
    assert min(values) / 8192 * 100 * WHEEL_RANGE == pytest.approx(lowest, abs=12)
