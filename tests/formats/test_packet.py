"""A packet: all that one learner gets, what is remembered of it, and what happens where it cannot be written."""

import json
import zipfile
from dataclasses import replace
from pathlib import Path

import mido
import pypdfium2
import pytest

from notcher.cli import main
from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.formats.export import render
from notcher.formats.heading import Said
from notcher.formats.packet import writing
from notcher.formats.packet.wanted import Packet, Part
from notcher.formats.packet.writing import since_of, write_packet
from notcher.formats.practice import write_practice
from notcher.formats.printing import With
from notcher.score.compare import free_state_name, last_handed_to, name_state
from notcher.score.errors import ScoreError
from notcher.score.note import Bend, BendKind
from notcher.score.project import Project
from notcher.stopping import CancelledError, stoppable

QUICK = Packet(learner="Ansa", paces=(100,))


def text_of(pdf: bytes) -> str:
    document = pypdfium2.PdfDocument(pdf)
    return "\n".join(str(page.get_textpage().get_text_bounded()) for page in document)


def test_a_folder_holds_every_part(project: Project, tmp_path: Path) -> None:
    made = write_packet(project, None, tmp_path / "out", (), QUICK)
    assert made.missing == ()
    assert set(made.files) == {
        "low-tide.pdf", "low-tide.txt", "low-tide.musicxml", "low-tide.mid", "low-tide-lesson.html",
        "sounds/01-first-100.flac", "sounds/02-second-100.flac", "sounds/index.json", "strips/01-first.png",
        "strips/02-second.png", "captions/captions-100.vtt", "captions/chapters-100.txt",
    }  # fmt: skip
    assert "for Ansa" in text_of((tmp_path / "out/low-tide.pdf").read_bytes())
    assert len(json.loads((tmp_path / "out/sounds/index.json").read_text())) == 2
    assert mido.MidiFile(tmp_path / "out/low-tide.mid").length > 1


def test_a_zip_is_the_same_in_one_file(project: Project, tmp_path: Path) -> None:
    folder = write_packet(project, None, tmp_path / "out", project.phrases[:1], QUICK)
    zipped = write_packet(project, None, tmp_path / "out.zip", project.phrases[:1], QUICK)
    assert folder.files == zipped.files
    with zipfile.ZipFile(tmp_path / "out.zip") as file:
        assert sorted(file.namelist()) == sorted(folder.files)
        assert file.testzip() is None
    assert sorted(p.name for p in tmp_path.iterdir()) == ["out", "out.zip"]


def test_the_next_packet_says_what_changed_in_words_and_on_the_tab(project: Project) -> None:
    kept = name_state(project, "first", made="2026-11-20", learner="Ansa")
    bent = replace(project.notes[0], bend=Bend(BendKind.BEND, 100))
    now = kept.with_notes([bent, *project.notes[1:]])
    since = since_of(now, QUICK, ())
    assert since is not None
    assert (since.made, since.notes) == ("2026-11-20", {bent.id})
    assert len(since.lines) == 1
    assert "bend" in since.lines[0]
    text = text_of(render(now, "pdf", beside=With(said=Said(since=since))))
    assert "Since your last handout" in text
    assert since.lines[0].replace("  ", " ") in text
    assert "in a frame: other than on your last handout" in text
    assert "in a frame" not in text_of(render(now, "pdf"))


def test_what_is_remembered_is_by_learner(project: Project) -> None:
    kept = name_state(project, "a", made="2026-11-20", learner="Ansa")
    kept = name_state(kept, "b", made="2026-11-21", learner="Bo")
    kept = name_state(kept, free_state_name(kept, "A"), made="2026-11-22")
    assert [s.name for s in kept.states] == ["a", "b", "A (2)"]
    found = last_handed_to(kept, " ansa ")
    assert found is not None
    assert found.name == "a"
    assert last_handed_to(kept, "") is None
    assert since_of(kept, Packet(learner="Cleo"), ()) is None
    again = project_file.loads(project_file.dumps(kept), name="p")
    assert [s.learner for s in again.states] == ["Ansa", "Bo", ""]


