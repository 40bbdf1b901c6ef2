"""Collects all that can be said into the template of the catalogues, and brings every catalogue up to date with it.

    python -m tools.catalogue

A pattern is found where it is said, marked or meant (tr, trn, later, Clause, the errors), a term of the trade in the
tables that hold it. docs/WORDING.md tells how a language is added.
"""

import ast
import functools
import sys
from collections.abc import Iterator
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).resolve().parent.parent
PACKAGE = ROOT / "src" / "notcher"
CATALOGUES = PACKAGE / "wording" / "catalogues"
TEMPLATE = CATALOGUES / "notcher.pot"
GLOSSARY = ROOT / "docs" / "GLOSSARY.md"
OWN = frozenset({PACKAGE / "wording" / "say.py", PACKAGE / "wording" / "catalogue.py"})
"""Where patterns come from others."""
Found = tuple[str | tuple[str, str], str | None, str]
"""A pattern or a pair of them, the context of a term, and where it is."""


@functools.cache
def takes_one() -> frozenset[str]:
    """What takes a pattern first: what says one, and every class of errors that a person is shown, wherever it is."""
    bases: dict[str, set[str]] = {}
    for path in PACKAGE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ClassDef):
                bases.setdefault(node.name, set()).update(ast.unparse(b).rpartition(".")[2] for b in node.bases)
    errors = {"NotcherError"}
    while more := {name for name, of in bases.items() if of & errors} - errors:
        errors |= more
    return frozenset({"tr", "later", "Clause", *errors})


def said_in(path: Path) -> Iterator[Found]:
    """Every pattern in a module."""
    where = path.relative_to(PACKAGE).as_posix()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if not isinstance(node, ast.Call) or not node.args:
            continue
        name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        many = next((k.value for k in node.keywords if k.arg == "many"), None)
        if name == "trn":
            yield (_text(node.args[0]), _text(node.args[1])), None, where
        elif many is not None and name in takes_one():
            yield (_text(node.args[0]), _text(many)), None, where
        elif name in takes_one():
            for text in _texts(node.args[0]):
                yield text, None, where
        elif name == "term":
            for text in _texts(node.args[1]):
                yield text, _text(node.args[0]), where


