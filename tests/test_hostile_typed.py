"""What somebody types or leaves damaged on disk is taken or refused in a sentence: numbers beyond all measure, damaged
xz in a zipped score, a damaged index, line breaks where one line is meant, a clock that was set back."""

import contextlib
import datetime
import io
import lzma
import os
import sqlite3
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from icalendar import Calendar

from notcher.collect.index import CollectError, Index
from notcher.collect.query import Query, read_query
from notcher.document.folders import journals, recovery_folder
from notcher.document.recovery import left_behind
from notcher.document.store import Document
from notcher.formats import project_file
from notcher.formats.calendar import calendar
from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.tree import score_tree
from notcher.formats.line import read_line
from notcher.formats.practice import Wanted, write_practice
from notcher.harmony.entry import Stretch, entered
from notcher.harmony.moving import moved
from notcher.harmony.symbols import parse_chord
from notcher.score.errors import NotcherError
from notcher.score.project import Project
from notcher.score.tuning import parse_tuning
from notcher.teach.calendar import spread
from notcher.teach.course import planned
from notcher.teach.pace import read_pace
from notcher.teach.plan import read_plan, seconds_of

LONG = ("9" * 10, "9" * 300, "9" * 5000, "1." + "9" * 300, "0" * 5000, "٣" * 300, "+" + "9" * 300)
LINES = (
    "bars {n}", "bars {n}-{n}", "bars 1-{n}", "pause {n}", "pause {n} min", "loop {n}:{n}-{n}:{n}", "loop 0:01-0:{n}",
    "all, {n} %", "all, 50 % up to {n} % by {n} %", "all, {n} rounds", "all, x{n}", "all, {n} clean", "all, breath {n}",
    "{n}", "so far {n}", "version {n}",
)  # fmt: skip


@pytest.mark.parametrize("number", LONG, ids=range(len(LONG)))
@pytest.mark.parametrize("line", LINES)
def test_numbers_beyond_all_measure_in_a_lesson(project: Project, line: str, number: str) -> None:
    with contextlib.suppress(NotcherError):
        steps = read_plan([line.format(n=number)])
        for _, step in steps:
            seconds_of(project, step)
        planned(project, steps)


@pytest.mark.parametrize("number", LONG, ids=range(len(LONG)))
def test_numbers_beyond_all_measure_elsewhere(project: Project, number: str) -> None:
    at = Stretch(0.0, 2.0, None)
    notes = project.notes_between(0.0, 3.0)
    tries: list[Callable[[], object]] = [
        *(lambda t=t: entered(project, at, t) for t in (f"as bars {number}", f"as bars 1-{number}", f"C{number}",
                                                        number)),
        *(lambda t=t: moved(project, notes, t) for t in (f"+{number}", f"{number} frets down", f"{number} steps up",
                                                         number, f"key {number}", f"C{number}")),
        lambda: parse_chord(f"C{number}"), lambda: parse_tuning(f"E{number},B3,G3,D3,A2,E2"),
        lambda: parse_tuning(number), lambda: read_query(f"faster than {number}"), lambda: read_query(number),
        lambda: read_pace(f"{number} %", bpm=90.0, now=50.0), lambda: read_pace(f"{number} bpm", bpm=90.0, now=50.0),
        lambda: read_line(f"G{number}"), lambda: read_line(f"9 on the G bend over {number}s"),
        lambda: read_line(f"9 on the G sounding {number}%"), lambda: read_line(f"G9 rake from {number}"),
    ]  # fmt: skip
    for attempt in tries:
        with contextlib.suppress(NotcherError):
            attempt()


def zipped(method: int, score: bytes = b"<score-partwise/>") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as file:
        file.writestr(
            "META-INF/container.xml", '<container><rootfiles><rootfile full-path="s.xml"/></rootfiles></container>'
        )
        file.writestr("s.xml", score * 200)
    return out.getvalue()


