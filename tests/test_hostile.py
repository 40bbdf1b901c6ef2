"""Hostile and odd files: each is one sentence, at once, and nothing is lost. More of them: benchmarks/mutations.py."""

import io
import json
import os
import subprocess
import sys
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import mido
import pytest

from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.formats.export import render
from notcher.formats.incoming.build import project_of
from notcher.formats.incoming.open_score import read_score
from notcher.formats.limits import check_values, fraction, number, whole
from notcher.formats.musicxml import musicxml
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.pitch import parse_note_name
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from tests.conftest import ROOT, small_project


@pytest.mark.slow
def test_three_hundred_spoiled_files_of_each_kind() -> None:
    """No exception but a sentence, none over 2 s of computing, none over 500 MB: in a process of its own, whose memory
    is limited from outside."""
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.mutations", "300"], cwd=ROOT, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-3000:]


# -- numbers -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("text", ["²", "٣", "1e99999999", "9" * 5000, "inf", "nan", "-", "", "0x1", "1_000", "1e999"])
def test_what_is_no_number_is_refused_at_once(text: str) -> None:
    for read in (number, whole, fraction):
        with pytest.raises(ValueError, match="number"):
            read(text)
    with pytest.raises(ScoreError, match="is not a pitch"):
        parse_note_name(f"E{text}")


@pytest.mark.parametrize(("text", "value"), [("3", 3.0), (" -2.5 ", -2.5), ("1e3", 1000.0), (".5", 0.5)])
def test_numbers_as_files_write_them(text: str, value: float) -> None:
    assert number(text) == value


@pytest.mark.parametrize(
    "value", [float("nan"), float("inf"), 10**400, "\ud800", {"\udfff": 1}, [[{"a": float("nan")}]]]
)
def test_values_that_json_knows_and_nobody_else(value: Any) -> None:
    with pytest.raises(ValueError, match=r"number|half a letter"):
        check_values({"x": value})


# -- scores --------------------------------------------------------------------------------------------------------


def xml_with(old: str, new: str) -> str:
    project = small_project()
    text = musicxml(project, project.notes)
    assert old in text
    return text.replace(old, new)


