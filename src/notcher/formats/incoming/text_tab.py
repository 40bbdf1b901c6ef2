"""Text tab in: six to eight lines of dashes and fret numbers, as it is commonly typed, and as Notcher writes it.

Text tab says no rhythm: how far numbers stand apart is taken as time, and a heading with two times, as Notcher writes
it, says how long its lines last. What is not understood is listed with its line.
"""

import itertools
import math
import re
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

from notcher.formats.errors import FileFormatError
from notcher.formats.heading import FAST, FLAT, HIGHER, KEY, LOWER, SHARP, SWING
from notcher.formats.incoming.found import ReadNote, ReadScore, Stretch
from notcher.formats.incoming.tab_signs import Sign, read_cluster
from notcher.formats.limits import LONGEST_LINE
from notcher.formats.opening import ADVISED
from notcher.formats.text_tab import FINGERS_ROW, SECTION, STROKES_ROW
from notcher.harmony.symbols import parse_chord, parse_key
from notcher.score.chord import Chord
from notcher.score.errors import ScoreError
from notcher.score.key import Key
from notcher.score.limits import LONGEST_S, MOST_NOTES
from notcher.score.note import Attack, Mark
from notcher.score.pitch import parse_note_name
from notcher.score.tuning import FEWEST_STRINGS, HIGHEST_CAPO, MOST_STRINGS, NAMED, STANDARD, Tuning
from notcher.wording import render_message, tr
from notcher.wording.guitar import CAPO, TUNING
from notcher.wording.names import german_names, pitch_class
from notcher.wording.say import as_said

_COLUMN_S = 0.12
_LAST_S = 0.5
_BETWEEN_LINES = 4
# Columns by which a chord's name may stand to the right of its note.
_BESIDE = 1
_LISTED = 60
_LINE = re.compile(r"^(?P<name>[A-Ga-g][#b♯♭]?)?\s*(?P<bar>[|:‖]+)(?P<rest>.*)$")
# Fingers and strokes under a block, as formats/text_tab.py writes them.
_HANDS = re.compile(rf"^(?P<what>[{FINGERS_ROW}{STROKES_ROW}])\.(?P<rest>[0-4Tdu ]*)$")
_HELD = re.compile(r"[^ ]+")
_STROKE = {"d": Mark.DOWN_STROKE, "u": Mark.UP_STROKE}
_LONGEST_WORDS = 200
_CLUSTER = re.compile(r"[^-—–=|‖:\s]+")
_CLOCK = r"[0-9]{1,4}:[0-9]{2}(?:\.[0-9]{1,6})?"
_HEADING = re.compile(rf"^(?P<name>.*\S)\s+\((?P<start>{_CLOCK}) - (?P<end>{_CLOCK})\)$")
_CAPO = re.compile(r"^capo\b[^0-9]{0,12}(?P<capo>[0-9]{1,2})\b", re.IGNORECASE)
_FACT = re.compile(r"^(?:the recording sits|about [0-9]+ beats a minute)", re.IGNORECASE)
_KEY = re.compile(r"key[^:]{0,12}:\s*([A-H](?:[#♯]|[b♭])?)\s*(\w*)", re.IGNORECASE)
_FRET_NUMBER = re.compile("[0-9]{1,2}")
_TUNING = re.compile(r"^tuning\b[^:]*:\s*(?P<strings>.+)$", re.IGNORECASE)


@dataclass
class _Block:
    """Six lines that belong together: their number in the file, their letters, what stands after the first bar line and
    the column it begins in; of the lines under them what they tell of, their text and the column it begins in; of the
    line above them the chords, each with its column."""

    first: int
    letters: list[str]
    rows: list[str]
    columns: list[int]
    hands: list[tuple[str, str, int]] = field(default_factory=list)
    above: list[tuple[int, Chord | None]] = field(default_factory=list)


@dataclass
class _Passage:
    """Blocks under one heading."""

    name: str = ""
    span: tuple[float, float] | None = None
    blocks: list[_Block] = field(default_factory=list)


@dataclass(frozen=True)
class _Set:
    """One sign, and the column in which it stands, counted through its passage."""

    column: int
    string: int
    sign: Sign


