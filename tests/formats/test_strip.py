"""Strips for a video: their size, their ground, how high their figures are, and what they hold."""

import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from defusedxml.ElementTree import fromstring
from numpy.typing import NDArray
from PIL import Image

from notcher.cli import main
from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.formats.sheet.look import Look
from notcher.formats.sheet.shapes import Line
from notcher.formats.sheet.systems import Frame, systems
from notcher.formats.strip import Each, Strips, fitting, pictures, png_bytes, svg_bytes, write_strips
from notcher.score.note import BendKind
from notcher.score.project import Phrase, Project
from tests.conftest import note


def pixels(data: bytes) -> NDArray[np.uint8]:
    image = Image.open(io.BytesIO(data))
    assert image.mode == "RGBA"
    return np.asarray(image)


def png(project: Project, look: Strips) -> NDArray[np.uint8]:
    return pixels(png_bytes(pictures(project, project.notes, look)[0], look))


def test_the_ground_is_transparent_and_the_ink_is_one(project: Project) -> None:
    for dark, ink in ((False, 0), (True, 255)):
        found = png(project, Strips(dark=dark))
        assert found.shape[1] == 1920
        alpha = found[:, :, 3]
        assert alpha[0, 0] == 0
        assert 0.8 < float(np.mean(alpha == 0)) < 1.0
        assert alpha.max() == 255
        assert set(np.unique(found[:, :, :3][alpha > 0])) == {ink}


@pytest.mark.parametrize(("width", "numbers"), [(1920, 40), (1920, 64), (1280, 24), (3840, 80)])
def test_figures_are_as_high_as_is_said(project: Project, width: int, numbers: int) -> None:
    """A 7 on the third string, then on the fifth: the pictures differ in the rows that the figures take alone."""
    shown = []
    for string in (3, 5):
        one = replace(project, tempo=None, phrases=()).with_notes([note(1, 1.0, string, 7, length=0.01)])
        found = png(one, Strips(width=width, numbers=numbers, chords=False))
        assert found.shape[1] == width
        shown.append(found[:, :, 3].astype(int))
    rows = np.flatnonzero((np.abs(shown[0] - shown[1]) > 128).any(axis=1))
    upper, lower = np.split(rows, np.flatnonzero(np.diff(rows) > 5) + 1)
    assert abs(len(upper) - numbers) <= 2
    assert abs(len(lower) - numbers) <= 2


def test_a_strip_as_svg_has_its_words_as_text_and_no_ground(project: Project) -> None:
    look = Strips(dark=True)
    root = fromstring(svg_bytes(pictures(project, project.notes, replace(look, each=Each.PHRASE))[0], look, "Low Tide"))
    assert root.get("width") == "1920"
    words = [t.text for t in root.iter("{http://www.w3.org/2000/svg}text")]
    for note_ in project.notes:
        label = f"({note_.fret})" if note_.bend and note_.bend.kind is BendKind.PRE_BEND_RELEASE else str(note_.fret)
        assert label in words or f"‹{note_.fret}›" in words
    assert not list(root.iter("{http://www.w3.org/2000/svg}rect"))
    fills = {e.get("fill") for e in root.iter() if e.get("fill") not in (None, "none")}
    assert fills == {"#ffffff"}


def test_each_bar_and_each_line_has_a_file_of_its_own(demo: Project, tmp_path: Path) -> None:
    phrase = [demo.phrases[0]]
    bars = write_strips(demo, tmp_path / "bar.png", phrase, Strips(each=Each.BAR))
    lines = write_strips(demo, tmp_path / "line.svg", phrase, Strips(each=Each.LINE, numbers=60))
    assert [p.name for p in bars] == ["bar-02.png"]
    assert [p.name for p in lines] == [f"line-{k:02d}.svg" for k in range(1, len(lines) + 1)]
    assert len(lines) > 1
    with pytest.raises(FileFormatError, match="no beat"):
        write_strips(replace(demo, tempo=None), tmp_path / "x.png", phrase, Strips(each=Each.BAR))


@pytest.mark.parametrize("staff", [False, True])
def test_a_line_fits_beside_a_videos_picture(demo: Project, tmp_path: Path, staff: bool) -> None:
    """At most 1920 x 600 with figures of 32 pixels or more (24 under a staff), as many as the phrase needs; one line
    keeps its name."""
    counts = set()
    for k, phrase in enumerate(demo.phrases[::3]):
        written = write_strips(demo, tmp_path / f"{k}.png", [phrase], Strips(staff=staff))
        counts.add(len(written))
        for path in written:
            with Image.open(path) as image:
                width, height = image.size
            assert width == 1920
            assert height <= 600
        expected = [f"{k}.png"] if len(written) == 1 else [f"{k}-{n:02d}.png" for n in range(1, len(written) + 1)]
        assert [p.name for p in written] == expected
        notes = demo.notes_between(phrase.start, phrase.end)
        assert fitting(demo, notes, Strips(staff=staff)).figures >= (24 if staff else 32)
    assert len(counts) > 1, "some phrases take one line, some several"


def test_all_lines_in_one_picture_is_the_file_that_is_named(demo: Project, tmp_path: Path) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(demo, path)
    out = tmp_path / "all.png"
    assert main(["strip", str(path), str(out), "--each", "phrase"]) == 0
    assert [p.name for p in tmp_path.glob("*.png")] == ["all.png"]
    assert main(["strip", str(path), str(tmp_path / "l.png"), "--each", "system"]) == 0, "as lines were called before"
    assert (tmp_path / "l-01.png").exists()


def test_staff_neck_and_chords_are_at_choice(demo: Project) -> None:
    notes = demo.notes[:6]
    heights = [
        pictures(demo, notes, look)[0].height
        for look in (Strips(chords=False), Strips(), Strips(neck=True), Strips(staff=True, neck=True))
    ]
    assert heights == sorted(set(heights))


def test_what_cannot_be_is_refused(demo: Project) -> None:
    with pytest.raises(FileFormatError, match="do not fit"):
        Strips(width=300, numbers=200)
    with pytest.raises(FileFormatError, match="pixels"):
        Strips(width=10)
    tall = Strips(width=1000, numbers=60, staff=True, each=Each.PHRASE)
    with pytest.raises(FileFormatError, match="choose one phrase"):
        png_bytes(pictures(demo, demo.notes, tall)[0], tall)


def test_the_command_writes_a_strip(demo: Project, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(demo, path)
    out = tmp_path / "strip.png"
    name = demo.phrases[1].name
    assert main(["strip", str(path), str(out), "--phrase", name, "--width", "1280", "--numbers", "30", "--dark"]) == 0
    with Image.open(out) as image:
        assert image.size[0] == 1280
    assert str(out) in capsys.readouterr().out
    assert main(["strip", str(path), str(tmp_path / "strip.jpg")]) == 1
    assert main(["strip", str(path), str(path)]) == 1
    assert main(["strip", str(path), str(out), "--phrase", "nothing"]) == 1


def test_only_the_solos_end_has_a_final_bar_line(demo: Project) -> None:
    """The thick line after the last bar stands where the solo ends, not where a phrase from its middle does."""

    def thick(phrase: Phrase) -> int:
        notes = demo.notes_between(phrase.start, phrase.end)
        shapes = [s for system in systems(demo, notes, Look(), Frame(500.0)) for s in system.shapes]
        return sum(isinstance(s, Line) and s.x1 == s.x2 and s.width > 1.5 for s in shapes)

    assert thick(demo.phrases[-1]) == 1
    assert thick(demo.phrases[1]) == 0
