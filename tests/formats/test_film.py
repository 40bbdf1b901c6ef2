"""Films read back: sound and picture stay within a frame of each other, and what cannot be is refused whole."""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray
from PIL import Image

from notcher.audio import RATE
from notcher.cli import main
from notcher.formats import project_file
from notcher.formats.errors import ExistsError, FileFormatError
from notcher.formats.film.look import Film
from notcher.formats.film.scene import HEAD
from notcher.formats.film.writing import planned, scene_of, sound_of, write_film, write_frames
from notcher.formats.practice import Sounds, Wanted, practice_sound
from notcher.score.project import Phrase, Project
from notcher.score.tempo import TempoMap
from notcher.stopping import CancelledError, stoppable
from tests.conftest import note, small_project

_RED = np.array([int(HEAD[i : i + 2], 16) for i in (1, 3, 5)])
SMALL = Film(width=640, height=360, hear="written", click=False, pace=100)


@pytest.fixture(scope="module")
def plucked() -> Project:
    """Eighths with gaps between them, so that each is heard to begin."""
    notes = [note(k, 2.0 + 0.5 * k, 2, 5 + k % 4, length=0.3) for k in range(8)]
    tempo = TempoMap.steady(120, first_beat=0.0, count=40)
    base = replace(small_project(), phrases=(Phrase("p1", "Bell", 2.0, 6.0),), tempo=tempo)
    return replace(base, recording=replace(base.recording, duration=10.0)).with_notes(notes)


def pictures(path: Path) -> Iterator[tuple[float, NDArray[np.uint8]]]:
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            assert frame.time is not None
            yield frame.time, np.asarray(frame.to_ndarray(format="rgb24"), np.uint8)


def sound(path: Path) -> tuple[NDArray[np.float32], float]:
    """What a player puts out from time 0 on, and the rate."""
    with av.open(str(path)) as container:
        rate = container.streams.audio[0].rate
        pieces: list[NDArray[np.float32]] = []
        begins: float | None = None
        for frame in container.decode(audio=0):
            begins = frame.time if begins is None else begins
            pieces.append(frame.to_ndarray().astype(np.float32).mean(axis=0))
    heard = np.concatenate(pieces)
    late = round((begins or 0.0) * rate)
    return (np.concatenate([np.zeros(late, np.float32), heard]) if late > 0 else heard[-late:]), rate


def head_at(picture: NDArray[np.uint8]) -> float:
    """The column in which most is of the playhead's colour, in the part of the picture where tab is."""
    part = picture[round(0.2 * len(picture)) : round(0.75 * len(picture))].astype(int)
    share = (np.abs(part - _RED).sum(axis=2) < 90).mean(axis=0)
    columns = np.flatnonzero(share > 0.3)
    assert len(columns)
    return float(columns.mean())