@pytest.mark.parametrize("method", [zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
def test_a_zipped_score_damaged_anywhere_is_one_sentence(method: int) -> None:
    """Every byte, one at a time: each coding that a zip may have."""
    whole = zipped(method)
    for k in range(len(whole)):
        damaged = bytearray(whole)
        damaged[k] ^= 0xFF
        with contextlib.suppress(FileFormatError):
            score_tree(bytes(damaged))


def test_what_xz_says_of_damage_is_known() -> None:
    """The error that was not caught, so that the test above cannot pass by chance."""
    with pytest.raises(lzma.LZMAError, match="Corrupt input data"):
        lzma.decompress(b"\xfd7zXZ\x00" + bytes(20))


def test_a_damaged_index_is_said_and_made_anew(project: Project, tmp_path: Path) -> None:
    folder = tmp_path / "songs"
    folder.mkdir()
    project_file.save(project, folder / "a.notcher")
    path = tmp_path / "phrases.sqlite"
    index = Index(path)
    index.refresh(folder)
    for damage in ("UPDATE phrases SET lengths = 'no'", "UPDATE phrases SET intervals = '{'",
                   "UPDATE phrases SET speed = 'x', techniques = '3'", "DROP TABLE grams"):  # fmt: skip
        with sqlite3.connect(path) as db:
            db.execute(damage)
        db.close()
        for query in (read_query(""), Query()):
            with contextlib.suppress(CollectError):
                index.search(folder, query)
        index.rebuild()
        assert index.refresh(folder).phrases == 2
    whole = path.read_bytes()
    for k in range(100, len(whole), 997):
        path.write_bytes(whole[:k] + bytes(40) + whole[k + 40 :])
        attempts: tuple[Callable[[], object], ...] = (
            lambda: index.search(folder, read_query("bend")), lambda: index.refresh(folder),
        )  # fmt: skip
        for attempt in attempts:
            with contextlib.suppress(CollectError):
                attempt()
        path.write_bytes(whole)


def test_line_breaks_in_words_go_nowhere_they_must_not(project: Project, tmp_path: Path) -> None:
    wild = replace(
        project, request=replace(project.request, title="Low\r\nBEGIN:VEVENT\nTide\x00", rights="a\nb\x00"),
        phrases=(replace(project.phrases[0], name="First\nEND:VCALENDAR"), *project.phrases[1:]),
    )  # fmt: skip
    for lines in (("all",), ()):
        wild = replace(wild, lesson=replace(wild.lesson, lines=lines))
        days = spread(wild, today=datetime.date(2026, 12, 1))
        data = calendar(wild, days, now=datetime.datetime(2026, 12, 1, tzinfo=datetime.UTC))
        found = Calendar.from_ical(data)
        assert len(found.walk("VEVENT")) == len(days.days)
    rows = write_practice(wild, None, tmp_path / "out", wild.phrases[:1], Wanted((100,), "written", 1))
    assert [r["file"] for r in rows] == ["01-first-end-vcalendar-100.flac"]


def test_the_newest_session_comes_first_after_the_clock_went_back(project: Project, tmp_path: Path) -> None:
    path = tmp_path / "p.notcher"
    project_file.save(project, path)
    for k in range(3):
        document = Document(project, path)
        tuned = replace(project, offset_cents=float(k + 1))
        document.edit(lambda _, tuned=tuned: tuned, label="tune")  # type: ignore[misc]
        document.close(discard=False)
        newest = max(recovery_folder().glob("*.jsonl"), key=lambda p: p.stat().st_ctime_ns)
        os.utime(newest, (1e9 - k * 1e6, 1e9 - k * 1e6))
    assert [left.recovered.project.offset_cents for left in left_behind()] == [3.0, 2.0, 1.0]
    old = journals(path)[0].with_name(journals(path)[0].name.split("-")[0] + "-0123456789ab.jsonl")
    old.write_bytes(journals(path)[0].read_bytes())
    assert journals(path)[-1] == old, "one of an older Notcher, which did not count"