def read_text_tab(data: bytes) -> ReadScore:
    """What a text tab says. Raises FileFormatError where no lines of tab are in it."""
    text = _decoded(data)
    skipped: list[str] = []
    lines = text.splitlines()
    passages, words, tuning, capo = _passages(lines, skipped)
    if not any(p.blocks for p in passages):
        raise FileFormatError("no tab was found in it: six lines, one a string, such as e|--5--7--|")
    tuning = tuning or _tuning_of(next(p.blocks[0] for p in passages if p.blocks), skipped)
    if 0 < capo <= HIGHEST_CAPO:
        tuning = replace(tuning, capo=capo)
    notes: list[ReadNote] = []
    stretches: list[Stretch] = []
    chords: list[tuple[Fraction, Chord | None]] = []
    at = 0.0
    for passage in passages:
        found = _signs(passage, skipped)
        if not found:
            if passage.name:
                skipped.append(tr("phrase '{name}' stands there in words only", name=passage.name))
            continue
        start, end = passage.span or (at, at + (found[-1].column + _BETWEEN_LINES) * _COLUMN_S)
        start = max(start, at)
        times = _times_of(found, start, max(end, start + 0.1), scaled=passage.span is not None)
        notes += _timed(found, times, tuning, skipped)
        chords += _chords_of(passage, times)
        if passage.name and passage.span:
            stretches.append(Stretch(passage.name, start, max(end, start + 0.1)))
        at = max(end, start + 0.1)
        if len(notes) > MOST_NOTES:
            raise FileFormatError("it holds more than {most_notes} notes; no solo does", most_notes=MOST_NOTES)
        if at > LONGEST_S:
            raise FileFormatError(
                "it lasts longer than {longest_s:.0f} hours; no solo does", longest_s=LONGEST_S / 3600
            )
    more = len(skipped) - _LISTED
    listed = (*skipped[:_LISTED], tr("and {more} more", more=more)) if more > 0 else tuple(skipped)
    return ReadScore(
        tuple(sorted(notes, key=lambda n: (n.start, -n.pitch))), tuning=tuning, title=words[0] if words else "",
        performer=words[1].split(" · ")[0] if len(words) > 1 else "", written=False, stretches=tuple(stretches),
        chords=tuple(c for k, c in enumerate(chords) if not k or chords[k - 1][1] != c[1]), keys=_keys(lines),
        skipped=listed,
    )  # fmt: skip


