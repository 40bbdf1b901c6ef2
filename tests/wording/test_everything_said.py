"""The line, the page, text tab, errors and the command line in the language of tests: no English word is left."""

import ast
import itertools
import re
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from notcher.cli import main
from notcher.formats.describe import read_description
from notcher.formats.export import EXPORTS, render
from notcher.formats.incoming.text_tab import read_text_tab
from notcher.formats.line import Dialect, LineError, completions, read_line, vocabulary, written_line
from notcher.score import edits
from notcher.score.compare import changes_since, name_state, state_named
from notcher.score.errors import NotcherError, ScoreError
from notcher.score.measured import Measured, SecondString
from notcher.score.note import Attack, Bend, BendKind, Mark, written_vibrato
from notcher.score.passage_edit import PassageNote
from notcher.score.project import Project, Section
from notcher.score.technique import ATTACKS, MARKS
from notcher.score.tempo import TempoMap
from notcher.score.tuning import NAMED, parse_tuning
from notcher.teach.simplify import easier
from notcher.wording import render_message, use
from notcher.wording.notes import bend_words, change_line, place_words, section_reference, standing, vibrato_words
from notcher.wording.pseudo import PSEUDO, lengthened
from notcher.wording.reasons import reasons
from tests.conftest import ROOT, note, small_project
from tests.pseudo import names_of, untranslated


@pytest.fixture
def pseudo() -> Iterator[None]:
    use(PSEUDO)
    yield
    use("en")


def everything() -> Project:
    """A note for each mark, attack and kind of bend, fingers, a rake from a string, a share that sounds; a capo."""
    made = []
    kinds = itertools.count(1)
    for mark in Mark:
        made.append(note(next(kinds), 0, 3, 7, marks=frozenset({mark})))
    for attack in Attack:
        from_ = 6 if attack is Attack.RAKE else None
        made.append(note(next(kinds), 0, 2, 5, attack=attack, raked_from=from_, finger=1))
    for kind in BendKind:
        cents = 50 if kind is BendKind.CURL else 200
        made.append(note(next(kinds), 0, 2, 8, bend=Bend(kind, cents, ((0.0, 0.0), (0.2, cents - 9.0)))))
    made.append(note(next(kinds), 0, 1, 3, vibrato=written_vibrato(0.3), sounding=0.5))
    placed = [replace(n, onset=0.5 * k + 0.5, end=0.5 * k + 0.9) for k, n in enumerate(made)]
    base = small_project()
    tuning = replace(NAMED["half-step-down"], capo=2)
    sections = (Section("Sea", 0.5), Section("Sky", 5.0, like="Sea", less_bars=1))
    project = replace(base, tuning=tuning, contour=None, sections=sections, phrases=(
        replace(base.phrases[0], start=0.4, end=9.0), replace(base.phrases[1], start=9.0, end=40.0)))  # fmt: skip
    return replace(
        project, recording=replace(base.recording, duration=60.0), tempo=TempoMap.steady(120, first_beat=0.5, count=110)
    ).with_notes(placed)


def said_things() -> list[PassageNote]:
    """Everything that a line can say."""
    out = [PassageNote(3, 9, attack) for attack in Attack]
    out += [PassageNote(3, 9, marks=frozenset({mark})) for mark in Mark]
    out += [PassageNote(2, 8, bend=(kind, cents)) for kind in BendKind for cents in range(50, 650, 50)]
    out += [
        PassageNote(1, 0, vibrato=True),
        PassageNote(6, 12, finger=0),
        PassageNote(5, 3, finger=4),
        PassageNote(4, 5, Attack.RAKE, raked_from=6),
    ]
    return [
        *out,
        PassageNote(3, 9, sounding=0.5),
        PassageNote(3, 9, bend=(BendKind.BEND, 200), rise=0.8),
        PassageNote(2, 3, together=True),
    ]


DIALECTS = [Dialect(*choice) for choice in itertools.product((False, True), repeat=3)]


@pytest.mark.parametrize("dialect", DIALECTS)
def test_the_line_is_written_and_read_in_the_language(pseudo: None, dialect: Dialect) -> None:
    things = said_things()
    line = written_line(things, dialect)
    # The strings' letters, and s for seconds, are signs.
    assert not untranslated(line), line
    assert read_line(line) == things


