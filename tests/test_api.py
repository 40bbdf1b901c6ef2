"""Notcher from a script: the promised names, without Qt."""

import subprocess
import sys
from pathlib import Path

import pypdfium2
import pytest

from notcher import api
from notcher.formats import project_file
from notcher.score import edits
from notcher.score.project import Project
from tests.conftest import small_project


def test_a_project_is_read_edited_and_written(tmp_path: Path) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(small_project(), path)
    document = api.open_document(path)
    document.edit(lambda p: edits.change_fret(p, {"n1"}, to=5))
    document.save()
    document.close()
    project = api.read(path)
    assert project.note("n1").fret == 5
    (tmp_path / "p.musicxml").write_bytes(api.render(project, "musicxml"))
    assert len(api.read(str(tmp_path / "p.musicxml")).notes) == len(project.notes)


def test_what_a_killed_session_left_is_brought_back(tmp_path: Path) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(small_project(), path)
    killed = api.open_document(path)
    killed.edit(lambda p: edits.change_fret(p, {"n1"}, to=7))
    killed.close(discard=False)
    (left,) = api.left_behind()
    recovered = left.recover()
    assert recovered.project.note("n1").fret == 7
    recovered.save()
    recovered.close()
    assert api.read(path).note("n1").fret == 7
    assert api.left_behind() == []


def test_a_recording_is_transcribed(lick_file: Path) -> None:
    project = api.transcribe(lick_file, beat=False)
    assert isinstance(project, Project)
    assert [n.pitch(project.tuning) for n in project.notes] == [64, 67, 69, 69]


def test_one_phrase_alone_is_rendered(project: Project) -> None:
    whole, part = (api.render(project, "text", phrases=phrases) for phrases in ((), project.phrases[:1]))
    assert len(part) < len(whole)


def test_what_cannot_be_read_is_one_family_of_errors(tmp_path: Path) -> None:
    for name in ("gone.notcher", "gone.mid"):
        with pytest.raises(api.NotcherError, match="check the name$"):
            api.read(tmp_path / name)


def test_scripts_need_no_qt() -> None:
    code = "import sys; from notcher import api; sys.exit('PyQt6' in sys.modules)"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def test_options_of_a_kind_are_said_by_name(project: Project) -> None:
    assert b"<staves>2</staves>" in api.render(project, "musicxml", staff=True)
    assert b"<staves>" not in api.render(project, "musicxml")
    whole, part = (api.render(project, "notes", phrases) for phrases in ((), project.phrases[:1]))
    assert len(part) < len(whole)
    late = api.render(project, "captions", pace=50.0, offset=3.0).decode()
    assert "00:00:05.000 -->" in late


def test_pages_look_as_a_script_asks(project: Project) -> None:
    a4, letter = (pypdfium2.PdfDocument(api.render(project, "pdf", paper=paper))[0].get_size()
                  for paper in ("a4", "letter"))  # fmt: skip
    assert [round(side) for side in a4] == [595, 842]
    assert [round(side) for side in letter] == [612, 792]
    plain, neck = (api.render(project, "svg", rhythm="neither", neck=neck) for neck in (False, True))
    assert len(neck) > len(plain)
    for wrong in ({"paper": "a9"}, {"rhythm": "loud"}, {"size": 500}, {"layer": "paint"}, {"showing": "never made"}):
        with pytest.raises(api.NotcherError, match="there are|goes from|there is no layer"):
            api.render(project, "pdf", **wrong)
