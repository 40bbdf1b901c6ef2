"""What is written: whole or not at all, where it was meant to be, and never over what it was made from."""

import os
from pathlib import Path

import numpy as np
import pytest
import soundfile

from notcher.audio import RATE
from notcher.formats.atomic import write_bytes
from notcher.formats.errors import ExistsError, FileFormatError
from notcher.formats.outputs import FRESH, Outputs
from notcher.formats.sound import write_sound
from notcher.stopping import CancelledError, stoppable
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
    with pytest.raises(FileFormatError, match="there is no folder"):
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
    for replace in (False, True):
        outputs = Outputs((made_from,), replace=replace)
        with pytest.raises(FileFormatError, match="what this is made from"):
            outputs.check(other)
        with pytest.raises(FileFormatError, match="what this is made from"), outputs.folder(tmp_path) as fresh:
            (fresh / other.name).write_bytes(b"lost")
    assert made_from.read_bytes() == b"sound"


def test_a_file_that_is_there_stays_unless_it_may_go(tmp_path: Path) -> None:
    path = tmp_path / "a.txt"
    path.write_bytes(b"mine")
    with pytest.raises(ExistsError, match=r"a\.txt' is already there.*--replace"):
        FRESH.write(path, b"x")
    assert path.read_bytes() == b"mine"
    Outputs(confirmed=frozenset([path])).write(path, b"confirmed")
    assert path.read_bytes() == b"confirmed"
    Outputs(replace=True).write(path, b"replaced")
    assert path.read_bytes() == b"replaced"


@pytest.mark.parametrize("links", [True, False])
def test_a_file_that_comes_meanwhile_stays(tmp_path: Path, links: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    if not links:

        def refused(*_: object) -> None:
            raise OSError("this disk knows no links")

        monkeypatch.setattr(os, "link", refused)
    path = tmp_path / "a.txt"
    with FRESH.file(tmp_path / "b.txt") as partial:
        partial.write_bytes(b"b")

    def while_somebody_writes_it() -> None:
        with FRESH.file(path) as partial:
            partial.write_bytes(b"x")
            path.write_bytes(b"mine")

    with pytest.raises(ExistsError, match="already there"):
        while_somebody_writes_it()
    assert path.read_bytes() == b"mine"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.txt", "b.txt"]


def written(outputs: Outputs, folder: Path, files: dict[str, bytes]) -> None:
    with outputs.folder(folder, files) as fresh:
        for name, data in files.items():
            (fresh / name).parent.mkdir(exist_ok=True)
            (fresh / name).write_bytes(data)


def test_a_folders_files_are_written_anew_where_they_are_ones_own(tmp_path: Path) -> None:
    outputs, folder = Outputs(source="p"), tmp_path / "deep" / "out"
    written(outputs, folder, {"a": b"1", "sub/b": b"1"})
    written(outputs, folder, {"a": b"2", "sub/b": b"2"})
    assert (folder / "sub/b").read_bytes() == b"2"
    (folder / "sub/b").write_bytes(b"changed by hand")
    with pytest.raises(ExistsError, match="sub/b"):
        written(outputs, folder, {"a": b"3", "sub/b": b"3"})
    assert (folder / "a").read_bytes() == b"2", "nothing is touched"
    with pytest.raises(ExistsError, match="another project"):
        written(Outputs(source="q"), folder, {"a": b"3"})
    written(Outputs(source="q", replace=True), folder, {"a": b"3", "sub/b": b"3"})
    assert (folder / "sub/b").read_bytes() == b"3"
    (folder / "mine").write_bytes(b"mine")
    with pytest.raises(ExistsError, match="mine"):
        written(outputs, folder, {"mine": b"x"})
    assert sorted(str(p.relative_to(folder)) for p in folder.rglob("*")) == ["a", "mine", "sub", "sub/b"]


def test_a_copied_folder_is_nobodys(tmp_path: Path) -> None:
    outputs = Outputs(source="p")
    written(outputs, tmp_path / "out", {"a": b"1"})
    (tmp_path / "out").rename(tmp_path / "moved")
    with pytest.raises(ExistsError, match="already there"):
        written(outputs, tmp_path / "moved", {"a": b"2"})


def test_a_folder_that_fails_or_is_stopped_is_as_it_was(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    outputs, folder = Outputs(source="p"), tmp_path / "out"
    written(outputs, folder, {"a": b"1", "b": b"1", "c": b"1"})
    with pytest.raises(CancelledError, match="^$"), stoppable(lambda: True):
        written(outputs, folder, {"a": b"2"})

    def failing() -> None:
        with outputs.folder(folder) as fresh:
            (fresh / "a").write_bytes(b"2")
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError, match="^$"):
        failing()
    from notcher.formats import outputs as module
    from notcher.formats.atomic import put

    calls: list[Path] = []

    def full(partial: Path, goal: Path, *, over: bool) -> None:
        calls.append(goal)
        if len(calls) == 3:
            raise OSError(28, "No space left on device")
        put(partial, goal, over=over)

    monkeypatch.setattr(module, "put", full)
    with pytest.raises(FileFormatError, match="No space left"):
        written(outputs, folder, {"a": b"2", "b": b"2", "c": b"2", "d": b"2"})
    assert {p.name: p.read_bytes() for p in folder.iterdir()} == {"a": b"1", "b": b"1", "c": b"1"}
    assert [p.name for p in tmp_path.iterdir()] == ["out"]


def test_what_was_written_can_no_longer_be_read(tmp_path: Path) -> None:
    """A damaged record vouches for nothing."""
    from notcher.formats import placed

    written(Outputs(), tmp_path / "out", {"a": b"1"})
    for damaged in ("", "[]", '{"files": 3}', '{"files": {"a": 3}}', '{"files": {"a": {"sha256": 1}}}', "[" * 9999):
        placed._path(tmp_path / "out").write_text(damaged)
        with pytest.raises(ExistsError, match="already there"):
            written(Outputs(), tmp_path / "out", {"a": b"2"})