@pytest.mark.parametrize("dialect", DIALECTS)
def test_a_line_in_english_is_read_whatever_is_spoken(dialect: Dialect) -> None:
    things = said_things()
    line = written_line(things, dialect)
    use(PSEUDO)
    try:
        assert read_line(line) == things
        assert written_line(read_line(line), dialect) != line
    finally:
        use("en")


def test_words_are_completed_and_guessed_in_the_language(pseudo: None) -> None:
    whole = lengthened("hammer")
    assert whole in completions(f"G9 {whole[:3]}", 6)
    assert completions("G9 ham", 6) == []
    with pytest.raises(LineError, match="x' is not a word of the line") as caught:
        read_line(f"G9 {whole[:-1]}x")
    assert whole in str(caught.value)


def test_a_description_is_read_in_the_language(pseudo: None) -> None:
    words = " ".join(lengthened(w) for w in ("curl", "on", "fret")) + f" 7 {lengthened('doubtful')}"
    found = read_description(words)
    assert (found.kind, found.fret, found.standing) == (BendKind.CURL, 7, "doubtful")
    assert read_description("curl on fret 7 doubtful") == found


def test_no_two_words_of_the_line_are_taken_for_one_another() -> None:
    """In English every group of words means one thing; so does it with another language beside it."""
    terms = vocabulary().terms
    use(PSEUDO)
    try:
        assert len(vocabulary().terms) >= 2 * len(terms) - len(set(terms) & set(vocabulary().terms)) * 1 - 12
    finally:
        use("en")


def page_texts(project: Project) -> list[str]:
    svg = render(project, "svg").decode()
    return re.findall(r"<text[^>]*>([^<]*)</text>", svg)


def test_the_page_says_nothing_in_english(pseudo: None) -> None:
    project = everything()
    texts = page_texts(project)
    assert len(texts) > 80
    wrong = [t for t in texts if untranslated(t, names_of(project))]
    assert not wrong, wrong


def test_what_is_on_the_page_stays_apart_and_on_the_page(pseudo: None) -> None:
    """Each letter lies within the sheet, and no two texts of a line run into one another, with words four tenths
    longer; where they lie is read from the PDF by PDFium."""
    import pypdfium2

    pdf = pypdfium2.PdfDocument(render(everything(), "pdf"))
    for page in pdf:
        text = page.get_textpage()
        width, height = page.get_size()
        boxes = [text.get_charbox(k) for k in range(text.count_chars())]
        assert len(boxes) > 100
        for left, bottom, right, top in boxes:
            assert left >= 0, "beyond the left edge"
            assert right <= width, "beyond the right edge"
            assert bottom >= 0, "beyond the foot"
            assert top <= height, "beyond the head"


def test_no_two_texts_of_the_page_run_into_one_another(pseudo: None) -> None:
    from notcher.formats.sheet.layout import lay_out
    from notcher.formats.sheet.measure import text_width
    from notcher.formats.sheet.shapes import Text

    wrong = []
    project = everything()
    for page in lay_out(project, project.notes):
        rows: dict[float, list[tuple[float, float, str]]] = {}
        for s in page.shapes:
            if isinstance(s, Text):
                width = text_width(s.text, s.size, s.style)
                left = {"start": s.x, "middle": s.x - width / 2, "end": s.x - width}[s.anchor]
                rows.setdefault(round(s.y, 1), []).append((left, left + width, s.text))
        for row in rows.values():
            row.sort()
            wrong += [(a[2], b[2]) for a, b in itertools.pairwise(row) if a[1] > b[0] + 1.0]
    assert not wrong, wrong


def test_text_tab_says_nothing_in_english_and_is_read_back(pseudo: None) -> None:
    project = everything()
    text = render(project, "text").decode()
    staves = re.compile(r"^[A-Ga-g][#♯♭b]?\s*\|")
    # Signs between the strings stay as they are, and before what the legend says of them.
    texts = [*(row.text for row in ATTACKS), *(row.text for row in MARKS)]
    signs = sorted((f"{text} " for text in texts if isinstance(text, str)), key=len, reverse=True)
    wrong = [
        line for line in text.splitlines()
        if not staves.match(line) and untranslated(line, [*names_of(project), *signs])
    ]  # fmt: skip
    assert not wrong, "\n".join(wrong)
    back = read_text_tab(text.encode())
    assert back.tuning is not None
    assert back.tuning.capo == 2
    assert back.tuning.pitches == project.tuning.pitches
    assert len(back.notes) == len(project.notes)


