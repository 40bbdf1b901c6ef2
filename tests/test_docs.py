"""The pages for those who work on Notcher speak of what is there."""

import re

import pytest

from tests.conftest import ROOT

PAGES = (
    "DEVELOPERS.md", "README.md", "docs/guide/first-five-minutes.md", "docs/FORMATS.md",
    "docs/LINE.md", "docs/TECHNIQUES.md", "docs/WORDING.md",
)  # fmt: skip
# As they are said there: from the top, or from the package; modules of listen/ in the paragraph about it without it.
LISTEN = tuple(f"src/notcher/listen/{stage}" for stage in ("frames", "candidates", "classify", "decide"))
FROM = ("", "src/notcher", "src/notcher/listen", *LISTEN)
FILE = re.compile(r"`([\w./-]+\.(?:py|md|json|npz|txt|toml|sh)|[\w./-]+/)(?:: \w+)?`")
LINK = re.compile(r"\]\(([^)#:]+)\)")


@pytest.mark.parametrize("page", PAGES)
def test_every_file_that_is_named_is_there(page: str) -> None:
    text = (ROOT / page).read_text()
    beside = (ROOT / page).parent
    named = FILE.findall(text) + LINK.findall(text)
    gone = [n for n in named if not any((where / n).exists() for where in (beside, *(ROOT / base for base in FROM)))]
    assert not gone, gone


def test_for_each_usual_change_the_files_to_touch_are_named() -> None:
    table = re.findall(r"^\| (an? [^|]+) \| ([^|]+) \|", (ROOT / "DEVELOPERS.md").read_text(), re.MULTILINE)
    assert [what.split(" (")[0] for what, _ in table] == [
        "a technique", "a field of a project", "a question of listening",
        "an export kind", "a tuning", "a room", "a language", "a sentence",
        "a command that writes files", "a key, a command",
        "a default", "a part of the packet", "a kind of film", "an act of the lesson page",
        "an element of the page", "a reader of scores", "a school of lessons, a layer",
        "an act for pedals", "a figure of the bench",
    ]  # fmt: skip
    assert all(FILE.search(files) for _, files in table)


def test_the_options_of_what_is_printed_are_listed_as_their_table_has_them() -> None:
    from notcher.formats.printing import options_table

    assert options_table() in (ROOT / "docs/FORMATS.md").read_text(), "put there what options_table() gives"
