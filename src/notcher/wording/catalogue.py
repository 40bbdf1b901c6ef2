"""The catalogue in use: English patterns go in, the person's language comes out.

There is one language at a time in a process, as there is one person before it. Without a catalogue it is English: the
patterns are English sentences.
"""

import io
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from notcher.wording.pseudo import PSEUDO, lengthened

ENGLISH = "en"
# Numbers and dates as Germans write them, so that an English one is seen.
_PSEUDO_LOCALE = "de"
FOLDER = Path(__file__).parent / "catalogues"


@dataclass(frozen=True, slots=True)
class Language:
    """code: of its catalogue; locale: for dates, its region with it where that is known. one, many, term: look a
    pattern up, in the singular or plural, or within a context. decimal: parts units from tenths."""

    code: str
    locale: str
    one: Callable[[str], str]
    many: Callable[[str, str, int], str]
    term: Callable[[str, str], str]
    decimal: str = "."


_IN_ENGLISH = Language(
    ENGLISH, ENGLISH, lambda text: text, lambda one, many, n: one if n == 1 else many, lambda context, text: text
)
_current = _IN_ENGLISH


def languages() -> dict[str, str]:
    """Code and own name of every language there is a catalogue for, English first."""
    found = {ENGLISH: "English"}
    for path in sorted(FOLDER.glob("*.po")):
        from babel import Locale

        found[path.stem] = (Locale.parse(path.stem).get_display_name() or path.stem).title()
    return found


def use(code: str) -> None:
    """Say everything in a language from here on; one without a catalogue is said in English."""
    global _current
    _current = _language(code)


def system_language() -> str:
    """The language the system asks for, as locales are named: the first of LANGUAGE, LC_ALL, LC_MESSAGES and LANG that
    says one (the order is gettext's)."""
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        said = os.environ.get(name, "").partition(":")[0].partition(".")[0].partition("@")[0]
        if said:
            return ENGLISH if said in ("C", "POSIX") else said
    return ENGLISH


def language() -> Language:
    """The language in use."""
    return _current


def _language(code: str) -> Language:
    if code == PSEUDO:
        return Language(
            PSEUDO, _PSEUDO_LOCALE, lengthened, lambda one, many, n: lengthened(one if n == 1 else many),
            lambda context, text: lengthened(text), ",",
        )  # fmt: skip
    base = code.partition("_")[0]
    path = next((p for c in (code, base) if c and (p := FOLDER / f"{c}.po").is_file()), None)
    if path is None:
        return _IN_ENGLISH if base != ENGLISH else Language(ENGLISH, code, *_looked_up(_IN_ENGLISH))
    from babel.messages.mofile import write_mo
    from babel.messages.pofile import read_po
    from babel.numbers import get_decimal_symbol
    from babel.support import Translations

    with path.open("rb") as f:
        catalogue = read_po(f, locale=path.stem)
    compiled = io.BytesIO()
    write_mo(compiled, catalogue)
    compiled.seek(0)
    found = Translations(compiled)
    return Language(
        path.stem, code if code.startswith(path.stem) else path.stem, found.gettext, found.ngettext, found.pgettext,
        get_decimal_symbol(path.stem),
    )  # fmt: skip


def _looked_up(other: Language) -> tuple[Any, Any, Any]:
    return other.one, other.many, other.term


def term(context: str, text: str) -> str:
    """A term of the trade in one of the glossary's contexts: the same English word may need several."""
    return _current.term(context, text)