def test_a_disk_that_is_full_leaves_whole_files_and_names_the_rest(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = write_practice

    def full(*args: object, **more: object) -> object:
        folder = args[2]
        assert isinstance(folder, Path)
        real(*args, **more)  # type: ignore[arg-type]
        raise FileFormatError("'{path}' could not be written ({why})", path="02", why="No space left on device")

    monkeypatch.setattr(writing, "write_practice", full)
    made = write_packet(project, None, tmp_path / "out", (), QUICK)
    assert [part for part, _ in made.missing] == [Part.SOUNDS]
    assert "No space left" in made.missing[0][1]
    assert (tmp_path / "out/low-tide-lesson.html").is_file()
    assert not list((tmp_path / "out").rglob(".notcher-*"))


def test_nothing_at_all_is_an_error(project: Project, tmp_path: Path) -> None:
    with pytest.raises(FileFormatError, match="nothing could be written"):
        write_packet(project, None, tmp_path / "out", (), replace(QUICK, parts=(Part.SOUNDS,), hear="rest"))
    with pytest.raises(FileFormatError, match="no notes"):
        write_packet(project.with_notes([]), None, tmp_path / "out", (), QUICK)
    with pytest.raises(FileFormatError, match="choose a part"):
        Packet(parts=())
    for target in ("out.zip", "out"):
        with pytest.raises(CancelledError, match="^$"), stoppable(lambda: True):
            write_packet(project, None, tmp_path / target, (), QUICK)
    assert list(tmp_path.iterdir()) == []


def test_the_command_keeps_the_state_and_the_next_one_has_its_page(
    project: Project, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(project, path)
    words = ["packet", str(path), "-o", str(tmp_path / "one"), "--for", "Ansa", "--parts", "pages,text"]
    assert main(words) == 0
    kept = project_file.load(path)
    assert [s.learner for s in kept.states] == ["Ansa"]
    assert "2 files" in capsys.readouterr().out
    changed = kept.with_notes([replace(kept.notes[0], fret=kept.notes[0].fret + 1), *kept.notes[1:]])
    project_file.save(changed, path)
    words[3] = str(tmp_path / "two.zip")
    assert main(words) == 0
    with zipfile.ZipFile(tmp_path / "two.zip") as file:
        assert "Since your last handout" in text_of(file.read("low-tide.pdf"))
    assert len(project_file.load(path).states) == 2
    assert main([*words, "--keep-no-state", "--replace"]) == 0
    assert len(project_file.load(path).states) == 2
    assert main(["packet", str(path), "-o", str(tmp_path / "x"), "--phrase", "none"]) == 1


def test_a_write_protected_project_is_said_before_anything_is_written(
    project: Project, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(project, path)
    path.chmod(0o444)
    words = ["packet", str(path), "-o", str(tmp_path / "out"), "--parts", "text"]
    assert main(words) == 1
    assert "write-protected" in capsys.readouterr().err
    assert not (tmp_path / "out").exists()
    assert main([*words, "--keep-no-state"]) == 0


def test_many_projects_go_on_where_one_fails(
    project: Project, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    paths = [tmp_path / f"{name}.notcher" for name in "abc"]
    for path in paths:
        project_file.save(project, path)
    paths[1].write_text("nothing")
    out = tmp_path / "all"
    assert main(["packet", *map(str, paths), "-o", str(out), "--parts", "text"]) == 1
    assert sorted(p.name for p in out.iterdir()) == ["a", "c"]
    assert str(paths[1]) in capsys.readouterr().err
    assert paths[1].read_text() == "nothing"
    assert main(["packet", *map(str, paths), "-o", str(tmp_path / "all.zip")]) == 1


def test_a_state_needs_a_name_of_its_own(project: Project) -> None:
    with pytest.raises(ScoreError, match="a state 'A' already"):
        name_state(name_state(project, "a", made="2026-11-20"), "A", made="2026-11-20")