def _decoded(data: bytes) -> str:
    for encoding in ("utf-8-sig", "cp1252"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    return data.decode("latin-1")


def _passages(lines: list[str], skipped: list[str]) -> tuple[list[_Passage], list[str], Tuning | None, int]:
    """The passages of tab, the words before the first, the tuning where a line says it, and where the capo sits."""
    passages = [_Passage()]
    words: list[str] = []
    tuning: Tuning | None = None
    run: list[tuple[int, re.Match[str], int]] = []
    above: list[tuple[int, Chord | None]] = []
    sits = 0

    def end_run() -> None:
        if run:
            _take_run(run, passages[-1], skipped, above)
            run.clear()

    began = False
    for number, whole_line in enumerate(lines, 1):
        if len(whole_line) > LONGEST_LINE:
            skipped.append(
                tr("line {number}: {n} characters, more than a line of tab has", number=number, n=len(whole_line))
            )
            continue
        indent = len(whole_line) - len(whole_line.lstrip())
        line = whole_line[indent:]
        match = _tab_line(line)
        if match:
            run.append((number, match, indent))
            began = True
            continue
        end_run()
        # What stands right over tab and is all chords is what sounds under it.
        above = _symbols(whole_line) if number < len(lines) and _is_tab(lines[number].strip()) else []
        if above or _take_hands(line, indent, passages[-1]):
            continue
        stripped = line.strip()[:_LONGEST_WORDS]
        heading = _HEADING.match(stripped)
        strings, fret = _guitar_said(stripped)
        if heading:
            passages.append(_Passage(heading["name"], (_seconds(heading["start"]), _seconds(heading["end"]))))
        elif strings is not None:
            tuning = _said_tuning(strings)
            if tuning is None:
                skipped.append(tr("line {number}: the tuning '{said}'", number=number, said=strings[:40]))
        elif fret is not None:
            sits = fret
        elif stripped and not began and len(words) < 2 and not _is_beside(stripped):
            words.append(stripped[:120])
    end_run()
    return passages, words, tuning, sits


def _take_hands(line: str, indent: int, passage: _Passage) -> bool:
    """Whether a line says what the hands do under the tab above it; it is taken up there."""
    under = _HANDS.match(line)
    if not under or not passage.blocks:
        return False
    passage.blocks[-1].hands.append((under["what"], under["rest"], indent + under.start("rest")))
    return True


def _guitar_said(words: str) -> tuple[str | None, int | None]:
    """The strings that a line says, and the fret at which it says the capo sits; None for what it does not say."""
    said = as_said(TUNING).match(words) or _TUNING.match(words)
    if said:
        return said["strings"], None
    capo = as_said(CAPO).match(words) or _CAPO.match(words)
    return None, int(capo["capo"]) if capo and _FRET_NUMBER.fullmatch(capo["capo"]) else None


def _tab_line(line: str) -> re.Match[str] | None:
    return _LINE.match(line) if sum(line.count(c) for c in "-—–=") >= 2 else None


def _is_tab(line: str) -> bool:
    return _tab_line(line) is not None


def _take_run(
    run: list[tuple[int, "re.Match[str]", int]], passage: _Passage, skipped: list[str],
    above: list[tuple[int, Chord | None]],
) -> None:  # fmt: skip
    """Lines of tab in a row are blocks of as many lines as there are strings; six is the commonest."""
    strings = next((n for n in range(FEWEST_STRINGS, MOST_STRINGS + 1) if len(run) % n == 0), 0)
    if not strings:
        skipped.append(
            tr("lines {run} to {run2}: {n} lines of tab, not six", run=run[0][0], run2=run[-1][0], n=len(run))
        )
        return
    for k in range(0, len(run), strings):
        block = run[k : k + strings]
        letters = [m["name"] or "" for _, m, _ in block]
        rows, columns = [m["rest"] for _, m, _ in block], [indent + m.start("rest") for _, m, indent in block]
        if letters[0] == "E" and letters[-1] == "e":
            # The lowest string on top.
            letters, rows, columns = letters[::-1], rows[::-1], columns[::-1]
        passage.blocks.append(_Block(block[0][0], letters, rows, columns, above=above if k == 0 else []))


def _signs(passage: _Passage, skipped: list[str]) -> list[_Set]:
    """All signs of a passage, in the order of their columns."""
    out: list[_Set] = []
    offset = 0
    for block in passage.blocks:
        first = len(out)
        for string, row in enumerate(block.rows, 1):
            row = row.rstrip()
            tail = re.search(r"[|‖](?P<after>[^-|‖]*)$", row)
            if tail and tail["after"].strip():
                skipped.append(
                    tr(
                        "line {first}: '{tail}' after the tab",
                        first=block.first + string - 1,
                        tail=tail["after"].strip()[:30],
                    )
                )
                row = row[: tail.start("after")]
            for cluster in _CLUSTER.finditer(row):
                found, unknown = read_cluster(cluster.group())
                out += [_Set(offset + cluster.start() + column, string, sign) for column, sign in found]
                skipped += [
                    tr(
                        "line {first}, column {columns}: '{what}'",
                        first=block.first + string - 1,
                        columns=block.columns[string - 1] + cluster.start() + c + 1,
                        what=what[:20],
                    )
                    for c, what in unknown
                ]
        out[first:] = _with_hands(out[first:], block, offset)
        offset += _width(block)
    return sorted(out, key=lambda s: (s.column, s.string))


def _width(block: _Block) -> int:
    """Columns that a block takes in its passage."""
    return 1 + max(len(row.rstrip().rstrip("|‖:")) for row in block.rows)


def _with_hands(signs: list[_Set], block: _Block, offset: int) -> list[_Set]:
    """Signs of a block with what the lines under it say of them: each word is for what stands from its column on to
    that of the next one."""
    # Columns of signs are counted from after the bar line.
    shift = offset - block.columns[0]
    for what, row, begins in block.hands:
        words = [(m.start() + begins + shift, m.group()) for m in _HELD.finditer(row)]
        ends = [at for at, _ in words[1:]] + [math.inf] if words else []
        for (at, word), end in zip(words, ends, strict=True):
            here = sorted((k for k, s in enumerate(signs) if at <= s.column < end), key=lambda k: signs[k].string)
            first = min((signs[k].column for k in here), default=0)
            here = [k for k in here if signs[k].column == first]
            if what == FINGERS_ROW:
                held = [k for k in here if _is_held(signs[k].sign)]
                for k, finger in zip(held, word, strict=False):
                    signs[k] = _told(signs[k], finger=0 if finger == "T" else int(finger))
            elif word in _STROKE:
                for k in here:
                    signs[k] = _told(signs[k], marks=signs[k].sign.note.marks | {_STROKE[word]})
    return signs


def _is_held(sign: Sign) -> bool:
    """Whether a finger of the fretting hand takes it."""
    return sign.note.attack is not Attack.TAP and (sign.fret > 0 or Mark.DEAD in sign.note.marks)


def _told(of: _Set, **more: Any) -> _Set:
    return replace(of, sign=replace(of.sign, note=replace(of.sign.note, **more)))


def _times_of(
    found: list[_Set], start: float, end: float, *, scaled: bool
) -> dict[int, tuple[float, float]]:  # fmt: skip
    """Onset and end of what stands in each column; between two times where the tab says them. A note lasts to the
    next."""
    columns = sorted({s.column for s in found})
    first, last = columns[0], columns[-1]
    second = (end - start - min(_LAST_S, (end - start) / 4)) / max(1, last - first) if scaled else _COLUMN_S
    at = {c: start + (c - first) * second for c in columns}
    ends = {c: at[after] for c, after in itertools.pairwise(columns)}
    ends[last] = min(end, at[last] + _LAST_S) if scaled else at[last] + _LAST_S
    return {c: (at[c], ends[c]) for c in columns}


def _chords_of(passage: _Passage, times: dict[int, tuple[float, float]]) -> list[tuple[Fraction, Chord | None]]:
    """The chords over a passage, in seconds: each with the first note that stands under it or to its right."""
    out: list[tuple[Fraction, Chord | None]] = []
    offset = 0
    for block in passage.blocks:
        for column, chord in block.above:
            later = [c for c in times if c >= offset + column - block.columns[0] - _BESIDE]
            onset = times[min(later)][0] if later else max(end for _, end in times.values())
            if not out or out[-1][1] != chord:
                out.append((Fraction(onset).limit_denominator(1000), chord))
        offset += _width(block)
    return out


def _timed(
    found: list[_Set], times: dict[int, tuple[float, float]], tuning: Tuning, skipped: list[str]
) -> list[ReadNote]:  # fmt: skip
    """Notes at the times of their columns."""
    notes: list[ReadNote] = []
    begun: set[int] = set()
    for s in found:
        try:
            pitch = tuning.pitch(s.string, s.sign.fret)
            onset, end = times[s.column]
            note = s.sign.note
            if note.attack is Attack.SLIDE and s.string not in begun:
                note = replace(note, attack=Attack.PICK, marks=note.marks | {Mark.SLIDE_IN})
            begun.add(s.string)
            notes.append(
                replace(
                    note, start=Fraction(onset).limit_denominator(1000), length=Fraction(1), pitch=pitch,
                    string=s.string, seconds=(onset, max(end, onset + 0.05)),
                )
            )  # fmt: skip
        except ScoreError as error:
            skipped.append(render_message(error))
    return notes


def _symbols(line: str) -> list[tuple[int, Chord | None]]:
    """The chords of a line that holds nothing else, each with its column; none for any other line."""
    try:
        return [(m.start(), parse_chord(m.group(), german=german_names())) for m in _HELD.finditer(line)]
    except ScoreError:
        return []


def _seconds(clock: str) -> float:
    minutes, _, seconds = clock.partition(":")
    return 60 * int(minutes) + float(seconds)


def _keys(lines: list[str]) -> tuple[tuple[Fraction, Key], ...]:
    """The key that a line before the tab says, at the beginning; none where no line does."""
    for line in itertools.takewhile(lambda line: not _is_tab(line.strip()), lines):
        said = as_said(KEY).match(line.strip())
        found = _KEY.fullmatch(f"key: {said['key']}" if said else line.strip())
        if found:
            try:
                return ((Fraction(0), parse_key(found[1], found[2], line, german=german_names())),)
            except ScoreError:
                continue
    return ()


# As earlier versions said how a shape's sound differs.
_FORMERLY = tuple(f"{how} than its shapes are called, in half steps: {{n}}" for how in ("Lower", "Higher"))


def _is_beside(line: str) -> bool:
    """Whether a line over the tab says no title: a fact of the guitar, advice, or a section."""
    return line.startswith(ADVISED) or as_said(SECTION).match(line) is not None or _is_fact(line)


def _is_fact(line: str) -> bool:
    return _FACT.match(line) is not None or any(
        as_said(p).match(line) for p in (FLAT, SHARP, FAST, KEY, *LOWER, *HIGHER, SWING, *_FORMERLY)
    )


def _said_tuning(said: str) -> Tuning | None:
    """A tuning from its name, or its strings from low to high."""
    key = said.strip().lower().replace(" ", "-")
    if key in NAMED:
        return NAMED[key]
    classes = [pitch_class(word) for word in said.split()]
    if FEWEST_STRINGS <= len(classes) <= MOST_STRINGS and None not in classes:
        return _by_classes([c for c in reversed(classes) if c is not None])
    letters = re.findall(r"[A-Ga-g][#b♯♭]?", said)
    return _by_letters(letters[::-1]) if len(letters) >= FEWEST_STRINGS else None


def _tuning_of(block: _Block, skipped: list[str]) -> Tuning:
    """The tuning whose strings bear the letters of a block; standard where there are none."""
    if not all(block.letters):
        return STANDARD
    found = _by_letters(block.letters)
    if found is None:
        skipped.append(
            tr(
                "line {first}: no tuning is known with strings {names}; standard taken",
                first=block.first,
                names=" ".join(block.letters),
            )
        )
    return found or STANDARD


def _by_letters(letters: list[str]) -> Tuning | None:
    try:
        wanted = [parse_note_name(f"{letter[0].upper()}{letter[1:]}4") % 12 for letter in letters]
    except ScoreError:
        return None
    return _by_classes(wanted)


def _by_classes(wanted: list[int]) -> Tuning | None:
    return next((t for t in NAMED.values() if [p % 12 for p in t.pitches] == wanted), None)