def onsets(samples: NDArray[np.float32], rate: float) -> list[float]:
    """Where sound begins after at least a tenth of a second of nearly none."""
    block = round(0.002 * rate)
    level = np.abs(samples[: len(samples) // block * block]).reshape(-1, block).max(axis=1)
    loud = level > 0.05 * level.max()
    quiet_for = 0
    found = []
    for k, now in enumerate(loud):
        if now and quiet_for > 0.05 / 0.002:
            found.append(k * 0.002)
        quiet_for = 0 if now else quiet_for + 1
    return found


@pytest.mark.parametrize("ending", [".webm", ".mp4"])
@pytest.mark.parametrize("pace", [100, 50])
def test_sound_and_picture_are_within_a_frame(plucked: Project, tmp_path: Path, ending: str, pace: int) -> None:
    """The playhead is on a note's number in the frame that is shown as the note is heard to begin."""
    look = replace(SMALL, pace=pace, counted=False)
    path = tmp_path / f"bell{ending}"
    plan = write_film(plucked, None, path, plucked.phrases, look)
    scene = scene_of(plucked, plan, look)
    frames = list(pictures(path))
    assert len(frames) == plan.frames
    assert [t for t, _ in frames] == pytest.approx([k / look.rate for k in range(plan.frames)], abs=0.002)
    heads = [head_at(p) for _, p in frames]
    heard = [0.0, *onsets(*sound(path))]
    heard = heard if heard[1] > 0.05 else heard[1:]
    assert len(heard) == len(plucked.notes)
    for n, begins in zip(plucked.notes, heard, strict=True):
        state = scene.state_at(n.onset)
        goal = scene.playhead(state, n.onset).x
        same_line = [(abs(head - goal), t) for (t, _), head in zip(frames, heads, strict=True)
                     if scene.state_at(2.0 + t * pace / 100).line == state.line]  # fmt: skip
        off, seen = min(same_line)
        assert off < 12
        assert abs(seen - begins) <= 1 / look.rate + 0.004, n


def test_the_count_is_as_long_as_the_practice_sounds(plucked: Project) -> None:
    look = replace(SMALL, counted=True, pace=50)
    plan = planned(plucked, plucked.phrases, look)
    wanted = Wanted((50,), "written", 1, count_in=True)
    _, counted = practice_sound(plucked, plucked.phrases[0], Sounds(plucked, None).of("written"), wanted, 50)
    assert plan.counted == pytest.approx(counted)
    made = sound_of(plucked, None, plan, look)
    assert made.shape[1] / RATE == pytest.approx(plan.seconds, abs=0.01)


def test_a_layer_has_a_transparent_ground(plucked: Project, tmp_path: Path) -> None:
    path = tmp_path / "layer.mov"
    write_film(plucked, None, path, plucked.phrases, replace(SMALL, layer=True, counted=False))
    with av.open(str(path)) as container:
        picture = next(iter(container.decode(video=0))).to_ndarray(format="rgba")
    assert picture[0, 0, 3] == 0
    assert picture[:, :, 3].max() == 255
    with pytest.raises(FileFormatError, match="transparent"):
        write_film(plucked, None, tmp_path / "layer.mp4", plucked.phrases, replace(SMALL, layer=True))


def test_frames_and_their_sound(plucked: Project, tmp_path: Path) -> None:
    folder = tmp_path / "frames"
    short = [replace(plucked.phrases[0], end=3.0)]
    plan = write_frames(plucked, None, folder, short, replace(SMALL, counted=False, rate=25))
    names = sorted(p.name for p in folder.iterdir())
    assert names[-1] == "sound.wav"
    assert len(names) == plan.frames + 1 == 26
    with Image.open(folder / "frame-000001.png") as image:
        assert image.size == (640, 360)
    assert soundfile.info(folder / "sound.wav").duration == pytest.approx(1.0, abs=0.01)
    (folder / "frame-000002.png").write_bytes(b"mine")
    with pytest.raises(ExistsError, match="frame-000002"):
        write_frames(plucked, None, folder, short, replace(SMALL, counted=False, rate=25))
    assert (folder / "frame-000002.png").read_bytes() == b"mine"


def test_a_film_that_is_stopped_leaves_nothing(plucked: Project, tmp_path: Path) -> None:
    path = tmp_path / "bell.webm"
    with pytest.raises(CancelledError, match="^$"), stoppable(lambda: True):
        write_film(plucked, None, path, plucked.phrases, SMALL)
    assert list(tmp_path.iterdir()) == []


def test_what_cannot_be_is_refused(plucked: Project, tmp_path: Path) -> None:
    for wrong in ({"width": 641}, {"height": 100}, {"rate": 29}, {"pace": 5}, {"rounds": 0}):
        with pytest.raises(FileFormatError, match="got (29|100|641|5|0)$"):
            replace(SMALL, **wrong)  # type: ignore[arg-type]
    with pytest.raises(FileFormatError, match=r"\.webm"):
        write_film(plucked, None, tmp_path / "bell.avi", plucked.phrases, SMALL)
    with pytest.raises(FileFormatError, match="hour"):
        planned(plucked, [replace(plucked.phrases[0], end=14.0)], replace(SMALL, rounds=99, pace=25))
    with pytest.raises(FileFormatError, match="no notes"):
        planned(plucked.with_notes([]), (), SMALL)
    with pytest.raises(FileFormatError, match="recording"):
        write_film(plucked, None, tmp_path / "bell.webm", plucked.phrases, replace(SMALL, hear="rest"))
    assert list(tmp_path.iterdir()) == []


def test_the_command_tells_of_a_long_film_first(
    plucked: Project, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(plucked, path)
    monkeypatch.setattr("notcher.cli.handing._LONG_FILM_S", 1)
    out = tmp_path / "bell.mp4"
    words = ["film", str(path), str(out), "--pace", "110", "--width", "320", "--height", "240", "--rate", "24"]
    assert main(words) == 0
    said = capsys.readouterr()
    assert "s of film, some 1 MB" in said.err
    assert str(out) in said.out
    assert len(list(pictures(out))) == planned(plucked, (), Film(pace=110, rate=24)).frames
    assert main(["film", str(path), str(tmp_path / "x.gif")]) == 1
    assert main(["film", str(path), str(path)]) == 1
