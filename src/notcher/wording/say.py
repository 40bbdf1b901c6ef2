"""Says patterns and clauses: looked up in the catalogue in use, and filled in."""

import functools
import logging
import re
import string
from collections.abc import Iterable
from typing import Any

from notcher.score.clause import Clause, Ordinal
from notcher.score.errors import NotcherError
from notcher.score.pitch import PitchName
from notcher.score.tuning import Tuning
from notcher.wording.catalogue import language
from notcher.wording.names import called, note_name, ordinal

log = logging.getLogger(__name__)


class _Filled(string.Formatter):
    """Fills a pattern in: numbers as the language writes them, clauses and errors said in it."""

    def format_field(self, value: Any, format_spec: str) -> str:
        if isinstance(value, (Clause, NotcherError)):
            return render_message(value)
        if isinstance(value, tuple):
            return listed(value)
        if isinstance(value, Ordinal):
            return ordinal(value.n)
        if isinstance(value, PitchName):
            return note_name(value.midi, flats=value.flats)
        if isinstance(value, Tuning):
            return called(value)
        text = format(value, format_spec)
        return text.replace(".", language().decimal) if isinstance(value, float) else text


_FILLED = _Filled()


def _fill(said: str, pattern: str, values: dict[str, object]) -> str:
    if not values:
        return said
    try:
        return _FILLED.vformat(said, (), values)
    except (KeyError, IndexError, ValueError) as error:
        if said == pattern:
            raise
        # A slip in a translation must not cost the person the message.
        log.warning("the catalogue %s cannot fill %r: %s", language().code, said, error)
        return _FILLED.vformat(pattern, (), values)


def tr(pattern: str, /, **values: object) -> str:
    """A pattern in the person's language, its named values filled in."""
    return _fill(language().one(pattern), pattern, values)


def trn(one: str, many: str, n: int, /, **values: object) -> str:
    """One of two patterns by a number, which stands in them as {n}."""
    return _fill(language().many(one, many, n), one if n == 1 else many, {"n": n, **values})


def listed(clauses: Iterable[Clause | str]) -> str:
    """Several clauses, one after another."""
    return ", ".join(render_message(c) if isinstance(c, Clause) else c for c in clauses)


def as_said(pattern: str) -> re.Pattern[str]:
    """What a pattern looks like once it was said in the language in use, a group for each value: for text that Notcher
    wrote and reads again."""
    return _shape_of(language().one(pattern))


def anew(text: str, patterns: Iterable[str]) -> str:
    """Text that is kept in a file, in the person's language where it is one of Notcher's own patterns filled in."""
    for pattern in patterns:
        found = _shape_of(pattern).match(text)
        if found is not None:
            return tr(pattern, **found.groupdict())
    return text


@functools.lru_cache(maxsize=32)
def _shape_of(said: str) -> re.Pattern[str]:
    parts = re.split(r"\{(\w+)[^{}]*\}", said)
    return re.compile(
        "".join(re.escape(part) if k % 2 == 0 else f"(?P<{part}>.+)" for k, part in enumerate(parts)) + "$"
    )


def later(pattern: str) -> str:
    """Marks a pattern of a table for the catalogues; it is said where it is shown."""
    return pattern


def render_message(meant: Clause | BaseException) -> str:
    """A clause, or what went wrong, in the person's language; what Notcher did not raise itself as it is."""
    clause = meant.clause if isinstance(meant, NotcherError) else meant
    if not isinstance(clause, Clause):
        return str(clause)
    if clause.many:
        n = clause.values["n"]
        assert isinstance(n, int)
        return trn(clause.pattern, clause.many, n, **{k: v for k, v in clause.values.items() if k != "n"})
    return tr(clause.pattern, **clause.values)
