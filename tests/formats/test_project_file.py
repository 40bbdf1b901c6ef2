"""The project file: nothing is lost on the way out and in, and nothing unreadable is touched."""

import json
from dataclasses import replace
from fractions import Fraction
from importlib import resources
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.formats.recordings import find_recording
from notcher.formats.schema import VERSION, schema, schema_text
from notcher.score.compare import name_state
from notcher.score.gap import Gap
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.measured import Measured, Weighed
from notcher.score.note import INTERVAL_NAMES, Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.playing import Hand, Picking, Playing, gauges_of
from notcher.score.practice import NO_LESSON, Lesson, TakeKept
from notcher.score.project import AS_PLAYED, Contour, Phrase, Project, Recording, Request, Section, State, Version
from notcher.score.sure import Sure
from notcher.score.tempo import TempoMap
from notcher.score.tuning import NAMED
from notcher.score.versions import add_version
from tests.conftest import ROOT, small_project, tone, write_audio

_time = st.floats(0, 600, allow_nan=False).map(lambda x: round(x, 4))
WEIGHED = Measured(legato=0.7, because=(Weighed("struck", 0.93, 0.4),), reached=(Weighed("dip", 1.0, -0.2),))
_text = st.text(max_size=12)


@st.composite
def _notes(draw: st.DrawFn, number: int) -> Note:
    onset = draw(_time)
    length = draw(st.floats(0.02, 5).map(lambda x: round(x, 4)))
    points = sorted(draw(st.lists(st.tuples(st.floats(0, 5), st.floats(-80, 600)), max_size=6)))
    rise = draw(st.none() | st.floats(0.05, 3))
    bend = Bend(draw(st.sampled_from(BendKind)), draw(st.sampled_from(sorted(INTERVAL_NAMES))), tuple(points), rise)
    vibrato = Vibrato(draw(st.floats(1, 12)), draw(st.floats(1, 200)), draw(st.floats(0, 3)))
    return Note(
        f"n{number}", onset, round(onset + length, 4), draw(st.integers(1, 6)), draw(st.integers(0, 24)),
        attack=draw(st.sampled_from(Attack)), bend=draw(st.none() | st.just(bend)),
        vibrato=draw(st.none() | st.just(vibrato)), marks=draw(st.frozensets(st.sampled_from(Mark))),
        doubt=draw(st.none() | st.just("which string?")), confidence=draw(st.floats(0, 1)),
        confirmed=draw(st.booleans()), by_hand=draw(st.booleans()), held=draw(st.booleans()),
        finger=draw(st.none() | st.integers(0, 4)), partial=draw(st.none() | st.integers(2, 12)),
        written_at=draw(st.none() | st.fractions(0, Fraction(11, 12), max_denominator=12)),
        written_length=draw(st.none() | st.fractions(Fraction(1, 12), 8, max_denominator=12)),
        sounding=draw(st.none() | st.floats(0.05, 1)), raked_from=draw(st.none() | st.integers(1, 6)),
        evidence=draw(st.sampled_from([None, Measured(flux=1.5, jump_cents=-200.0), WEIGHED])),
        sure=draw(st.none() | st.builds(Sure, *[st.floats(0, 1)] * 4)),
        advice=draw(st.sampled_from(["", "pick once more before the slide"])),
    )  # fmt: skip


@st.composite
def _phrases(draw: st.DrawFn) -> tuple[Phrase, ...]:
    """Up to two phrases, the second perhaps a repeat of the first, with versions."""
    names = draw(st.lists(st.sampled_from(["easier", "as meant", "another place"]), unique=True, max_size=2))
    aside = tuple(Version(name, (draw(_notes(90 + k)),)) for k, name in enumerate(names))
    first = Phrase("p1", draw(st.sampled_from(["Tide ♯", "1"])), 1.0, 2.5, AS_PLAYED, aside)
    second = Phrase("p2", "B", 3.0, 4.5, like=draw(st.sampled_from(["", "p1"])), advice="slowly",
                    listen_for="the breath", optional=True)  # fmt: skip
    return draw(st.sampled_from([(), (first,), (first, second)]))


_isolations = st.builds(
    Isolation, st.sampled_from(StereoPosition), st.floats(-1, 1), st.floats(0.05, 1), st.floats(40, 900),
    st.floats(1000, 16000), st.floats(0, 1),
)  # fmt: skip


