"""Phrases of many projects: found by words, techniques, scale, chord and speed, and by how they go, in any key."""

import sqlite3
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import pytest
from benchmarks.figures import drawn

from notcher.collect.copied import copied
from notcher.collect.described import described
from notcher.collect.index import CollectError, Index, likeness
from notcher.collect.query import Query, read_query
from notcher.formats import project_file
from notcher.harmony.entry import bar_stretch, entered
from notcher.harmony.moving import moved
from notcher.score.chords import set_key
from notcher.score.errors import ScoreError
from notcher.score.key import Key
from notcher.score.project import Phrase, Project
from notcher.score.technique import ATTACKS, BENDS, MARKS
from notcher.score.tuning import parse_tuning
from notcher.score.versions import add_version, notes_of, phrase_of
from notcher.stopping import CancelledError, stoppable
from tests.conftest import small_project


def song(title: str, seed: int | None = None) -> Project:
    """The small project, or one drawn by chance, under a title."""
    made = small_project()
    if seed is not None:
        line = drawn(seed, None)
        end = line.notes[-1].end + 0.5
        made = replace(
            line.project,
            phrases=(Phrase("p1", f"Line {seed}", 0.5, end),),
            recording=replace(made.recording, duration=end),
        )
    return replace(made, request=replace(made.request, title=title), contour=None)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """Two songs: one in A minor over Am, one as it is."""
    here = tmp_path / "songs"
    (here / "older").mkdir(parents=True)
    harmonic = set_key(song("Low Tide"), Key.of(9, "minor"))
    project_file.save(entered(harmonic, bar_stretch(harmonic, 1), "Am"), here / "low.notcher")
    project_file.save(song("Salt Rain", 11), here / "older" / "salt.notcher")
    return here


@pytest.fixture
def index(tmp_path: Path, folder: Path) -> Index:
    made = Index(tmp_path / "data" / "phrases.sqlite")
    made.refresh(folder)
    return made


def names(index: Index, folder: Path, text: str) -> list[str]:
    return [h.name for h in index.search(folder, read_query(text))]


def test_what_is_asked_for_is_found(index: Index, folder: Path) -> None:
    assert names(index, folder, "low tide") == ["First", "Second"]
    assert names(index, folder, "salt") == ["Line 11"]
    assert names(index, folder, "tapping") == ["Second"]
    assert names(index, folder, "pre-bend and release") == ["Second"]
    assert names(index, folder, "vibrato over Am") == ["First"]
    assert names(index, folder, "over A") == [], "Am is not A"
    assert names(index, folder, "natural harmonic tide") == ["Second"]
    assert names(index, folder, "faster than 500") == []
    assert set(names(index, folder, "slower than 3")) <= {"First", "Second", "Line 11"}
    assert names(index, folder, "") == []
    assert names(index, folder, "100% _") == []
    with pytest.raises(ScoreError, match="no chord symbol"):
        read_query("over Qx")


@pytest.mark.parametrize("words", [row.words for rows in (ATTACKS, BENDS, MARKS) for row in rows])
def test_every_technique_of_the_table_is_understood(words: str) -> None:
    assert read_query(words) == Query(techniques=(words,))


def test_what_the_window_shows_can_be_typed() -> None:
    assert read_query("F♯ minor pentatonic") == Query(scale="minor pentatonic", tonic="F#")
    assert read_query("palm").techniques == ("palm mute",)
    assert read_query("harmonic").techniques == ("harmonic",), "natural and pinched"
    assert read_query("prebend").techniques == read_query("pre-bend").techniques == ("pre-bend",)


def test_words_of_a_line_are_read() -> None:
    assert read_query("Bends in dorian over Bm7 faster than 8,5 harbour") == Query(
        ("harbour",), ("bend",), "dorian", "Bm7", 8.5, None
    )
    assert read_query("half-whole diminished < 4").scale == "half-whole diminished"


def test_only_what_changed_is_read_again(index: Index, folder: Path) -> None:
    assert index.refresh(folder).read == 0
    project_file.save(song("Grey Sea"), folder / "grey.notcher")
    (folder / "older" / "salt.notcher").unlink()
    found = index.refresh(folder)
    assert (found.files, found.read) == (2, 1)
    assert names(index, folder, "salt") == []
    assert names(index, folder, "grey") == ["First", "Second"]
    # A folder further in is looked through alone.
    assert index.search(folder / "older", read_query("grey")) == []


def test_what_cannot_be_read_is_named_and_stops_nothing(index: Index, folder: Path) -> None:
    (folder / "broken.notcher").write_text("{")
    found = index.refresh(folder)
    assert [Path(p).name for p, _ in found.problems] == ["broken.notcher"]
    assert "JSON is broken" in found.problems[0][1]
    assert names(index, folder, "low tide") == ["First", "Second"]
    with pytest.raises(CollectError, match="no folder"):
        index.refresh(folder / "nowhere")


