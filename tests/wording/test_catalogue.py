"""Looking up, filling in, plurals, numbers, dates and names; and that the template holds all that is said."""

import io
import logging
from collections.abc import Iterator
from pathlib import Path

import pytest
from tools import catalogue as tool

from notcher.score.clause import Clause, Ordinal
from notcher.score.errors import ScoreError
from notcher.score.pitch import PitchName
from notcher.score.tuning import STANDARD, Tuning
from notcher.wording import catalogue, listed, render_message, term, tr, trn, use
from notcher.wording.catalogue import languages, system_language
from notcher.wording.names import note_name, ordinal, spoken
from notcher.wording.numbers import date_words
from notcher.wording.pseudo import LONGER, lengthened

# Polish has three plurals: one; 2 to 4 but not 12 to 14; others (Unicode CLDR, plural rules, cardinal, pl).
POLISH = """
msgid ""
msgstr ""
"Content-Type: text/plain; charset=UTF-8\\n"
"Language: pl\\n"
"Plural-Forms: nplurals=3; plural=(n==1 ? 0 : n%10>=2 && n%10<=4 && (n%100<12 || n%100>14) ? 1 : 2);\\n"

msgid "{n} note"
msgid_plural "{n} notes"
msgstr[0] "{n} nuta"
msgstr[1] "{n} nuty"
msgstr[2] "{n} nut"

msgid "{cents:.1f} cents flat of A = 440"
msgstr "{cents:.1f} centa poniżej A = 440"

msgid "{name} at {start}"
msgstr "o {start}: {nam}"

msgid "no bend"
msgstr "bez podciągnięcia"

msgctxt "the twelve notes"
msgid "C C♯ D D♯ E F F♯ G G♯ A A♯ B"
msgstr "C Cis D Dis E F Fis G Gis A Ais H"

msgctxt "ordinal"
msgid "{n}rd"
msgstr "{n}."

msgctxt "count"
msgid "and"
msgstr "i"
"""


