"""What is written: whole or not at all, where it was meant to be, and never over what it was made from."""

import os
from pathlib import Path

import numpy as np
import pytest
import soundfile

from notcher.audio import RATE
from notcher.formats.atomic import check_output, write_bytes
from notcher.formats.errors import FileFormatError
from notcher.formats.sound import write_sound
from tests.conftest import tone

SOUND = np.tile(tone(440, 0.3), (2, 1))


@pytest.mark.parametrize(
    ("ending", "container", "close"), [("wav", "WAV", 1e-4), ("flac", "FLAC", 1e-4), ("ogg", "OGG", 0.1)]
)
def test_the_ending_decides_what_is_written(tmp_path: Path, ending: str, container: str, close: float) -> None:
    path = tmp_path / f"out.{ending}"
    write_sound(path, SOUND)
    assert soundfile.info(str(path)).format == container
    samples, rate = soundfile.read(str(path))
    assert rate == RATE
    assert np.allclose(samples.T, SOUND, atol=close)


def test_a_long_sound_is_written_as_ogg(tmp_path: Path) -> None:
    """Written at once, the encoder would take the process down."""
    write_sound(tmp_path / "long.ogg", np.zeros((2, 200 * RATE), np.float32))
    assert soundfile.info(str(tmp_path / "long.ogg")).duration == pytest.approx(200, abs=0.1)


def test_writing_leaves_a_whole_file_or_none(tmp_path: Path) -> None:
    with pytest.raises(FileFormatError, match="could not be written"):
        write_sound(tmp_path / "no" / "out.wav", SOUND)
    with pytest.raises(FileFormatError, match=r"must end in \.wav"):
        write_sound(tmp_path / "out.mp3", SOUND)
    assert list(tmp_path.iterdir()) == []


def test_files_of_a_likely_name_are_left_alone(tmp_path: Path) -> None:
    """A temporary file whose name can be foreseen could be somebody's, or a trap that leads elsewhere."""
    for name in (".out.part.wav", "out.part.wav", ".out.wav", "out.wav.tmp"):
        (tmp_path / name).write_text("mine")
    elsewhere = tmp_path / "elsewhere"
    elsewhere.write_text("mine too")
    (tmp_path / ".out.wav.part").symlink_to(elsewhere)
    write_sound(tmp_path / "out.wav", SOUND)
    assert elsewhere.read_text() == "mine too"
    assert sorted(p.name for p in tmp_path.iterdir() if p.is_file() and p.read_bytes()[:4] == b"mine") == [
        ".out.part.wav", ".out.wav", ".out.wav.part", "elsewhere", "out.part.wav", "out.wav.tmp",
    ]  # fmt: skip


def test_a_link_stays_a_link(tmp_path: Path) -> None:
    (tmp_path / "deep").mkdir()
    goal = tmp_path / "deep" / "goal.pdf"
    goal.write_bytes(b"old")
    link = tmp_path / "link.pdf"
    link.symlink_to(goal)
    write_bytes(link, b"new")
    assert link.is_symlink()
    assert goal.read_bytes() == b"new"
    hanging = tmp_path / "hanging.pdf"
    hanging.symlink_to(tmp_path / "deep" / "later.pdf")
    write_bytes(hanging, b"new")
    assert (tmp_path / "deep" / "later.pdf").read_bytes() == b"new"


def test_a_circle_of_links_is_one_sentence(tmp_path: Path) -> None:
    (tmp_path / "a").symlink_to(tmp_path / "b")
    (tmp_path / "b").symlink_to(tmp_path / "a")
    with pytest.raises(FileFormatError, match="could not be written"):
        write_bytes(tmp_path / "a", b"x")


def test_rights_of_a_file_stay(tmp_path: Path) -> None:
    path = tmp_path / "a"
    path.write_bytes(b"x")
    path.chmod(0o640)
    write_bytes(path, b"y")
    assert path.stat().st_mode & 0o777 == 0o640


def test_a_very_long_name_can_be_written(tmp_path: Path) -> None:
    """255 bytes are a name's limit on Linux; a temporary name must not be longer than the name itself."""
    path = tmp_path / ("n" * 251 + ".pdf")
    write_bytes(path, b"x")
    assert path.read_bytes() == b"x"


def test_what_is_no_file_is_not_replaced(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe")
    for place in (tmp_path / "pipe", Path("/dev/null"), tmp_path):
        with pytest.raises(FileFormatError, match=r"no file that could be replaced|could not be written"):
            write_bytes(place, b"x")
    assert Path("/dev/null").is_char_device()


@pytest.mark.parametrize("way", ["itself", "link", "hard link", "other spelling"])
def test_an_output_is_never_an_input(tmp_path: Path, way: str) -> None:
    made_from = tmp_path / "in.wav"
    made_from.write_bytes(b"sound")
    other = tmp_path / "other.wav"
    match way:
        case "itself":
            other = made_from
        case "link":
            other.symlink_to(made_from)
        case "hard link":
            other.hardlink_to(made_from)
        case _:
            other = tmp_path / ".." / tmp_path.name / "in.wav"
    with pytest.raises(FileFormatError, match="what this is made from"):
        check_output(other, inputs=[made_from])
