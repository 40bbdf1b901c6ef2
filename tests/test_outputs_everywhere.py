"""Every command that writes: nothing that is there is lost, an input never, and nothing else is touched."""

import argparse
import hashlib
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from notcher.audio.decode import file_hash
from notcher.cli import _ADD, _parser, main
from notcher.cli.packets import folder_names
from notcher.formats import project_file
from notcher.formats.export import EXPORTS
from notcher.formats.recordings import find_recording
from notcher.score.chord import Chord
from notcher.score.chords import set_chords
from notcher.score.project import Project, Request
from notcher.score.spelling import Tone
from tests.conftest import tone, write_audio

WRITES_NOTHING = {"demo", "check"}
QUICK = ["--width", "320", "--height", "240", "--rate", "24", "--pace", "110"]
# Each writer with the files it writes, by their names in its folder: FILE or FOLDER stands for its output.
FILES: dict[str, tuple[list[str], tuple[str, ...]]] = {
    "slow": (["slow", "a.wav", "-o", "FILE", "--speed", "2"], ("out.wav",)),
    "isolate": (["isolate", "a.wav", "-o", "FILE", "--rest", "rest.wav", "--lead", "mix"], ("out.wav", "rest.wav")),
    "transcribe": (["transcribe", "a.wav", "-o", "FILE", "--no-beat", "--lead", "mix"], ("out.notcher",)),
    "read": (["read", "tab.txt", "-o", "FILE"], ("out.notcher",)),
    "place": (["place", "notes.json", "-o", "FILE"], ("out.json",)),
    "backing": (["backing", "p.notcher", "-o", "FILE"], ("out.mid",)),
    "strip": (["strip", "p.notcher", "FILE", "--phrase", "Low tide"], ("out.png",)),
    "film": (["film", "p.notcher", "FILE", "--phrase", "Low tide", *QUICK], ("out.webm",)),
    "lesson": (["lesson", "p.notcher", "FILE", "--phrase", "Low tide"], ("out.html",)),
    "packet": (["packet", "p.notcher", "-o", "FILE", "--parts", "text", "--keep-no-state"], ("out.zip",)),
}
FILES |= {
    f"export {kind.name}": (["export", "p.notcher", "FILE", "--as", kind.name], (f"out{kind.endings[0]}",))
    for kind in EXPORTS
}  # fmt: skip
FOLDERS: dict[str, tuple[list[str], tuple[str, ...]]] = {
    "packet": (["packet", "p.notcher", "-o", "FOLDER", "--keep-no-state", "--parts", "musicxml,sounds,strips,captions",
                "--paces", "100"],
               ("low.musicxml", "sounds/01-low-tide-100.flac", "sounds/index.json", "strips/01-low-tide.png",
                "captions/captions-100.vtt")),
    "practice": (["practice", "p.notcher", "-o", "FOLDER", "--paces", "100", "--hear", "written", "--format", "wav"],
                 ("01-low-tide-100.wav", "index.json")),
    "film": (["film", "p.notcher", "FOLDER", "--frames", "--phrase", "Low tide", *QUICK],
             ("sound.wav", "frame-000003.png")),
}  # fmt: skip