@st.composite
def projects(draw: st.DrawFn) -> Project:
    count = draw(st.integers(0, 6))
    values = draw(st.lists(st.integers(-1, 90000), max_size=30))
    project = Project(
        Recording(draw(st.sampled_from(["a.wav", "../b c.ogg", "/x/ü.flac"])), "0f" * 32, 600.0, 48000, 2),
        tuning=replace(NAMED[draw(st.sampled_from(sorted(NAMED)))], capo=draw(st.integers(0, 12))),
        offset_cents=draw(st.floats(-50, 50)),
        lead=draw(_isolations),
        other_lead=draw(st.none() | _isolations),
        in_tune=draw(st.booleans()),
        request=Request(
            draw(_text),
            draw(_text),
            draw(_text),
            draw(_text),
            draw(_text),
            version=draw(_text),
            due=draw(st.sampled_from(["", "2027-03-14"])),
        ),
        phrases=draw(_phrases()),
        sections=draw(st.sampled_from([(), (Section("A", 1.5), Section("B", 9.0, "A", 1))])),
        tempo=draw(st.sampled_from([None, TempoMap((0.0, 0.5, 1.1), 3, 1, ((2, 4), (3, 3)))])),
        contour=draw(st.sampled_from([None, Contour(0.0, 0.005, tuple(values), (50,) * len(values))])),
        states=tuple(
            State(name, "2027-03-14", NAMED["drop-d"], (draw(_notes(70)),), draw(_phrases()))
            for name in draw(st.sampled_from([(), ("first handout",), ("first handout", "ü")]))
        ),
        lesson=draw(st.sampled_from([NO_LESSON, Lesson(("1 at 50 % x4",), 45)])),
        takes=draw(
            st.sampled_from([(), (TakeKept("2027-03-14T18:05", "p1", 60.0, 9, ("n4",), 1, 12.5, (("n2", -40.0),)),)])
        ),
        gaps=draw(st.sampled_from([(), (Gap(1.0, 1.2, 64, 0.5), Gap(7.0, 9.0, 40, 0.25))])),
    )
    return project.with_notes([draw(_notes(k)) for k in range(count)])


@settings(max_examples=120, deadline=None)
@given(projects())
@pytest.mark.slow
def test_there_and_back(project: Project) -> None:
    text = project_file.dumps(project)
    again = project_file.loads(text, name="x")
    assert again == project
    # A name equals its text: only how they are shown tells them apart.
    assert {repr(n.attack) for n in again.notes} == {repr(n.attack) for n in project.notes}
    assert {repr(again.lead.stereo_position), repr(again.playing.hand)} == {
        repr(project.lead.stereo_position),
        repr(project.playing.hand),
    }
    jsonschema.Draft202012Validator(schema()).validate(json.loads(text))


def test_the_schema_is_a_schema_and_ships_in_the_package_and_in_docs() -> None:
    shipped = resources.files("notcher").joinpath("data/project.schema.json").read_text()
    jsonschema.Draft202012Validator.check_schema(json.loads(shipped))
    assert (ROOT / "docs/project.schema.json").read_text() == shipped == schema_text()


def test_the_demo_fits_the_schema_to_its_last_number(demo: Project) -> None:
    jsonschema.Draft202012Validator(schema()).validate(project_file.to_dict(demo))


def test_saving_is_whole_or_not_at_all(tmp_path: Path, project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(project, path)
    before = path.read_bytes()

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(FileFormatError, match="No space left"):
        project_file.save(replace(project, offset_cents=5.0), path)
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir() if not p.name.startswith("xdg")] == ["p.notcher"]


def test_the_recording_is_referred_to_relative_to_the_project(tmp_path: Path, project: Project) -> None:
    (tmp_path / "takes").mkdir()
    absolute = replace(project, recording=replace(project.recording, path=str(tmp_path / "takes" / "solo.wav")))
    project_file.save(absolute, tmp_path / "p.notcher")
    assert project_file.load(tmp_path / "p.notcher").recording.path == "takes/solo.wav"


def _valid() -> dict[str, object]:
    return project_file.to_dict(small_project())


def _with(**changes: object) -> str:
    return json.dumps({**_valid(), **changes})


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "JSON is broken"),
        ('{"format": "notcher-project", ', "JSON is broken"),
        ("[]", "not a Notcher project; open a .notcher file"),
        ('{"format": "something-else", "version": 1}', "not a Notcher project"),
        (_with(version=99), "newer Notcher .project version 99"),
        (_with(notes="none"), "damaged at notes"),
        (_with(offset_cents="flat"), "damaged at offset_cents"),
        (json.dumps({k: v for k, v in _valid().items() if k != "recording"}), "damaged"),
        (_with(contour={"start": 0, "hop": 0.005, "decicents": [1, 2], "percent": [1]}), "one confidence for each"),
        (
            _with(
                phrases=[
                    {
                        "id": "p",
                        "name": "x",
                        "start": 3,
                        "end": 1,
                        "showing": "as played",
                        "like": "",
                        "aside": [],
                        "advice": "",
                        "listen_for": "",
                        "optional": False,
                    }
                ]
            ),
            "end after it starts",
        ),
        ("[" * 100000, "JSON is broken"),
    ],
)
def test_what_is_no_project_is_refused_and_left_untouched(tmp_path: Path, text: str, message: str) -> None:
    path = tmp_path / "p.notcher"
    path.write_text(text)
    with pytest.raises(FileFormatError, match=message) as caught:
        project_file.load(path)
    assert "\n" not in str(caught.value)
    assert path.read_text() == text


def test_bytes_that_are_no_text_and_files_that_are_not_there(tmp_path: Path) -> None:
    (tmp_path / "p.notcher").write_bytes(b"\xff\xfe\x00binary")
    with pytest.raises(FileFormatError, match="no text"):
        project_file.load(tmp_path / "p.notcher")
    with pytest.raises(FileFormatError, match="there is no project"):
        project_file.load(tmp_path / "q.notcher")