def _texts(node: ast.expr) -> list[str]:
    """The text, or both where a condition chooses; none where it comes from elsewhere."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return [node.value]
    return [*_texts(node.body), *_texts(node.orelse)] if isinstance(node, ast.IfExp) else []


def _text(node: ast.expr) -> str:
    found = _texts(node)
    if len(found) != 1:
        raise SystemExit(f"line {node.lineno}: a pattern is no plain text: {ast.unparse(node)}")
    return found[0]


def terms() -> Iterator[Found]:
    """The glossary: what the tables hold, each with what it is a term of."""
    from notcher.app.commands import ALL, with_rooms
    from notcher.app.rooms.table import ROOMS
    from notcher.app.shell.keysheet import KEY_WORDS
    from notcher.app.widgets.note_paint import STRAND_WORDS
    from notcher.formats.export import EXPORTS
    from notcher.formats.line import line_terms
    from notcher.formats.sheet.signs import LEGEND, STAFF_SIGNS
    from notcher.score import technique
    from notcher.score.feel import FEELS
    from notcher.score.find import Standing
    from notcher.score.note import INTERVAL_NAMES
    from notcher.score.tuning import NAMED
    from notcher.score.versions import OURS
    from notcher.wording.names import ORDINALS, TWELVE_NOTES
    from notcher.wording.rhythm import COUNTED_WORDS, VALUE_NAMES

    def of(context: str | None, texts: Iterator[str] | list[str], where: str) -> Iterator[Found]:
        return ((text, context, where) for text in texts if text)

    for words in (
        [r.words for r in technique.MARKS],
        [r.words for r in technique.ATTACKS],
        [r.words for r in technique.BENDS],
    ):
        yield from of(None, words, "score/technique.py")
    yield from of(None, [*technique.INTERVALS.values(), *technique.FINGERS], "score/technique.py")
    yield from of(None, sorted(OURS), "score/versions.py")
    yield from of(None, [f.label for f in FEELS], "score/feel.py")
    yield from of(None, [words for _, words in LEGEND], "formats/sheet/signs.py")
    yield from of(None, [text for row in EXPORTS for text in (row.label, row.what_for)], "formats/export.py")
    commands = [*ALL, *with_rooms((r.id, r.title, r.key) for r in ROOMS)]
    yield from of(None, [c.label for c in commands if isinstance(c.label, str)], "app/commands")
    yield from of(None, list(dict.fromkeys(c.group for c in commands)), "app/commands")
    yield from of(None, [room.title for room in ROOMS], "app/rooms/table.py")
    yield from of("line", line_terms(), "formats/line.py")
    yield from of("staff", [*STAFF_SIGNS, *INTERVAL_NAMES.values()], "formats/sheet/signs.py")
    yield from of("strand", list(STRAND_WORDS), "app/widgets/note_paint.py")
    yield from of("standing", list(Standing), "score/find.py")
    yield from of("tuning", [str(t) for t in NAMED.values()], "score/tuning.py")
    yield from of("count", list(COUNTED_WORDS), "wording/rhythm.py")
    yield from of("value", list(VALUE_NAMES), "wording/rhythm.py")
    yield from of("ordinal", list(ORDINALS), "wording/names.py")
    yield from of("the twelve notes", list(TWELVE_NOTES), "wording/names.py")
    yield from of("key", list(KEY_WORDS), "app/shell/keysheet.py")


def template() -> Catalog:
    """All that can be said, in the order of the files."""
    made = Catalog(project="Notcher", charset="utf-8", fuzzy=False, header_comment="# What Notcher says.")
    for path in sorted(PACKAGE.rglob("*.py")):
        if path in OWN:
            continue
        for text, context, where in said_in(path):
            _add(made, text, context, where)
    for text, context, where in terms():
        _add(made, text, context, where)
    return made


def _add(catalogue: Catalog, text: str | tuple[str, str], context: str | None, where: str) -> None:
    first = text if isinstance(text, str) else text[0]
    if first:
        # No line numbers: the template would change with every edit.
        catalogue.add(text, context=context, locations=[(where, 0)])


def glossary() -> str:
    """The terms of the trade as a page: by context, with where they are used."""
    rows: dict[str, dict[str, str]] = {}
    for text, context, where in terms():
        if isinstance(text, str):
            rows.setdefault(context or "everywhere the same", {})[text] = where
    lines = [
        "# Glossary",
        "",
        "What `python -m tools.catalogue` finds in the tables of the trade; docs/WORDING.md says how it is used.",
        "",
    ]
    for context in sorted(rows):
        files = sorted(set(rows[context].values()))
        lines += [f"## {context}", "", f"From {', '.join(f'`{file}`' for file in files)}.", ""]
        lines += [" · ".join(f"`{text}`" for text in rows[context]), ""]
    return "\n".join(lines)


def main() -> int:
    """Write the template, and bring every catalogue up to date."""
    made = template()
    _write(TEMPLATE, made)
    GLOSSARY.write_text(glossary(), encoding="utf-8")
    for path in sorted(CATALOGUES.glob("*.po")):
        with path.open("rb") as f:
            known = read_po(f, locale=path.stem)
        known.update(made, no_fuzzy_matching=True)
        _write(path, known)
    print(f"{TEMPLATE.relative_to(ROOT)}: {len(made)} patterns and terms")
    return 0


def _write(path: Path, catalogue: Catalog) -> None:
    # Without the date in its head, so that the same words are the same file.
    with path.open("wb") as f:
        write_po(f, catalogue, width=110, omit_header=path == TEMPLATE, include_lineno=False)


if __name__ == "__main__":
    sys.exit(main())
