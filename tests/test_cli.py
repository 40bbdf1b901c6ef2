"""The command line as a user's script sees it: exit status, one line on standard error, no half-written file."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.decode import load
from notcher.cli import main
from notcher.formats import project_file
from notcher.formats.export import BY_NAME
from notcher.score.chord import Chord
from notcher.score.chords import set_chords
from notcher.score.plays import Plays
from notcher.score.project import Project
from notcher.score.spelling import Tone
from tests.conftest import ROOT, fifths, tone, two_leads, write_audio


def run(*args: object) -> int:
    return main([str(a) for a in args])


@pytest.fixture
def transcribed(tmp_path: Path, lick_file: Path) -> Path:
    out = tmp_path / "lick.notcher"
    assert run("transcribe", lick_file, "-o", out) == 0
    return out


def test_a_recording_becomes_a_project(transcribed: Path, lick_file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    capsys.readouterr()
    assert run("transcribe", lick_file, "-o", transcribed, "--replace") == 0
    project = project_file.load(transcribed)
    assert [n.pitch(project.tuning) for n in project.notes] == [64, 67, 69, 69]
    assert project.recording.path == "lick.wav"
    assert project.phrases
    assert project.contour is not None
    assert "4 notes in 1 phrase; " in capsys.readouterr().out


def test_options_of_transcribe(tmp_path: Path, lick_file: Path) -> None:
    out = tmp_path / "p.notcher"
    assert run("transcribe", lick_file, "-o", out, "--start", "0:00.45", "--end", "1.6", "--tuning", "d-standard",
               "--lead", "mix") == 0  # fmt: skip
    project = project_file.load(out)
    assert project.tuning.name == "d-standard"
    assert [n.pitch(project.tuning) for n in project.notes] == [67, 69]
    assert run("transcribe", lick_file, "-o", out, "--replace", "--tuning", "E4,B3,G3,D3,A2,B1") == 0
    assert project_file.load(out).tuning.pitches[5] == 35


@pytest.mark.parametrize("kind", list(BY_NAME))
def test_every_kind_of_export(transcribed: Path, tmp_path: Path, kind: str) -> None:
    if kind == "backing":
        project = project_file.load(transcribed)
        project_file.save(set_chords(project, [(0.0, Chord(Tone.named("A")))], until=2.0), transcribed)
    assert run("export", transcribed, tmp_path / "out.bin", "--as", kind) == 0
    assert (tmp_path / "out.bin").stat().st_size > 0


def test_export_by_ending_and_by_phrase(transcribed: Path, tmp_path: Path) -> None:
    assert run("export", transcribed, tmp_path / "a.json", "--phrase", "1") == 0
    assert len(json.loads((tmp_path / "a.json").read_text())["notes"]) == 4


def test_slow_keeps_the_pitch_and_stretches_the_time(lick_file: Path, tmp_path: Path) -> None:
    assert run("slow", lick_file, "-o", tmp_path / "s.wav", "--speed", "0.5", "--start", "0", "--end", "1") == 0
    assert load(tmp_path / "s.wav").duration == pytest.approx(2.0, abs=0.01)


def test_what_was_slowed_is_of_the_kind_its_ending_says(lick_file: Path, tmp_path: Path) -> None:
    import soundfile

    assert run("slow", lick_file, "-o", tmp_path / "s.flac", "--speed", "0.5") == 0
    assert soundfile.info(str(tmp_path / "s.flac")).format == "FLAC"


def test_the_lead_alone_and_all_the_rest_add_up(tmp_path: Path) -> None:
    """A melody over a lower string, each from its own side of the middle."""
    lead = np.concatenate([tone(f, 0.5) for f in (440.0, 493.88, 554.37, 493.88) * 2])
    low = 0.5 * tone(110.0, len(lead) / RATE, decay=0.2)
    mix = write_audio(tmp_path / "mix.wav", np.stack([lead + 0.2 * low, lead + low]))
    out, rest = tmp_path / "lead.wav", tmp_path / "rest.flac"
    assert run("isolate", mix, "-o", out, "--rest", rest, "--lead", "centre") == 0
    parts = [load(p).samples for p in (mix, out, rest)]
    assert parts[0].shape == parts[1].shape == parts[2].shape
    assert np.allclose(parts[0], parts[1] + parts[2], atol=1e-4)
    assert np.std(parts[1]) > 2 * np.std(parts[2][0])


def test_isolating_says_what_cannot_be_done(
    lick_file: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    silent = write_audio(tmp_path / "silent.wav", np.zeros(2 * RATE, np.float32))
    for where, said in (
        (("isolate", lick_file, "-o", lick_file), "would be lost"),
        (("isolate", lick_file, "-o", tmp_path / "a.wav", "--rest", tmp_path / "a.wav"), "name two files"),
        (("isolate", lick_file, "-o", tmp_path / "a.mp3"), "must end in"),
        (("isolate", silent, "-o", tmp_path / "a.wav"), ""),
    ):
        assert run(*where) == 1
        assert said in capsys.readouterr().err
    assert sorted(p.name for p in tmp_path.iterdir() if p.is_file()) == ["lick.wav", "silent.wav"]


@pytest.mark.alone
def test_slowing_stops_at_once_when_it_is_told_to(tmp_path: Path) -> None:
    """Ctrl+C while a library works: gone within two seconds, one line, nothing left."""
    import signal
    import time

    long = write_audio(tmp_path / "long.wav", np.tile(tone(440, 1.0), (2, 240)))
    child = subprocess.Popen(
        # A shell that runs the tests behind it ignores the signal, and what it starts would, too.
        [sys.executable, "-c", "import signal, sys; signal.signal(signal.SIGINT, signal.default_int_handler)\n"
         "from notcher.audio import stretch\nold = stretch.stretch\n"
         "def told(*a, **k):\n print('now', flush=True)\n return old(*a, **k)\n"
         "stretch.stretch = told\nfrom notcher.cli import main\nsys.exit(main(sys.argv[1:]))",
         "slow", str(long), "-o", str(tmp_path / "s.wav"), "--speed", "0.25"],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert child.stdout is not None
    assert child.stdout.readline() == "now\n"
    time.sleep(0.3)
    child.send_signal(signal.SIGINT)
    _, error = child.communicate(timeout=30)
    assert (child.returncode, error) == (1, "notcher: stopped\n")
    assert [p.name for p in tmp_path.iterdir() if p.is_file()] == ["long.wav"]


def test_a_steady_beat_is_found_unless_it_is_not_wanted(tmp_path: Path) -> None:
    """A plucked note every half second, with a click at each: 120 beats a minute, by construction."""
    beat = tone(330, 0.5)
    beat[:300] += np.random.default_rng(3).normal(0, 0.3, 300).astype(np.float32)
    path = write_audio(tmp_path / "beat.wav", np.tile(beat, 24))
    assert run("transcribe", path, "-o", tmp_path / "p.notcher") == 0
    tempo = project_file.load(tmp_path / "p.notcher").tempo
    assert tempo is not None
    assert tempo.bpm() == pytest.approx(120, rel=0.02)
    assert run("transcribe", path, "-o", tmp_path / "q.notcher", "--no-beat") == 0
    assert project_file.load(tmp_path / "q.notcher").tempo is None


def test_names_that_are_no_text_are_taken(tmp_path: Path, lick: np.ndarray, capsys: pytest.CaptureFixture[str]) -> None:
    import os

    recording = Path(os.fsdecode(bytes(tmp_path) + b"/caf\xe9.wav"))
    write_audio(tmp_path / "a.wav", lick).rename(recording)
    project = recording.with_suffix(".notcher")
    assert run("transcribe", recording, "-o", project) == 0
    assert project_file.load(project).recording.path == recording.name
    assert run("export", project, recording.with_suffix(".pdf")) == 0
    assert run("export", project, recording.with_suffix(".musicxml")) == 0
    assert "caf" in capsys.readouterr().out


def test_check_compares_a_take(transcribed: Path, lick_file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert run("check", transcribed, lick_file) == 0
    assert capsys.readouterr().out.strip() == "All notes played."
    assert run("check", transcribed, lick_file, "--json") == 0
    data = json.loads(capsys.readouterr().out)
    assert (data["format"], data["version"], data["missing"], data["extra"]) == ("notcher-take", 2, [], [])
    assert (data["shifted_semitones"], data["in_words"]) == (0, "All notes played.")
    assert data["pace"] == pytest.approx(1.0, abs=0.01)
    assert all(set(row) >= {"id", "there", "late_ms", "bend_error_cents", "vibrato"} for row in data["notes"])
    assert [abs(row["bend_error_cents"]) < 10 for row in data["notes"] if row["bend_error_cents"] is not None] == [True]
    assert run("check", transcribed, lick_file, "--pace", "100") == 0
    with pytest.raises(SystemExit, match="2"):
        run("check", transcribed, lick_file, "--pace", "5")


def test_check_says_what_a_take_is_not(transcribed: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    silence = write_audio(tmp_path / "silence.wav", np.zeros(2 * RATE, np.float32))
    assert run("check", transcribed, silence) == 0
    assert "Nothing can be heard in this take" in capsys.readouterr().out
    assert run("check", transcribed, tmp_path / "gone.wav") == 1


# -- wrong input ---------------------------------------------------------------------------------------------------


def _empty(folder: Path) -> Path:
    (folder / "in.wav").write_bytes(b"")
    return folder / "in.wav"


def _words(folder: Path) -> Path:
    (folder / "in.mp3").write_text("these are words")
    return folder / "in.mp3"


def _silent(folder: Path) -> Path:
    return write_audio(folder / "in.wav", np.zeros(2 * RATE, np.float32))


def _noise(folder: Path) -> Path:
    return write_audio(folder / "in.wav", np.random.default_rng(1).normal(0, 0.1, 2 * RATE))


def _short(folder: Path) -> Path:
    return write_audio(folder / "in.wav", tone(440, 0.05))


def _nothing(folder: Path) -> Path:
    return folder / "in.wav"


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (_empty, "empty (0 bytes); copy or download it again"),
        (_words, "it takes WAV, FLAC, OGG and MP3"),
        (_silent, "silent from start to end; choose another recording"),
        (_noise, "no lead could be heard"),
        (_short, "too short for a note; choose a longer recording"),
        (_nothing, "there is no file"),
    ],
)
def test_wrong_recordings(tmp_path: Path, make, said: str, capsys: pytest.CaptureFixture[str]) -> None:
    out = tmp_path / "p.notcher"
    assert run("transcribe", make(tmp_path), "-o", out) == 1
    error = capsys.readouterr().err
    assert error.startswith("notcher: ")
    assert error.count("\n") == 1
    assert said in error
    assert not out.exists()


def test_odd_recordings_that_can_be_used(tmp_path: Path, lick: np.ndarray, capsys: pytest.CaptureFixture[str]) -> None:
    """0.2 s long; mono at 8 kHz; clipped; broken off in the middle: used, and what is odd is said."""
    import soxr

    whole = write_audio(tmp_path / "whole.wav", lick)
    (tmp_path / "cut.wav").write_bytes(whole.read_bytes()[:120000])
    cases = {
        "short": (write_audio(tmp_path / "short.wav", tone(440, 0.2)), ""),
        "low": (write_audio(tmp_path / "low.wav", soxr.resample(lick, RATE, 8000), 8000), "only 8000 samples a second"),
        "clipped": (write_audio(tmp_path / "clipped.wav", np.clip(6 * lick, -0.8, 0.8)), "clipped"),
        "cut": (tmp_path / "cut.wav", "breaks off after"),
    }
    for name, (path, said) in cases.items():
        assert run("transcribe", path, "-o", tmp_path / f"{name}.notcher") == 0, name
        assert said in capsys.readouterr().err, name
        assert project_file.load(tmp_path / f"{name}.notcher").notes, name


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("nonsense", "JSON is broken"),
        ('{"format": "notcher-project", "version": 99}', "newer Notcher (project version 99"),
        ('{"format": "other"}', "not a Notcher project"),
    ],
)
def test_wrong_projects(tmp_path: Path, text: str, said: str, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "p.notcher"
    path.write_text(text)
    assert run("export", path, tmp_path / "o.pdf") == 1
    error = capsys.readouterr().err
    assert said in error
    assert error.count("\n") == 1
    assert path.read_text() == text
    assert not (tmp_path / "o.pdf").exists()


@pytest.mark.parametrize(
    ("args", "status", "said"),
    [
        (("transcribe", "a.wav", "-o", "out.txt"), 1, "must end in .notcher"),
        (("transcribe", "a.wav", "-o", "no/where.notcher"), 1, "there is no folder"),
        (("transcribe", "a.wav", "-o", "p.notcher", "--tuning", "banjo"), 1, "no tuning; use standard"),
        (("transcribe", "a.wav", "-o", "p.notcher"), 1, "add --replace"),
        (("transcribe", "a.wav", "-o", "new.notcher", "--start", "0.1", "--end", "0.101"), 1, "nothing can be heard"),
        (("transcribe", "a.wav", "-o", "new.notcher", "--start", "7"), 1, "nothing can be heard from 7 s to 0.5 s"),
        (("read", "t.txt", "-o", "p.notcher"), 1, "add --replace"),
        (("export", "p.notcher", "o.weird"), 1, "cannot be told"),
        (("export", "p.notcher", "p.notcher", "--as", "pdf"), 1, "another kind of file than pdf"),
        (("export", "p.notcher", "new.notcher", "--as", "pdf"), 1, "another kind of file than pdf"),
        (("export", "p.notcher", "x.mid", "--as", "pdf"), 1, "another kind of file than pdf"),
        (("export", "p.notcher", "link.json"), 1, "what this is made from"),
        (("export", "p.notcher", "no/x.pdf"), 1, "there is no folder"),
        (("slow", "a.wav", "-o", "a.wav", "--speed", "0.5"), 1, "what this is made from"),
        (("slow", "a.wav", "-o", "s.mp3", "--speed", "0.5"), 1, "must end in .wav or .flac or .ogg"),
        (("slow", "a.wav", "-o", "p.notcher", "--speed", "0.5"), 1, "must end in .wav"),
        (("slow", "a.wav", "-o", "o.wav", "--speed", "9"), 1, "from 10 % to 200 %"),
        (("slow", "a.wav", "-o", "o.wav", "--speed", "0.5", "--start", "99"), 1, "the recording lasts"),
    ],
)
def test_wrong_wishes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, args: tuple[str, ...], status: int, said: str,
                      project: Project, capsys: pytest.CaptureFixture[str]) -> None:  # fmt: skip
    monkeypatch.chdir(tmp_path)
    write_audio(tmp_path / "a.wav", tone(440, 0.5))
    project_file.save(project, tmp_path / "p.notcher")
    (tmp_path / "link.json").symlink_to("p.notcher")
    (tmp_path / "t.txt").write_text("words")
    before = sorted(p.name for p in tmp_path.iterdir())
    assert run(*args) == status
    assert said in capsys.readouterr().err
    assert sorted(p.name for p in tmp_path.iterdir()) == before


@pytest.mark.parametrize(
    "args",
    [["transcribe"], ["export", "a"], ["--unknown"], ["slow", "a.wav", "-o", "b.wav"],
     *(["slow", "a.wav", "-o", "b.wav", "--speed", speed] for speed in ("nan", "inf", "²", "9" * 5000)),
     *(["transcribe", "a.wav", "-o", "p.notcher", "--end", e] for e in ("nan", "inf", "1e999", "-3", "1:nan", "x"))],
)  # fmt: skip
def test_wrong_usage_is_status_2(args: list[str]) -> None:
    with pytest.raises(SystemExit, match="2") as ended:
        main(args)
    assert ended.value.code == 2


def test_no_screen_is_said_in_one_line(tmp_path: Path) -> None:
    import os

    env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run(
        [sys.executable, "-m", "notcher.cli", "demo"], env=env, capture_output=True, text=True, cwd=ROOT, check=False,
        timeout=120,
    )  # fmt: skip
    assert done.returncode == 1
    assert "no screen was found" in done.stderr
    assert done.stderr.count("\n") == 1


# Numbers that no server takes, whoever works on this machine beside the tests.
@pytest.mark.parametrize("named", [{"DISPLAY": ":59177"}, {"WAYLAND_DISPLAY": "wayland-59177"}])
def test_a_screen_that_does_not_answer_is_said_in_one_line(named: dict[str, str]) -> None:
    import os

    env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run(
        [sys.executable, "-m", "notcher.cli", "demo"], env=env | named, capture_output=True, text=True, cwd=ROOT,
        check=False, timeout=120,
    )  # fmt: skip
    assert done.returncode == 1
    assert f"no screen answers as '{next(iter(named.values()))}'" in done.stderr
    assert done.stderr.count("\n") == 1


def test_a_long_recording_is_refused_before_it_is_read(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Fifty minutes: beyond the limit; and it is said at once."""
    path = write_audio(tmp_path / "long.wav", np.zeros(50 * 60 * 8000, np.int16), 8000)
    assert run("transcribe", path, "-o", tmp_path / "p.notcher") == 1
    assert "lasts 50 minutes; cut out the solo first" in capsys.readouterr().err