def test_a_recording_is_found_again_by_its_hash(tmp_path: Path, project: Project) -> None:
    from notcher.audio.decode import file_hash

    sound = write_audio(tmp_path / "solo.wav", tone(440, 0.5))
    here = replace(project, recording=replace(project.recording, path="solo.wav", sha256=file_hash(sound)))
    anchor = tmp_path / "p.notcher"
    assert find_recording(here, anchor).state == "here"
    (tmp_path / "sounds").mkdir()
    moved = sound.rename(tmp_path / "sounds" / "renamed.wav")
    found = find_recording(here, anchor)
    assert (found.state, found.path) == ("moved", moved)
    write_audio(tmp_path / "solo.wav", tone(220, 0.5))
    found = find_recording(here, anchor)
    assert (found.state, found.path) == ("moved", moved), "whatever bears its old name now"
    moved.unlink()
    assert find_recording(here, anchor).state == "different"
    (tmp_path / "solo.wav").unlink()
    assert find_recording(here, anchor).state == "missing"


OLD = """{"format": "notcher-project", "version": 1,
 "recording": {"path": "a.wav", "sha256": "%s", "duration": 9.0, "sample_rate": 44100, "channels": 2},
 "request": {"title": "T", "performer": "", "asked_by": "W", "school": "", "rights": ""},
 "tuning": {"name": "standard", "pitches": [64, 59, 55, 50, 45, 40]}, "offset_cents": -14.0, "lead": "left",
 "tempo": {"beats": [0.0, 0.5, 1.0], "beats_per_bar": 3, "pickup": 1}, "sections": [{"name": "A", "start": 1.0}],
 "phrases": [], "notes": [], "contour": null}""" % ("ab" * 32)


def test_a_project_of_the_first_version_opens() -> None:
    project = project_file.loads(OLD, name="old.notcher")
    assert project.lead == Isolation.named("left")
    assert project.tempo == TempoMap((0.0, 0.5, 1.0), 3, 1)
    assert project.sections == (Section("A", 1.0),)
    assert (project.tuning.capo, project.in_tune, project.request.version) == (0, False, "")
    assert json.loads(project_file.dumps(project))["version"] == VERSION


def test_a_project_of_the_fourth_version_opens(project: Project) -> None:
    """As it was written: notes without the fields of version 5, in the solo, in versions and in states."""
    whole = name_state(add_version(project, "p1", "easier", project.notes[:2]), "first", made="2027-01-02")
    fourth = {**json.loads(project_file.dumps(whole)), "version": 4}
    states = fourth["states"]
    phrases = [p for holder in (fourth, *states) for p in holder["phrases"]]
    notes = [n for holder in (fourth, *states) for n in holder["notes"]]
    for note in [*notes, *(n for p in phrases for v in p["aside"] for n in v["notes"])]:
        del note["sounding"], note["raked_from"]
    for holder in (fourth, *states):
        del holder["tuning"]["frets"]
    assert project_file.loads(json.dumps(fourth), name="fourth.notcher") == whole


def test_a_project_of_the_second_version_opens(project: Project) -> None:
    second = {**json.loads(project_file.dumps(project)), "version": 2}
    assert project_file.loads(json.dumps(second), name="second.notcher") == project


def test_a_project_of_the_fifth_version_opens(project: Project) -> None:
    """Nobody had said how it is played."""
    fifth = {**json.loads(project_file.dumps(project)), "version": 5}
    del fifth["playing"]
    assert project_file.loads(json.dumps(fifth), name="fifth.notcher") == project


def test_a_project_of_the_ninth_version_opens(project: Project) -> None:
    """Nobody had planned a lesson, judged a take or given advice."""
    ninth = {**json.loads(project_file.dumps(project)), "version": 9}
    del ninth["lesson"], ninth["takes"]
    for part in (*ninth["phrases"], *ninth["notes"]):
        del part["advice"]
    for phrase in ninth["phrases"]:
        del phrase["listen_for"], phrase["optional"]
    assert project_file.loads(json.dumps(ninth), name="ninth.notcher") == project


def test_how_it_is_played_is_kept(project: Project) -> None:
    playing = Playing(Hand.STRETCH, Picking.ECONOMY, 628, gauges_of("9.5 11 16 24w 32w 42w", 6))
    kept = project_file.loads(project_file.dumps(replace(project, playing=playing)), name="p.notcher")
    assert kept.playing == playing


@pytest.mark.parametrize(
    "wrong", [{"scale_mm": 10}, {"hand": "foot"}, {"gauges": [{"thousandths": 400, "wound": False}]}, {"picking": None}]
)
def test_how_nobody_plays_is_refused(project: Project, wrong: dict[str, object]) -> None:
    data = json.loads(project_file.dumps(project))
    data["playing"] |= wrong
    with pytest.raises(FileFormatError, match="damaged at playing"):
        project_file.loads(json.dumps(data), name="p.notcher")
