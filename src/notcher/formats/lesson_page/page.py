"""The lesson page put together: template, style, script, data and sounds in one file."""

import hashlib
import json
import string
from collections.abc import Sequence
from html import escape
from importlib import resources
from pathlib import Path

from notcher.audio.recording import Audio
from notcher.formats.chosen import chosen_phrases
from notcher.formats.errors import FileFormatError
from notcher.formats.lesson_page.content import content
from notcher.formats.lesson_page.sounds import sounds_of
from notcher.formats.outputs import FRESH, Outputs
from notcher.formats.printable import with_printable_words
from notcher.score.project import Phrase, Project
from notcher.stopping import apart
from notcher.wording import later, tr
from notcher.wording.catalogue import language

REMINDER = later("the recording is in the page: sharing it may need the permission of whose it is; local law decides")
"""What is said once, where the recording goes along."""
PACES = (50, 75, 100)
_LONGEST_S = 900.0
# What the template and the script say, by the names they have for it.
_WORDS = {
    "skip": later("To the tab"), "dark": later("Dark"), "noscript": later(
        "This page plays and shows its tab by a script inside it; the browser has scripts switched off."),
    "phrases_label": later("Phrases"), "cues_label": later("In words"), "desk_label": later("Playing"),
    "play": later("Play"), "before": later("Before"), "next": later("Next"), "pace": later("Pace"),
    "loop_label": later("Loop"), "loop_phrase": later("this phrase"), "loop_sofar": later("all so far"),
    "loop_drag": later("what was dragged over"), "hear_label": later("Hear"), "layer_label": later("Show"),
    "more": later("More"), "click": later("Click"), "countin": later("Count-in"),
    "keys": later("Keys: Space plays, arrows left and right change the phrase, up and down the pace, O so far, "
                  "K click, D dark. Drag over the tab to loop a part."),
}  # fmt: skip
_SCRIPT_WORDS = {
    "play": later("Play"), "stop": later("Stop"), "preparing": later("Getting ready …"),
    "playing": later("Playing at {pace} %"), "listen": later("Listen for"), "optional": later("may be left out"),
    "ticks": later("Played clean, {name}"), "written": later("the tab"), "backing": later("the band"),
    "recording": later("the recording"), "bpm": later("bpm"),
}  # fmt: skip
PAGE_WORDS = (*dict.fromkeys([*_WORDS.values(), *_SCRIPT_WORDS.values()]),)


def lesson_page(
    project: Project, phrases: Sequence[Phrase] = (), *, audio: Audio | None = None, dialect: int = 0,
    left_handed: bool = False,
) -> str:  # fmt: skip
    """The page as HTML. phrases: none for all there are; audio: the recording, only where it is to be in the page.

    Raises FileFormatError where there are no notes, or more than a quarter of an hour.
    """
    project = with_printable_words(project)
    by_id = {p.id: p for p in project.phrases}
    chosen = chosen_phrases(project, [by_id.get(p.id, p) for p in phrases])
    start, end = chosen[0].start, max(p.end for p in chosen)
    if end - start > _LONGEST_S:
        raise FileFormatError(
            "that is {minutes:.0f} minutes of sound, and {most:.0f} are the most for one page; choose fewer phrases",
            minutes=(end - start) / 60, most=_LONGEST_S / 60,
        )  # fmt: skip
    data = content(project, chosen, dialect=dialect, left_handed=left_handed)
    data |= {"paces": list(PACES), "words": {name: tr(words) for name, words in _SCRIPT_WORDS.items()}}
    data["key"] = hashlib.sha256(json.dumps([data["title"], [p.id for p in chosen]]).encode()).hexdigest()[:12]
    files = resources.files("notcher").joinpath("data/lesson_page")
    said = {name: escape(tr(words)) for name, words in _WORDS.items()}
    return string.Template(files.joinpath("page.html").read_text(encoding="utf-8")).substitute(
        said, lang=language().code.replace("_", "-"), title=escape(data["title"]), whose=escape(data["whose"]),
        facts=escape(" · ".join(data["facts"])), rights=escape(data["rights"]),
        style=files.joinpath("page.css").read_text(encoding="utf-8"),
        script=files.joinpath("page.js").read_text(encoding="utf-8"),
        data=_json(data), sounds=_json(sounds_of(project, audio, start, end)),
    )  # fmt: skip


def _json(value: object) -> str:
    """JSON that ends no script element."""
    text = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    return text.replace("<", "\\u003c").replace("\u2028", "\\u2028").replace("\u2029", "\\u2029")


def check_page(path: Path, outputs: Outputs) -> None:
    """Whether the page may be written there. Raises FileFormatError."""
    outputs.check(path, endings=(".html", ".htm"))


def write_lesson_page(
    project: Project, path: Path, phrases: Sequence[Phrase] = (), *, audio: Audio | None = None, dialect: int = 0,
    left_handed: bool = False, outputs: Outputs = FRESH,
) -> int:  # fmt: skip
    """Write the page whole or not at all; returns its bytes. Raises FileFormatError."""
    check_page(path, outputs)
    page = apart(lambda: lesson_page(project, phrases, audio=audio, dialect=dialect, left_handed=left_handed).encode())
    outputs.write(path, page)
    return len(page)