@pytest.mark.parametrize("kind", ["musicxml", "midi", "notes"])
def test_files_for_programs_do_not_change_with_the_language(kind: str) -> None:
    assert kind in {row.name for row in EXPORTS}
    english = render(everything(), kind)
    use(PSEUDO)
    try:
        assert render(everything(), kind) == english
    finally:
        use("en")


def test_what_panels_say_of_every_note(pseudo: None) -> None:
    project = everything()
    for n in project.notes:
        said = [place_words(n, project), standing(n), vibrato_words(n)]
        said += [text for row in bend_words(n, project) for text in row]
        said += reasons(replace(n, evidence=Measured(flux=1.0, base_error_cents=3.0, unison=True)))
        said += reasons(replace(n, evidence=Measured(other=SecondString(0.5, 0.0))))
        wrong = [text for text in said if untranslated(text)]
        assert not wrong, wrong
    assert not untranslated(section_reference(project.sections[1]), ["Sea"])


def test_what_changed_is_said_in_the_language(pseudo: None) -> None:
    project = everything()
    kept = name_state(project, "First", made="2027-03-14")
    ids = {n.id for n in kept.notes[:20]}
    changed = edits.nudge(edits.change_fret(kept, ids, by=1), ids, onset=0.02)
    changed = edits.toggle_vibrato(edits.set_attack(changed, {"n30"}, attack=Attack.TAP), {"n31"})
    changed = replace(edits.delete_notes(changed, {"n32"}), tuning=parse_tuning("drop-d"))
    lines = [change_line(c) for c in changes_since(state_named(changed, "First"), changed)]
    assert len(lines) > 20
    wrong = [line for line in lines if untranslated(line, names_of(project))]
    assert not wrong, wrong
    assert not [c for c in easier(project.notes, project.tuning).said if untranslated(render_message(c))]


def test_every_error_can_be_said_in_the_language(pseudo: None) -> None:
    """Each pattern that is raised anywhere: with its values named, none of it is English."""
    count = 0
    for path in sorted((ROOT / "src" / "notcher").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            name = node.func.id if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) else ""
            if not isinstance(node, ast.Call) or not name.endswith("Error") or not node.args:
                continue
            if name in (
                "ValueError",
                "OSError",
                "RuntimeError",
                "ArgumentTypeError",
                "SystemExit",
                "KeyError",
                "TypeError",
            ):
                continue
            pattern = node.args[0]
            assert not isinstance(pattern, ast.JoinedStr), f"{path.name}:{node.lineno} is put together"
            if isinstance(pattern, ast.Constant) and isinstance(pattern.value, str):
                count += 1
                wanted = set(re.findall(r"\{(\w+)", pattern.value))
                given = {k.arg for k in node.keywords}
                assert wanted <= given, f"{path.name}:{node.lineno} says {wanted - given} and is not given it"
    assert count > 150
    error: NotcherError = ScoreError("a note must end after it starts, got {onset} s to {end} s", onset=2.5, end=1.0)
    assert not untranslated(render_message(error))
    assert "2,5" in render_message(error)


@pytest.mark.parametrize("words", [["--help"], ["transcribe", "--help"], ["export", "--help"], ["slow", "--help"]])
def test_the_command_line_explains_itself_in_the_language(
    words: list[str], monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("LANGUAGE", PSEUDO)
    with pytest.raises(SystemExit, match="0") as caught:
        main(words)
    use("en")
    assert caught.value.code == 0
    said = capsys.readouterr().out
    # Commands, options and what stands for a value are typed as they are.
    typed = [
        "notcher",
        "demo",
        "transcribe",
        "export",
        "read",
        "slow",
        "isolate",
        "practice",
        "strip",
        "film",
        "lesson",
        "packet",
        "check",
        "place",
        *(row.name for row in EXPORTS),
    ]
    plain = re.sub(r"P\.notcher|OUT\.wav|--?[a-z-]+|\{[a-z0-9,]+\}|\b[A-Z][A-Z]+\b", "", said)
    assert not untranslated(plain, typed), plain


def test_what_went_wrong_is_said_in_the_language(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("LANGUAGE", PSEUDO)
    assert main(["slow", "none.wav", "-o", str(tmp_path / "s.wav"), "--speed", "0.5"]) == 1
    use("en")
    said = capsys.readouterr().err
    assert said.startswith("notcher: ")
    assert not untranslated(said, ["notcher", "none.wav"])
