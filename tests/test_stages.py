"""The four stages of listening as files: written, looked at, read again, and gone on with from any of them."""

import json
from pathlib import Path

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.audio.survey import survey
from notcher.cli import main
from notcher.formats.errors import ExistsError, FileFormatError
from notcher.formats.outputs import Outputs
from notcher.listen.classify.judge import classify
from notcher.listen.decide.decide import decide
from notcher.listen.frames.measure import Setup, measure_frames
from notcher.listen.listener import Stages, read_stages
from notcher.models.classifier import classifier
from notcher.pipeline.stages import CANDIDATES, CLASSIFY, DECIDE, FILES, read_stages_of, write_stages
from notcher.score.isolation import Isolation, StereoPosition
from tests.conftest import tone, write_audio


def lick() -> np.ndarray:
    """Two single notes, a double stop, and a note that is bent up."""
    rest = np.zeros(RATE // 10, np.float32)
    t = np.arange(round(0.6 * RATE)) / RATE
    cents = 200 * np.clip((t - 0.1) / 0.15, 0, 1)
    phase = 2 * np.pi * np.cumsum(330.0 * 2 ** (cents / 1200)) / RATE
    bent = (0.3 * np.exp(-t) * (np.sin(phase) + 0.5 * np.sin(2 * phase) + 0.3 * np.sin(3 * phase))).astype(np.float32)
    both = tone(294.0, 0.5) + tone(392.0, 0.5)
    return np.concatenate([rest, tone(220.0, 0.4), rest, tone(294.0, 0.3), rest, both, rest, bent, rest])


@pytest.fixture(scope="module")
def stages() -> Stages:
    audio = Audio(lick()[None, :], RATE, 1)
    assert not survey(audio).bass
    *_, (frames, _) = measure_frames(
        audio, Setup(Isolation(StereoPosition.MIX), alone=True), start=0.0, end=audio.duration
    )
    return read_stages(frames)


def test_what_is_read_again_is_what_was_written(stages: Stages, tmp_path: Path) -> None:
    write_stages(stages, tmp_path / "stages", Outputs())
    again = read_stages_of(tmp_path / "stages")
    assert sorted(p.name for p in (tmp_path / "stages").iterdir() if not p.name.startswith(".")) == sorted(FILES)
    assert repr(again.candidates.notes) == repr(stages.candidates.notes)
    assert np.array_equal(again.classified.features.values, stages.classified.features.values)
    assert again.classified.beliefs == stages.classified.beliefs
    assert repr(again.transcription.notes) == repr(stages.transcription.notes)
    assert np.array_equal(again.transcription.trace.cents, stages.transcription.trace.cents, equal_nan=True)
    assert np.array_equal(again.frames.sound, stages.frames.sound)


def test_a_stage_goes_on_from_the_file_of_the_one_before(stages: Stages, tmp_path: Path) -> None:
    """Read from files and gone on with, the same comes out to the last bit."""
    write_stages(stages, tmp_path / "stages", Outputs())
    kept = read_stages_of(tmp_path / "stages")
    classified = classify(kept.frames, kept.candidates)
    assert classified.beliefs == stages.classified.beliefs
    decided = decide(kept.frames, classified)
    assert repr(decided.notes) == repr(stages.transcription.notes)
    whole = read_stages(kept.frames)
    assert repr(whole.transcription.notes) == repr(stages.transcription.notes)


def test_measurements_stand_under_their_names(stages: Stages, tmp_path: Path) -> None:
    write_stages(stages, tmp_path / "stages", Outputs())
    classified = json.loads((tmp_path / "stages" / CLASSIFY).read_text())
    assert set(classified["notes"][0]["features"]) == set(classifier("note").names)
    assert all(0 <= n["belief"]["note"] <= 1 for n in classified["notes"])
    candidates = json.loads((tmp_path / "stages" / CANDIDATES).read_text())
    decided = json.loads((tmp_path / "stages" / DECIDE).read_text())
    assert len(candidates["notes"]) >= len(decided["notes"]) >= 4
    assert {n["pitch"] for n in decided["notes"]} >= {57, 62, 64}


def test_stages_are_written_by_the_command(tmp_path: Path) -> None:
    sound = lick()
    audio = write_audio(tmp_path / "lick.wav", np.stack([sound, sound]))
    goal, folder = tmp_path / "p.notcher", tmp_path / "stages"
    assert main(["transcribe", str(audio), "-o", str(goal), "--no-beat", "--lead", "mix", "--stages", str(folder)]) == 0
    notes = json.loads((folder / DECIDE).read_text())["notes"]
    assert len(json.loads(goal.read_text())["notes"]) == len(notes)
    again = ["transcribe", str(audio), "-o", str(tmp_path / "q.notcher"), "--lead", "mix", "--stages", str(audio)]
    assert main(again) == 1
    assert not (tmp_path / "q.notcher").exists(), "looked at before the work begins"


def test_what_is_no_stage_is_said(stages: Stages, tmp_path: Path) -> None:
    with pytest.raises(FileFormatError, match="does not hold the stages"):
        read_stages_of(tmp_path)
    write_stages(stages, tmp_path / "s", Outputs())
    (tmp_path / "s" / CANDIDATES).write_text('{"lead": 5}')
    with pytest.raises(FileFormatError, match="does not hold the stages"):
        read_stages_of(tmp_path / "s")
    (tmp_path / "t").mkdir()
    (tmp_path / "t" / DECIDE).write_text("mine")
    with pytest.raises(ExistsError, match=DECIDE):
        write_stages(stages, tmp_path / "t", Outputs())
    assert (tmp_path / "t" / DECIDE).read_text() == "mine"