@pytest.fixture
def work(tmp_path: Path, project: Project, lick: np.ndarray, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder with a project, its recording, a tab, and notes to place; it is the working folder."""
    sound = write_audio(tmp_path / "a.wav", lick)
    named = replace(
        project, request=Request(title="Low", asked_by="Wenna"),
        recording=replace(project.recording, path="a.wav", sha256=file_hash(sound)),
    )  # fmt: skip
    phrases = (replace(project.phrases[0], name="Low tide"), *project.phrases[1:])
    named = set_chords(replace(named, phrases=phrases), [(0.0, Chord(Tone.named("A")))], until=8.0)
    project_file.save(named, tmp_path / "p.notcher")
    monkeypatch.chdir(tmp_path)
    assert main(["export", "p.notcher", "tab.txt"]) == 0
    assert main(["export", "p.notcher", "notes.json", "--as", "notes"]) == 0
    return tmp_path


def hashes(folder: Path) -> dict[str, str]:
    return {
        str(p.relative_to(folder)): hashlib.sha256(p.read_bytes()).hexdigest() for p in folder.rglob("*") if p.is_file()
    }


def said(words: list[str], what: Path) -> list[str]:
    return [str(what) if word in ("FILE", "FOLDER") else word for word in words]


def test_every_command_that_writes_is_here_and_has_the_option() -> None:
    parser = _parser()
    commands = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction)).choices
    assert set(commands) == set(_ADD)
    tried = {name.split()[0] for name in (*FILES, *FOLDERS)}
    assert set(_ADD) - WRITES_NOTHING == tried, "a command that writes belongs into the lists of this file"
    for name, command in commands.items():
        assert ("--replace" in command._option_string_actions) == (name not in WRITES_NOTHING), name


@pytest.mark.slow
@pytest.mark.parametrize("name", FILES)
def test_a_file_that_is_there_stays(work: Path, name: str, capsys: pytest.CaptureFixture[str]) -> None:
    words, outs = FILES[name]
    for out in outs:
        (work / out).write_bytes(b"mine")
        before = hashes(work)
        assert main(said(words, work / outs[0])) == 1
        error = capsys.readouterr().err
        assert out in error
        assert error.count("\n") == 1
        assert hashes(work) == before
        (work / out).unlink()
    for out in outs:
        (work / out).write_bytes(b"mine")
    before = hashes(work)
    assert main([*said(words, work / outs[0]), "--replace"]) == 0, capsys.readouterr().err
    after = hashes(work)
    assert all(after[out] != before[out] for out in outs)
    assert {k: v for k, v in after.items() if k not in outs} == {k: v for k, v in before.items() if k not in outs}


@pytest.mark.slow
@pytest.mark.parametrize("name", FOLDERS)
def test_a_folders_files_stay_unless_they_are_ones_own(
    work: Path, name: str, capsys: pytest.CaptureFixture[str]
) -> None:
    words, outs = FOLDERS[name]
    folder = work / "out"
    assert main(said(words, folder)) == 0, capsys.readouterr().err
    assert main(said(words, folder)) == 0, "what Notcher wrote there is written anew"
    assert set(outs) <= set(hashes(folder))
    assert not list(work.rglob(".notcher-*"))
    for out in outs:
        before_mine = (folder / out).read_bytes()
        (folder / out).write_bytes(b"mine")
        before = hashes(work)
        assert main(said(words, folder)) == 1
        error = capsys.readouterr().err
        assert Path(out).name in error
        assert error.count("\n") == 1
        assert hashes(work) == before
        (folder / out).write_bytes(before_mine)
    other = work / "other"
    for out in outs:
        (other / out).parent.mkdir(parents=True, exist_ok=True)
        (other / out).write_bytes(b"mine")
    before = hashes(work)
    assert main(said(words, other)) == 1
    assert hashes(work) == before
    assert main([*said(words, other), "--replace"]) == 0
    assert all((other / out).read_bytes() != b"mine" for out in outs)


@pytest.mark.slow
@pytest.mark.parametrize("name", FOLDERS)
def test_a_folder_never_takes_the_place_of_an_input(work: Path, name: str, capsys: pytest.CaptureFixture[str]) -> None:
    """The recording bears an output's name."""
    words, outs = FOLDERS[name]
    folder = work / "out"
    recording = folder / outs[0]
    recording.parent.mkdir(parents=True)
    (work / "a.wav").rename(recording)
    kept = project_file.load(work / "p.notcher")
    sound = replace(kept.recording, path=str(recording.relative_to(work)))
    project_file.save(replace(kept, recording=sound), work / "p.notcher")
    before = hashes(work)
    for more in ([], ["--replace"]):
        assert main([*said(words, folder), *more]) == 1
        assert "what this is made from" in capsys.readouterr().err
        assert hashes(work) == before


@pytest.mark.slow
@pytest.mark.parametrize("name", FILES)
def test_a_file_is_never_an_input(work: Path, name: str, capsys: pytest.CaptureFixture[str]) -> None:
    words, outs = FILES[name]
    inputs = ["p.notcher", "a.wav"] if "p.notcher" in words else [next(w for w in words if "." in w)]
    for number, source in enumerate(inputs):
        goal = work / f"{number}{Path(outs[0]).suffix}"
        goal.hardlink_to(work / source)
        before = hashes(work)
        assert main([*said(words, goal), "--replace"]) == 1
        assert "what this is made from" in capsys.readouterr().err
        assert hashes(work) == before


def test_options_are_not_abbreviated(work: Path, capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit, match="2") as ended:
        main(["packet", "p.notcher", "-o", "out", "--part", "text"])
    assert ended.value.code == 2
    assert "--part" in capsys.readouterr().err


def test_projects_whose_names_are_alike_get_folders_of_their_own(work: Path) -> None:
    paths = []
    for place in ("x/songs/solo", "y/songs/solo", "songs-solo", "x-songs-solo", "z/Solo"):
        path = work / f"{place}.notcher"
        path.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(work / "p.notcher", path)
        paths.append(path)
    names = folder_names(paths)
    assert len({n.casefold() for n in names}) == len(paths)
    assert main(["packet", *map(str, paths), str(paths[0]), "-o", "all", "--parts", "text"]) == 0
    assert sorted(p.name for p in (work / "all").iterdir()) == sorted(names)
    assert all([p.name for p in (work / "all" / name).iterdir()] == ["low.txt"] for name in names)


def test_a_packets_sounds_may_be_written_anew_by_themselves(work: Path) -> None:
    assert main(["packet", "p.notcher", "-o", "out", "--parts", "sounds", "--paces", "100", "--keep-no-state"]) == 0
    words = ["practice", "p.notcher", "-o", "out/sounds", "--paces", "100", "--hear", "written", "--count-in"]
    assert main(words) == 0


def test_two_projects_do_not_mix_in_one_folder(work: Path, capsys: pytest.CaptureFixture[str]) -> None:
    shutil.copy(work / "p.notcher", work / "q.notcher")
    words = ["-o", "out", "--parts", "text", "--keep-no-state"]
    assert main(["packet", "p.notcher", *words]) == 0
    assert main(["packet", "q.notcher", *words]) == 1
    assert "another project" in capsys.readouterr().err


# -- the recording ---------------------------------------------------------------------------------------------------

SOUNDS: dict[str, list[str]] = {
    "practice": ["practice", "p.notcher", "-o", "out", "--paces", "100"],
    "film": ["film", "p.notcher", "out.webm", "--phrase", "Low tide", *QUICK],
    "film of it": ["film", "p.notcher", "out.webm", "--phrase", "Low tide", "--hear", "recording", *QUICK],
    "lesson": ["lesson", "p.notcher", "out.html", "--phrase", "Low tide", "--with-recording"],
    "packet": ["packet", "p.notcher", "-o", "out", "--parts", "lesson", "--with-recording", "--keep-no-state"],
    "packet of sounds": ["packet", "p.notcher", "-o", "out", "--parts", "sounds", "--hear", "rest", "--paces", "100"],
}


def another(path: Path) -> None:
    write_audio(path, tone(330, 3.0))


@pytest.mark.slow
@pytest.mark.parametrize("name", SOUNDS)
def test_another_sound_under_its_name_is_refused(work: Path, name: str, capsys: pytest.CaptureFixture[str]) -> None:
    (work / "a.wav").unlink()
    another(work / "a.wav")
    before = hashes(work)
    assert main(SOUNDS[name]) == 1
    assert "different recording" in capsys.readouterr().err
    assert hashes(work) == before


@pytest.mark.slow
@pytest.mark.parametrize("taken", [False, True], ids=["name free", "name taken"])
@pytest.mark.parametrize("name", ["practice", "lesson"])
def test_a_recording_that_moved_is_found(
    work: Path, name: str, taken: bool, capsys: pytest.CaptureFixture[str]
) -> None:
    goal = work / "deep" / "renamed.wav"
    goal.parent.mkdir()
    moved = (work / "a.wav").rename(goal)
    if taken:
        another(work / "a.wav")
    found = find_recording(project_file.load(work / "p.notcher"), work / "p.notcher")
    assert (found.state, found.path) == ("moved", moved)
    assert main(SOUNDS[name]) == 0, capsys.readouterr().err


@pytest.mark.slow
def test_a_film_without_its_recording_has_the_tab(work: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (work / "a.wav").unlink()
    assert main(SOUNDS["film"]) == 0
    assert main(SOUNDS["film of it"]) == 1
    assert main([*SOUNDS["film of it"], "--replace"]) == 1
    assert "missing" in capsys.readouterr().err