def test_a_damaged_index_is_made_anew_and_can_be_thrown_away(tmp_path: Path, folder: Path) -> None:
    path = tmp_path / "phrases.sqlite"
    path.write_bytes(b"no database at all" * 100)
    index = Index(path)
    assert index.refresh(folder).read == 2
    with sqlite3.connect(path) as db:
        db.execute("PRAGMA user_version = 99")
    db.close()
    assert index.refresh(folder).read == 2, "of another version"
    index.rebuild()
    assert not path.exists()
    assert index.refresh(folder).read == 2


def test_asked_to_stop_it_keeps_what_it_has(tmp_path: Path, folder: Path) -> None:
    index = Index(tmp_path / "phrases.sqlite")
    said: list[tuple[int, int]] = []
    with pytest.raises(CancelledError, match="^$"), stoppable(lambda: bool(said)):
        index.refresh(folder, report=lambda k, n: said.append((k, n)))
    assert said == [(0, 2)]
    assert index.refresh(folder).files == 2


def test_a_transposed_variant_is_the_first_hit_among_others(tmp_path: Path) -> None:
    """Sixty phrases drawn by chance; one of them again, three half steps lower, slower, with one note otherwise."""
    folder = tmp_path / "songs"
    folder.mkdir()
    for seed in range(60):
        project_file.save(song(f"Song {seed}", seed), folder / f"{seed:02}.notcher")
    wanted = song("wanted", 17)
    lower = list(moved(wanted, wanted.notes, "-3").notes)
    lower[4] = replace(lower[4], fret=lower[4].fret + 1)
    slower = [replace(n, onset=1.3 * n.onset, end=1.3 * n.end) for n in lower]
    end = slower[-1].end + 1
    variant = replace(
        song("variant", 17).with_notes(slower), phrases=(Phrase("p1", "The variant", 0.1, end),),
        recording=replace(wanted.recording, duration=end + 1),
    )  # fmt: skip
    (folder / "17.notcher").unlink()
    project_file.save(variant, folder / "variant.notcher")
    index = Index(tmp_path / "phrases.sqlite")
    index.refresh(folder)
    hits = index.search(folder, Query(like=described(wanted, wanted.phrases[0])))
    assert hits[0].name == "The variant"
    assert all(h.likeness < hits[0].likeness for h in hits[1:])


def test_likeness_is_whole_for_the_same_and_none_for_nothing_shared() -> None:
    project = small_project()
    one = described(project, project.phrases[0])
    assert likeness(one, one.intervals, one.lengths) == 1.0
    assert likeness(one, one.intervals, tuple(2 * x for x in one.lengths)) == 1.0
    assert likeness(one, (40, 40, 40), (1.0, 1.0, 1.0)) == 0.0


def test_a_copied_phrase_lies_in_its_new_place() -> None:
    source, into = song("from", 23), small_project()
    phrase = into.phrases[0]
    notes = copied(source, source.phrases[0], into, phrase)
    assert notes[0].onset == into.notes[0].onset
    assert all(phrase.start <= n.onset < phrase.end for n in notes)
    assert [n.pitch(into.tuning) for n in notes] == [n.pitch(source.tuning) for n in source.notes]
    made = add_version(into, phrase.id, "from elsewhere", notes)
    assert len({n.id for n in made.notes}) == len(made.notes)
    assert len(notes_of(made, phrase_of(made, phrase.id))) == len(notes)
    lowered = replace(into, tuning=parse_tuning("d-standard"))
    placed = copied(source, source.phrases[0], lowered, phrase)
    assert [n.pitch(lowered.tuning) for n in placed] == [n.pitch(source.tuning) for n in source.notes]
    with pytest.raises(ScoreError, match="no notes"):
        copied(source.with_notes([]), source.phrases[0], into, phrase)


def test_an_index_that_two_threads_make_at_once_is_whole(tmp_path: Path) -> None:
    """As where a folder is read while something is looked for."""
    for k in range(12):
        index = Index(tmp_path / f"{k}.sqlite")
        with ThreadPoolExecutor(4) as pool:
            jobs = [pool.submit(index.search, tmp_path, Query(words=("x",))) for _ in range(4)]
        assert [job.result() for job in jobs] == [[]] * 4


def test_a_folder_that_two_threads_read_at_once_is_whole(tmp_path: Path, folder: Path) -> None:
    for k in range(4):
        index = Index(tmp_path / "read" / f"{k}.sqlite")
        with ThreadPoolExecutor(3) as pool:
            jobs = [pool.submit(index.refresh, folder) for _ in range(3)]
        found = [job.result() for job in jobs]
        again = index.refresh(folder)
        assert (again.files, again.phrases, again.read) == (found[0].files, again.phrases, 0)
        assert len(index.search(folder, Query(faster=0.0))) == min(again.phrases, 200)
