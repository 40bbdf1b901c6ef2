"""Captions and cues: times at a pace and with an offset, letters in a line, formats as their readers want them."""

import itertools
import re
from pathlib import Path

import pytest

from notcher.cli import main
from notcher.formats.captions import Timing, captions_of, cues, srt, webvtt
from notcher.formats.line import DIALECTS, read_line
from notcher.score.errors import ScoreError
from notcher.score.project import Project
from tests.conftest import ROOT

# WebVTT (W3C Candidate Recommendation 2019, section 4): a header, then cues "start --> end" with three decimals.
_VTT = re.compile(r"(\d\d:\d\d:\d\d\.\d{3}) --> (\d\d:\d\d:\d\d\.\d{3})")


def _seconds(text: str) -> float:
    hours, minutes, seconds = text.replace(",", ".").split(":")
    return 3600 * int(hours) + 60 * int(minutes) + float(seconds)


@pytest.mark.parametrize("dialect", range(len(DIALECTS)))
def test_captions_follow_one_another_and_fit_a_line(demo: Project, dialect: int) -> None:
    found = captions_of(demo, demo.notes, Timing(), dialect=dialect)
    assert found[0].start == pytest.approx(demo.notes[0].onset)
    assert all(a.end <= b.start + 1e-9 and a.end > a.start for a, b in itertools.pairwise(found))
    assert all(len(c.words) <= 42 or ", " not in c.words for c in found)


@pytest.mark.parametrize("pace", [25.0, 50.0, 75.0, 100.0, 110.0])
def test_every_caption_can_be_read(demo: Project, pace: float) -> None:
    """At least 1.2 seconds and at most 17 letters a second (common practice in subtitling, no source), at any pace."""
    found = captions_of(demo, demo.notes, Timing(pace=pace))
    for c in found:
        assert c.end - c.start >= 1.2 - 1e-9, c
        assert len(c.words) / (c.end - c.start) <= 17.0 + 1e-9, c
    assert all(a.end <= b.start + 1e-9 for a, b in itertools.pairwise(found))
    named = {p.name for p in demo.phrases}
    for c in found:
        assert c.words in named or c.words.endswith("…") or _frets(c.words, demo, c.start * pace / 100), c


def _frets(words: str, demo: Project, at: float) -> bool:
    """Whether a caption has the frets of the notes from a time on, as words or as numbers by string."""
    wanted = [str(n.fret) for n in demo.notes if n.onset > at - 0.01]
    try:
        found = [str(n.fret) for n in read_line(words)]
    except ScoreError:
        found = re.findall(r"\d+", words)
    return found == wanted[: len(found)]


def test_where_there_is_time_all_is_said(demo: Project) -> None:
    found = captions_of(demo, demo.notes, Timing(pace=25.0))
    whole = [c for c in found if len(c.words.split(",")[0].split()) > 2 or "bend" in c.words]
    assert len(whole) > len(found) / 3


def test_pace_and_offset_move_them(demo: Project) -> None:
    plain = captions_of(demo, demo.notes, Timing(pace=50.0))
    moved = captions_of(demo, demo.notes, Timing(pace=50.0, offset=2.5))
    assert [c.start for c in moved] == pytest.approx([c.start + 2.5 for c in plain], abs=1e-6)
    before = captions_of(demo, demo.notes, Timing(offset=-20.0))
    assert 0 < len(before) < len(plain)
    assert before[0].start >= 0


def test_both_formats_hold_the_same(demo: Project) -> None:
    found = captions_of(demo, demo.notes, Timing())
    text = webvtt(found)
    assert text.startswith("WEBVTT\n\n")
    times = [(_seconds(a), _seconds(b)) for a, b in _VTT.findall(text)]
    assert times == [pytest.approx((c.start, c.end), abs=6e-4) for c in found]
    blocks = srt(found).strip().split("\n\n")
    assert [b.splitlines()[0] for b in blocks] == [str(k) for k in range(1, len(found) + 1)]
    assert "," in blocks[0].splitlines()[1]
    assert [b.splitlines()[2] for b in blocks] == [c.words for c in found]


def test_cues_name_phrases_and_times(demo: Project) -> None:
    lines = cues(demo, demo.notes, Timing()).splitlines()
    assert lines[0] == demo.phrases[0].name
    assert all(p.name in lines for p in demo.phrases)


def test_from_the_command_line_at_a_pace(tmp_path: Path) -> None:
    project = str(ROOT / "src/notcher/data/demo/pellan-quay-demo.notcher")
    out = tmp_path / "tide.srt"
    asked = ["--phrase", "Slow tide", "--pace", "50", "--offset", "3", "--dialect", "2"]
    assert main(["export", project, str(out), "--as", "captions", *asked]) == 0
    first = _seconds(out.read_text().splitlines()[1].split(" --> ")[0])
    assert 3.0 <= first < 3.5
    assert main(["export", project, str(tmp_path / "cues.txt"), "--as", "cues"]) == 0
    with pytest.raises(SystemExit, match="2"):
        main(["export", project, str(out), "--dialect", "9"])