@pytest.fixture
def polish(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    (tmp_path / "pl.po").write_text(POLISH, encoding="utf-8")
    monkeypatch.setattr(catalogue, "FOLDER", tmp_path)
    use("pl_PL")
    yield
    use("en")


@pytest.mark.parametrize(
    ("n", "said"), [(1, "1 nuta"), (2, "2 nuty"), (4, "4 nuty"), (5, "5 nut"), (12, "12 nut"), (22, "22 nuty")]
)
def test_plurals_as_the_language_has_them(polish: None, n: int, said: str) -> None:
    assert trn("{n} note", "{n} notes", n) == said
    assert render_message(Clause("{n} note", many="{n} notes", n=n)) == said


def test_numbers_and_dates_as_the_language_writes_them(polish: None) -> None:
    """Decimal commas and day before month in Polish (Unicode CLDR, by way of Babel)."""
    assert tr("{cents:.1f} cents flat of A = 440", cents=15.5) == "15,5 centa poniżej A = 440"
    assert date_words("2027-03-14") == "14 mar 2027"
    assert date_words("soon") == "soon"
    use("en")
    assert tr("{cents:.1f} cents flat of A = 440", cents=15.5) == "15.5 cents flat of A = 440"
    assert date_words("2027-03-14") == "Mar 14, 2027"


def test_dates_by_region_in_one_language() -> None:
    """American and British order (Unicode CLDR)."""
    use("en_GB")
    assert date_words("2027-03-14") == "14 Mar 2027"
    use("en_US")
    assert date_words("2027-03-14") == "Mar 14, 2027"
    use("en")


def test_note_names_as_the_language_has_them(polish: None) -> None:
    """B is H in Polish and German (common practice, no source)."""
    assert note_name(71) == "H4"
    assert spoken(STANDARD) == "E A D G H E"
    assert render_message(Clause("{note} and {other}", note=PitchName(71), other=PitchName(70))) == "H4 and Ais4"
    assert note_name(70, flats=True) == "B♭4"


def test_places_in_a_row(polish: None) -> None:
    assert ordinal(3) == "3."
    use("en")
    assert [ordinal(n) for n in (1, 2, 3, 4, 11, 12, 13, 21, 22, 111)] == [
        "1st", "2nd", "3rd", "4th", "11th", "12th", "13th", "21st", "22nd", "111th",
    ]  # fmt: skip
    assert str(Ordinal(23)) == "23rd"


def test_a_term_has_a_context(polish: None) -> None:
    assert term("count", "and") == "i"
    assert term("line", "and") == "and"


def test_what_has_no_translation_is_english(polish: None) -> None:
    assert tr("Close") == "Close"
    assert tr("no bend") == "bez podciągnięcia"


def test_a_slip_in_a_translation_costs_no_message(polish: None, caplog: pytest.LogCaptureFixture) -> None:
    with caplog.at_level(logging.WARNING):
        assert tr("{name} at {start}", name="A", start="0:05.0") == "A at 0:05.0"
    assert "cannot fill" in caplog.text


def test_errors_and_clauses_within_one_another_are_said_in_the_language(polish: None) -> None:
    inner = ScoreError("no bend")
    outer = ScoreError("'{name}': {error}", name="x", error=inner)
    assert render_message(outer) == "'x': bez podciągnięcia"
    assert str(outer) == "'x': no bend"
    assert render_message(Clause("{all}", all=(Clause("no bend"), Clause("Close")))) == "bez podciągnięcia, Close"
    assert listed([Clause("no bend"), "a"]) == "bez podciągnięcia, a"
    assert render_message(ValueError("of Python's own")) == "of Python's own"


def test_clauses_mean_the_same_where_pattern_and_values_are() -> None:
    assert Clause("{n} beat", n=1) == Clause("{n} beat", n=1)
    assert Clause("{n} beat", n=1) != Clause("{n} beat", n=2)
    assert Clause("a") != "a"
    assert len({Clause("{n} beat", n=1), Clause("{n} beat", n=1)}) == 1
    assert "1 beat" in repr(Clause("{n} beat", n=1))


def test_the_languages_there_are(polish: None) -> None:
    assert languages() == {"en": "English", "pl": "Polski"}


@pytest.mark.parametrize(
    ("said", "language"),
    [
        ({"LANG": "pl_PL.UTF-8"}, "pl_PL"),
        ({"LANG": "pl_PL.UTF-8", "LC_ALL": "C"}, "en"),
        ({"LANGUAGE": "de:en", "LANG": "pl_PL.UTF-8"}, "de"),
        ({"LC_MESSAGES": "sr@latin"}, "sr"),
        ({}, "en"),
    ],
)
def test_the_systems_language(monkeypatch: pytest.MonkeyPatch, said: dict[str, str], language: str) -> None:
    """The order in which gettext looks (GNU gettext manual, 'Locale Environment Variables')."""
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        monkeypatch.delenv(name, raising=False)
    for name, value in said.items():
        monkeypatch.setenv(name, value)
    assert system_language() == language


@pytest.mark.parametrize("code", ["", "tlh", "C", "xx_YY", "../../etc"])
def test_a_language_there_is_not_is_english(code: str) -> None:
    use(code)
    assert tr("Close") == "Close"
    use("en")


def test_an_unnamed_tuning_is_its_strings() -> None:
    odd = Tuning((64, 59, 55, 50, 45, 36))
    assert render_message(Clause("in {tuning}", tuning=odd)) == "in C A D G B E"
    assert str(odd) == "C A D G B E"
    assert str(STANDARD) == "standard"


@pytest.mark.parametrize("text", ["Stop", "{n} notes read", "a b c", "<b>Keys</b>", "%(prog)s: error", "Find the beat"])
def test_every_word_is_longer_in_the_language_of_tests(text: str) -> None:
    made = lengthened(text)
    letters = sum(c.isalpha() for word in text.split() for c in word if "{" not in word and "<" not in word)
    assert len(made) >= len(text) + LONGER * letters * 0.99 - (text.count("%") * 10)
    for kept in ("{n}", "<b>", "%(prog)s"):
        assert (kept in text) == (kept in made)


def test_the_template_is_up_to_date() -> None:
    """Else: python -m tools.catalogue."""
    from babel.messages.pofile import write_po

    made = io.BytesIO()
    write_po(made, tool.template(), width=110, omit_header=True, include_lineno=False)
    assert made.getvalue() == tool.TEMPLATE.read_bytes()
    assert tool.glossary() == tool.GLOSSARY.read_text(encoding="utf-8")


def test_every_catalogue_fills_in_what_the_pattern_names() -> None:
    """None may be there yet; each that is must say every value, and no other."""
    from babel.messages.pofile import read_po

    for path in sorted(tool.CATALOGUES.glob("*.po")):
        with path.open("rb") as f:
            for message in read_po(f, locale=path.stem):
                assert list(message.check()) == [], (path.name, message.id)


def test_a_pattern_that_is_put_together_is_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    odd = tmp_path / "odd.py"
    odd.write_text("trn(one + two, 'b', 3)\n")
    monkeypatch.setattr(tool, "PACKAGE", tmp_path)
    with pytest.raises(SystemExit, match="no plain text"):
        list(tool.said_in(odd))


def test_all_ways_to_say_are_collected(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    source = tmp_path / "some.py"
    source.write_text(
        'tr("a {x}", x=1)\ntr("b" if x else "c")\ntrn("one", "many", 2)\nClause("{n} d", many="{n} ds", n=2)\n'
        'raise ScoreError("e" "f")\nterm("staff", "g")\nlater("h")\nprint("not this")\n'
    )
    monkeypatch.setattr(tool, "PACKAGE", tmp_path)
    found = {(text, context) for text, context, _ in tool.said_in(source)}
    assert found == {
        ("a {x}", None), ("b", None), ("c", None), (("one", "many"), None), (("{n} d", "{n} ds"), None), ("ef", None),
        ("g", "staff"), ("h", None),
    }  # fmt: skip