def far_off(ticks: int, per_beat: int) -> bytes:
    file = mido.MidiFile(ticks_per_beat=per_beat)
    track = mido.MidiTrack([mido.Message("note_on", note=64, time=ticks), mido.Message("note_off", note=64, time=9)])
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def damaged_mxl() -> bytes:
    """The packed stream itself is broken, the zip's table of contents is not."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("META-INF/container.xml", '<c><rootfile full-path="a.xml"/></c>')
        archive.writestr("a.xml", "<score-partwise>" + "<a/>" * 3000 + "</score-partwise>")
    data = bytearray(out.getvalue())
    at = data.index(b"a.xml", data.index(b"a.xml")) + 5
    data[at : at + 12] = b"\xff" * 12
    return bytes(data)


_HOSTILE: dict[str, str | bytes] = {
    "duration.musicxml": xml_with("<duration>420<", "<duration>1e99999999<"),
    "divisions.musicxml": xml_with("<divisions>840<", "<divisions>²<"),
    "long.musicxml": xml_with("<duration>840<", "<duration>99999999999999<"),
    "deep.musicxml": "<score-partwise>" * 3000,
    "far.mid": far_off(0x0FFFFFFF, 1),
    "hours.mid": far_off(0x1FFFFFF, 480),
    "spaces.txt": " " * 100_000 + "|--5--|\n",
    "dashes.txt": "e|" + "-" * 500_000 + "|\n",
    "damaged.mxl": damaged_mxl(),
    "empty.xml": "",
}


@pytest.mark.parametrize("name", _HOSTILE)
def test_hostile_scores_are_one_sentence(tmp_path: Path, name: str) -> None:
    data = _HOSTILE[name]
    (tmp_path / name).write_bytes(data.encode() if isinstance(data, str) else data)
    with pytest.raises(FileFormatError, match="^'") as error:
        project_of(read_score(tmp_path / name))
    assert "\n" not in str(error.value)


def test_odd_digits_and_metres_of_a_score_are_listed_and_the_rest_is_read(tmp_path: Path) -> None:
    text = xml_with("<beats>4<", f"<beats>{'9' * 5000}<").replace("<string>3<", "<string>²<")
    (tmp_path / "odd.musicxml").write_text(text)
    found = read_score(tmp_path / "odd.musicxml")
    assert len(found.notes) == len(small_project().notes)
    assert any("metre" in what for what in found.skipped)


def test_what_is_not_understood_is_said_in_a_few_letters(tmp_path: Path) -> None:
    tab = "\n".join(f"{c}|{'--5--' + 'q' * 900 if c == 'B' else '-' * 900}|" for c in "eBGDAE")
    (tmp_path / "a.txt").write_text(tab)
    assert all(len(what) < 80 for what in read_score(tmp_path / "a.txt").skipped)


@pytest.mark.parametrize("name", ["p.notcher", "p.mid", "p.musicxml", "p.txt"])
def test_pipes_devices_and_folders_are_not_read(tmp_path: Path, name: str) -> None:
    read = project_file.load if name.endswith("notcher") else read_score
    os.mkfifo(tmp_path / name)
    (tmp_path / f"zero-{name}").symlink_to("/dev/zero")
    (tmp_path / f"folder-{name}").mkdir()
    for place in (name, f"zero-{name}", f"folder-{name}"):
        with pytest.raises(FileFormatError, match=r"no plain file|is a folder"):
            read(tmp_path / place)


# -- projects ------------------------------------------------------------------------------------------------------


def spoiled_project(tmp_path: Path, change: Any) -> Path:
    document = json.loads(project_file.dumps(small_project()))
    change(document)
    path = tmp_path / "p.notcher"
    path.write_text(json.dumps(document))
    return path


_SPOILED = {
    "an end far away": lambda d: d["notes"][0].update(end=1e12),
    "an endless phrase": lambda d: d["phrases"][0].update(end=1e12),
    "a beat far away": lambda d: d["tempo"]["beats"].append(1e12),
    "a pick-up of a million bars": lambda d: d["tempo"].update(pickup=10**9),
    "NaN": lambda d: d.update(offset_cents=float("nan")),
    "infinity": lambda d: d["recording"].update(duration=float("inf")),
    "a number of 400 digits": lambda d: d["notes"][0].update(onset=10**400),
    "half a letter": lambda d: d["request"].update(title="\ud800"),
    "a string between two": lambda d: d["notes"][0].update(string=2.5),
    "evidence that is a list": lambda d: d["notes"][0].update(evidence=[]),
    "a written place by nothing": lambda d: d["notes"][0].update(written_at="1/0"),
    "a written place of digits that are none": lambda d: d["notes"][0].update(written_at="²"),
    "a bend through the roof": lambda d: d["notes"][2]["bend"].update(points=[[0, 0], [1, 1e9]]),
    "steps of nothing": lambda d: d["contour"].update(hop=0),
}


@pytest.mark.parametrize("name", _SPOILED)
def test_spoiled_projects_are_one_sentence_and_stay_as_they_are(tmp_path: Path, name: str) -> None:
    path = spoiled_project(tmp_path, _SPOILED[name])
    before = path.read_bytes()
    with pytest.raises(FileFormatError, match="left as it is") as error:
        project_file.load(path)
    assert "\n" not in str(error.value)
    assert path.read_bytes() == before


def test_a_whole_number_may_be_written_with_a_point(tmp_path: Path) -> None:
    """JSON Schema 2020-12, 6.1.1: a number with a zero fraction is an integer."""
    path = spoiled_project(tmp_path, lambda d: d["notes"][0].update(string=3.0, fret=9.0))
    note = project_file.load(path).notes[0]
    assert (note.string, note.fret) == (3, 9)
    assert isinstance(note.string, int)


@pytest.mark.parametrize("make", [
    lambda: Note("n", 0.0, 1e12, 1, 1), lambda: Note("n", float("nan"), 1.0, 1, 1),
    lambda: TempoMap((0.0, 1e9)), lambda: TempoMap((float("nan"), 1.0)),
])  # fmt: skip
def test_values_beyond_all_measure_cannot_be_made(make: Any) -> None:
    with pytest.raises(ScoreError, match="must end after|within 6 hours"):
        make()


# -- words ---------------------------------------------------------------------------------------------------------

TITLES = [
    "It’s low water",
    "Łódź ebb",
    "🎸 tide",
    "שפל וגאות",
    "مد وجزر",
    "a\x00b\x1b[31mc\x85",
    "nul\ufffe",
    "tab\there",
]


@pytest.mark.parametrize("kind", ["midi", "pdf", "svg", "png", "musicxml", "text", "notes"])
@pytest.mark.parametrize("title", TITLES)
def test_any_title_goes_into_any_file(project: Project, kind: str, title: str) -> None:
    request = replace(project.request, title=title, performer=title, rights=title, school=title)
    phrases = (replace(project.phrases[0], name=title), *project.phrases[1:])
    doubtful = project.with_notes([replace(n, doubt=title) if n.id == "n2" else n for n in project.notes])
    data = render(replace(doubtful, request=request, phrases=phrases), kind)
    if kind == "midi":
        file = mido.MidiFile(file=io.BytesIO(data), charset="utf-8")
        assert file.tracks[0][0].name[:2] == title[:2].replace("\x00", " ")
    if kind in ("svg", "musicxml"):
        from defusedxml import ElementTree

        assert title[:1] in "".join(ElementTree.fromstring(data).itertext())
