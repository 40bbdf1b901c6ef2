"""Sounds to practise with: as long, as high, as counted and as named as they should be."""

import json
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from notcher.audio import RATE
from notcher.cli import main
from notcher.formats.errors import FileFormatError
from notcher.formats.practice import FORMATS, Sounds, Wanted, practice_sound, write_practice
from notcher.listen.frames.pitch_now import pitch_now
from notcher.score.note import Note
from notcher.score.project import Phrase, Project, Recording
from notcher.score.tempo import TempoMap
from notcher.teach.clicks import count_in
from tests.conftest import ROOT, note


def held(*, offset: float = 0.0) -> Project:
    """One long note, A3 on the 4th string's 7th fret, from beat 1 of bar 2 at 100 bpm."""
    start = 4 * 0.6
    long: Note = note(1, start, 4, 7, length=2.3)
    return Project(
        Recording("a.wav", "0" * 64, 12.0, RATE, 2), notes=(long,), offset_cents=offset,
        phrases=(Phrase("p1", "Long one", start, start + 2.4),), tempo=TempoMap.steady(100, first_beat=0.0, count=24),
    )  # fmt: skip


@pytest.mark.parametrize("pace", [100, 75, 50])
@pytest.mark.parametrize("counted", [False, True])
def test_it_lasts_as_long_as_its_count_and_rounds(pace: int, counted: bool) -> None:
    """Length = count + rounds x phrase / pace, within 10 ms; four beats at 100 bpm are 2.4 s at full pace."""
    project = held()
    source = Sounds(project, None).of("written")
    sound, before = practice_sound(project, project.phrases[0], source, Wanted(rounds=3, count_in=counted), pace)
    assert before == pytest.approx(2.4 * 100 / pace if counted else 0.0, abs=1e-6)
    assert sound.shape[1] / RATE == pytest.approx(before + 3 * 2.4 * 100 / pace, abs=0.01)


@pytest.mark.parametrize(("shift", "in_tune", "wanted"), [(0, False, 5735.0), (0, True, 5700.0), (2, True, 5900.0)])
@pytest.mark.parametrize("pace", [100, 50])
def test_its_pitch_is_moved_within_three_cents(shift: int, in_tune: bool, wanted: float, pace: int) -> None:
    """A3 (MIDI 57) 35 cents sharp, as recorded, in tune, and a whole step up."""
    project = held(offset=35.0)
    asked = Wanted(rounds=1, shift=shift, in_tune=in_tune)
    sound, _ = practice_sound(project, project.phrases[0], Sounds(project, None).of("written"), asked, pace)
    found = pitch_now(sound[0][: round(1.2 * RATE)])
    assert found == pytest.approx(wanted, abs=3.0)


def test_count_and_clicks_fall_on_the_beats() -> None:
    """At half pace a beat is 1.2 s; the first round follows the count without a gap."""
    project = replace(held(), notes=())
    project = replace(project, notes=(replace(held().notes[0], onset=3.0, end=3.1),))
    source = Sounds(project, None).of("written")
    sound, before = practice_sound(project, project.phrases[0], source, Wanted(rounds=1, count_in=True, click=True), 50)
    clicks = [c.time for c in count_in(project, project.phrases[0].start, project.phrases[0].end)]
    assert before == pytest.approx((2.4 - min(clicks)) / 0.5)
    level = np.abs(sound[0])
    for k in range(4):
        at = round(1.2 * k * RATE)
        assert level[at : at + 441].max() > 10 * level[at - 2205 : at - 441].max() if at else True


def test_a_folder_of_the_demo_is_named_in_order_and_indexed(tmp_path: Path) -> None:
    for name in ("pellan-quay-demo.notcher", "pellan-quay-demo.ogg"):
        shutil.copy(ROOT / "src/notcher/data/demo" / name, tmp_path)
    asked = ["--phrase", "Harbour call", "--hear", "rest", "--rounds", "2", "--count-in", "--paces", "50,75,100"]
    assert main(["practice", str(tmp_path / "pellan-quay-demo.notcher"), "-o", str(tmp_path / "out"), *asked]) == 0
    rows = json.loads((tmp_path / "out/index.json").read_text())
    assert [r["file"] for r in rows] == [f"0{k}-harbour-call-{p}.flac" for k, p in ((1, 50), (2, 75), (3, 100))]
    for row in rows:
        info = soundfile.info(str(tmp_path / "out" / row["file"]))
        assert info.duration == pytest.approx(row["length_s"], abs=0.001)
        wanted = row["count_in_s"] + row["rounds"] * row["phrase_s"] * 100 / row["pace"]
        assert row["length_s"] == pytest.approx(wanted, abs=0.01)
        assert row["lead_left_db"] < -6
    with soundfile.SoundFile(str(tmp_path / "out" / rows[0]["file"])) as file:
        assert (file.title, file.tracknumber) == ("Harbour call, 50 %", "1")


@pytest.mark.parametrize("kind", sorted(FORMATS))
def test_every_kind_of_file_is_read_again(tmp_path: Path, kind: str) -> None:
    project = held()
    (row,) = write_practice(project, None, tmp_path, (), Wanted((100,), "written", 1, format=kind))
    sound, rate = soundfile.read(str(tmp_path / row["file"]))
    assert rate == RATE
    # An MP3 begins and ends with up to two frames of its coder's.
    assert len(sound) / rate == pytest.approx(2.4, abs=0.06 if kind == "mp3" else 1e-3)
    assert np.abs(sound).max() > 0.05


@pytest.mark.parametrize(
    ("wanted", "said"),
    [({"paces": (5,)}, "from 25 to 110"), ({"rounds": 0}, "1 to 99 rounds"), ({"shift": 30}, "up to 12 half steps")],
)
def test_what_cannot_be_is_said(wanted: dict[str, object], said: str) -> None:
    with pytest.raises(FileFormatError, match=said):
        Wanted(**wanted)  # type: ignore[arg-type]


def test_wrong_places_and_missing_recordings_are_said(tmp_path: Path) -> None:
    project = held()
    (tmp_path / "file").write_text("x")
    with pytest.raises(FileFormatError, match="is a file; name a folder"):
        write_practice(project, None, tmp_path / "file", (), Wanted(hear="written"))
    with pytest.raises(FileFormatError, match="the recording is not there"):
        write_practice(project, None, tmp_path / "out", (), Wanted(hear="lead"))
    with pytest.raises(FileFormatError, match="no notes"):
        write_practice(replace(project, phrases=(), notes=()), None, tmp_path / "out", (), Wanted())
    long = replace(project, phrases=tuple(Phrase(f"p{k}", str(k), 2.0, 12.0) for k in range(40)))
    with pytest.raises(FileFormatError, match="minutes of sound, and an hour is the most"):
        write_practice(long, None, tmp_path / "out", (), Wanted((25,), rounds=99, hear="written"))


def test_without_phrases_the_whole_solo_is_one(tmp_path: Path) -> None:
    project = replace(held(), phrases=())
    rows = write_practice(project, None, tmp_path / "out", (), Wanted((100,), "written", 1))
    assert [r["file"] for r in rows] == ["01-the-solo-100.flac"]
    assert rows[0]["phrase_s"] == pytest.approx(max(n.end for n in project.notes) - project.notes[0].onset, abs=1e-3)