def test_a_score_is_read_into_a_project(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from notcher.formats import project_file

    tab = tmp_path / "lick.txt"
    tab.write_text("\n".join(f"{c}|{'--5--7q--' if c == 'B' else '-' * 9}|" for c in "eBGDAE"))
    assert main(["read", str(tab), "-o", str(tmp_path / "lick.notcher")]) == 0
    out = capsys.readouterr()
    assert "2 notes in 1 phrase" in out.out
    assert out.err == "notcher: not understood: line 2, column 9: 'q'\n"
    assert [n.fret for n in project_file.load(tmp_path / "lick.notcher").notes] == [5, 7]


def test_a_score_that_cannot_be_read_is_one_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    score = tmp_path / "bad.mid"
    score.write_bytes(b"MThd")
    assert main(["read", str(score), "-o", str(tmp_path / "p.notcher")]) == 1
    assert capsys.readouterr().err.count("\n") == 1
    assert not (tmp_path / "p.notcher").exists()


def test_an_easier_version_is_exported(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from notcher.formats import project_file
    from notcher.score.versions import add_version, show_version
    from tests.conftest import small_project

    project = small_project()
    easier = show_version(add_version(project, "p1", "easier", project.notes[:2]), "p1", "as played")
    path = tmp_path / "p.notcher"
    project_file.save(easier, path)
    assert main(["export", str(path), str(tmp_path / "easy.txt"), "--showing", "easier"]) == 0
    assert "First · easier" in (tmp_path / "easy.txt").read_text()
    assert main(["export", str(path), str(tmp_path / "x.txt"), "--showing", "hard"]) == 1
    assert "there are: as played, easier" in capsys.readouterr().err


def test_both_hands_and_the_neck_on_request(transcribed: Path, tmp_path: Path) -> None:
    assert run("export", transcribed, tmp_path / "plain.txt") == 0
    assert run("export", transcribed, tmp_path / "hands.txt", "--hands") == 0
    assert "\nf. " not in (tmp_path / "plain.txt").read_text()
    assert "\nf. " in (tmp_path / "hands.txt").read_text()
    assert run("export", transcribed, tmp_path / "plain.svg") == 0
    assert run("export", transcribed, tmp_path / "neck.svg", "--neck", "--left-handed") == 0
    assert "hand: " not in (tmp_path / "plain.svg").read_text()
    assert "hand: " in (tmp_path / "neck.svg").read_text()


def test_a_rhythm_guitar_that_is_played_twice_is_measured_as_a_riff(tmp_path: Path) -> None:
    """The same fifths left and right, the second take 12 ms later. That is one period of the low E, whose fundamental
    is then alike on both sides, so that it is not asked for."""
    take = fifths(40, 43, 45, 40, 43, 46, 45, 40)
    sound = write_audio(tmp_path / "riff.wav", np.stack([take, np.roll(take, 530)]))
    out = tmp_path / "riff.notcher"
    assert run("transcribe", sound, "-o", out, "--plays", "riff", "--no-beat") == 0
    project = project_file.load(out)
    assert project.plays is Plays.RIFF
    assert {43, 50, 45, 52} <= {n.pitch(project.tuning) for n in project.notes}
    with pytest.raises(SystemExit, match="2"):
        run("transcribe", sound, "-o", out, "--replace", "--plays", "song")


def test_where_a_lead_may_sit_as_well_is_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    sound = write_audio(tmp_path / "two.wav", two_leads())
    assert run("transcribe", sound, "-o", tmp_path / "two.notcher", "--no-beat") == 0
    assert "both sound about equally clear" in capsys.readouterr().out
