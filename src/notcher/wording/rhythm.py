"""How a rhythm is counted aloud, and how a player lies against the beat, in words."""

from collections.abc import Sequence
from fractions import Fraction

from notcher.rhythm.count import Feel, arrival, feel, passage
from notcher.rhythm.quantize import Place
from notcher.rhythm.values import places_of
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from notcher.score.unit import QUARTER, Unit
from notcher.wording.catalogue import term
from notcher.wording.names import ordinal
from notcher.wording.say import later, tr

# What is said on the parts of a beat (common practice, no source).
_SIXTEENTHS = {0: "", 1: "e", 2: "and", 3: "a"}
_TRIPLETS = {0: "", 1: "trip", 2: "let"}
_THREES = {0: "", 1: "and", 2: "a"}
_PARTS = {
    Fraction(1, 4): "e", Fraction(1, 2): "and", Fraction(3, 4): "a", Fraction(1, 3): "trip", Fraction(2, 3): "let",
}  # fmt: skip
_PARTS_OF_THREES = {Fraction(1, 3): "and", Fraction(2, 3): "a"}
_VALUES = {
    Fraction(4): "whole", Fraction(3): "dotted half", Fraction(2): "half", Fraction(3, 2): "dotted quarter",
    Fraction(1): "quarter", Fraction(3, 4): "dotted eighth", Fraction(1, 2): "eighth", Fraction(1, 4): "sixteenth",
    Fraction(1, 8): "thirty-second", Fraction(2, 3): "triplet quarter", Fraction(1, 3): "triplet eighth",
    Fraction(1, 6): "triplet sixteenth",
}  # fmt: skip
COUNTED_WORDS = (*dict.fromkeys([*_SIXTEENTHS.values(), *_TRIPLETS.values()]),)
VALUE_NAMES = (*_VALUES.values(),)
_UNITS = {
    "quarter": later("a quarter"), "dotted quarter": later("three eighths"), "eighth": later("an eighth"),
    "half": later("a half"), "16th": later("a sixteenth"),
}  # fmt: skip
_ON_TIME_S = 0.008
_LEANS_S = 0.012


def parts_of_a_beat(unit: Unit = QUARTER) -> dict[Fraction, str]:
    """Where in a beat a person may write an onset, as it is counted."""
    if unit.in_threes:
        thirds = {part: term("count", word) for part, word in _PARTS_OF_THREES.items()}
        finer = {Fraction(k, n): _nth_of(k + 1, n) for n in (2, 4, 6, 12) for k in range(1, n)}
        return {Fraction(0): tr("on the beat")} | thirds | {at: said for at, said in finer.items() if at not in thirds}
    named = {part: term("count", word) for part, word in _PARTS.items()}
    sixth = {Fraction(k, 6): _nth_of(k + 1, 6) for k in (1, 5)}
    odd = {Fraction(k, n): _nth_of(k + 1, n) for n in (5, 7) for k in range(1, n)}
    eighths = {Fraction(k, 8): tr("{k} eighths of it", k=k) for k in (1, 3, 5, 7)}
    return {Fraction(0): tr("on the beat")} | named | sixth | odd | eighths


def values(unit: Unit = QUARTER) -> dict[Fraction, str]:
    """Values a person may write, in beats."""
    plain = {quarters / unit.quarters: term("value", word) for quarters, word in _VALUES.items()}
    return {beats: said for beats, said in plain.items() if not unit.in_threes or 12 % beats.denominator == 0}


def unit_words(unit: Unit) -> str:
    """What a beat is written as."""
    return tr(_UNITS[unit.name])


def metre_words(tempo: TempoMap) -> str:
    """The metre of the first bar, as it is written: 12/8."""
    return "/".join(str(n) for n in tempo.unit.signature(tempo.beats_in(1)))


def _nth_of(k: int, n: int) -> str:
    return tr("{nth} of {n}", nth=ordinal(k), n=n)


def syllable(place: Place, unit: Unit = QUARTER) -> str:
    """What is said on a place within its beat; '' on the beat itself. Of beats that fall into three: 1 and a."""
    within = place.start - place.group
    slot = int(within * place.division / place.span)
    if unit.in_threes:
        third, rest = divmod(within * 3, 1)
        return _nth_of(slot + 1, place.division) if rest else _counted(_THREES[int(third)])
    if place.span == 2 and slot:
        return tr("{nth} of {n} over two", nth=ordinal(slot + 1), n=place.division)
    match place.division:
        case 1 | 2 | 4:
            return _counted(_SIXTEENTHS[int(within * 4)])
        case 3:
            return _counted(_TRIPLETS[slot])
        case 8 if slot % 2 == 0:
            return _counted(_SIXTEENTHS[slot // 2])
        case 8 if slot == 1:
            return tr("just after it")
        case 8:
            return tr("just after {syllable}", syllable=_counted(_SIXTEENTHS[slot // 2]))
        case _:
            return _nth_of(slot + 1, place.division) if slot else ""


def _counted(word: str) -> str:
    return term("count", word) if word else ""


def spoken(place: Place, tempo: TempoMap) -> str:
    """One place as it is counted: '3', '3 and', '2 trip'."""
    return f"{_bar_and_beat(place, tempo)[1]} {syllable(place, tempo.unit)}".rstrip()


def written_counts(project: Project, notes: Sequence[Note]) -> dict[str, str]:
    """How notes are counted as they are written out together, by their ids; empty without a beat. Grace notes are not
    counted."""
    tempo = project.tempo
    if tempo is None:
        return {}
    return {
        n.id: spoken(p, tempo) for n, p in zip(notes, places_of(notes, tempo), strict=True) if not p.grace
    }  # fmt: skip


def counts_under(project: Project, notes: Sequence[Note]) -> dict[str, str]:
    """What stands under the numbers of notes as they are written out together, by their ids: the beat, or the syllable
    of a part of it, before which a beat that nothing is struck on stands in brackets; parts that have no syllable of
    their own are a stop. Empty without a beat; grace notes are not counted."""
    tempo = project.tempo
    if tempo is None:
        return {}
    out: dict[str, str] = {}
    last: tuple[int, int] | None = None
    said: dict[Fraction, str] = {}
    for n, p in zip(notes, places_of(notes, tempo), strict=True):
        if p.grace:
            continue
        if p.start not in said:
            bar, beat = _bar_and_beat(p, tempo)
            part = syllable(p, tempo.unit)
            short = "." if " " in part else part
            said[p.start] = f"{beat}" if not part else short if (bar, beat) == last else f"({beat}){short}"
            last = bar, beat
        out[n.id] = said[p.start]
    return out


def _bar_and_beat(place: Place, tempo: TempoMap) -> tuple[int, int]:
    """The bar in which a place is counted, and its beat, the first is 1."""
    bar = tempo.bar_of(float(place.start))
    return bar, place.group - tempo.first_beat_of(bar) + 1


def spoken_line(places: Sequence[Place], tempo: TempoMap) -> str:
    """A passage as it is counted: '3 and 4 and', '1 e and a'; a beat that is only counted stands in brackets, bars are
    parted by a bar."""
    words: list[str] = []
    last: tuple[int, int] | None = None
    done: set[Fraction] = set()
    for p in places:
        if p.start in done or p.grace:
            continue
        done.add(p.start)
        bar, beat = _bar_and_beat(p, tempo)
        if last is not None and bar != last[0]:
            words.append("|")
        said = syllable(p, tempo.unit)
        if (bar, beat) != last:
            words.append(f"({beat})" if said else f"{beat}")
        if said:
            words.append(said)
        last = (bar, beat)
    return " ".join(words)


def against_the_beat(late: float) -> str:
    """Lateness in words; late: seconds, negative before the beat."""
    ms = round(abs(late) * 1000)
    if abs(late) < _ON_TIME_S:
        return tr("on the beat")
    return tr("{ms} ms late", ms=ms) if late > 0 else tr("{ms} ms early", ms=ms)


def arrival_words(project: Project, note: Note) -> str:
    """On which beat, or part of one, a bend reaches its top: 'on 3 and, 12 ms late'; '' without a beat or a bend that
    rises."""
    place = arrival(project, note)
    if place is None or project.tempo is None:
        return ""
    on = spoken(place, project.tempo)
    if abs(place.late) < _ON_TIME_S:
        return tr("on {count}", count=on)
    return tr("on {count}, {how}", count=on, how=against_the_beat(place.late))


def passage_words(project: Project, notes: Sequence[Note]) -> str:
    """Sentences on how some notes, in time order, are counted and lie against the beat; '' where there is no beat, or
    where they are no passage because others lie between them."""
    places = passage(project, notes)
    if not places or project.tempo is None:
        return ""
    leans = feel_words(feel(places))
    said = tr("Counted: {line}.", line=spoken_line(places, project.tempo)) + " "
    return said + (f"{leans[0].upper()}{leans[1:]}. " if leans else "")


def feel_words(found: Feel | None) -> str:
    """How the player lies against the beat over a phrase: 'drags in, rushes out'; '' where that is not known."""
    if found is None:
        return ""
    if abs(found.begins - found.ends) >= _LEANS_S:
        return tr("{begins} in, {ends} out", begins=_leans(found.begins), ends=_leans(found.ends))
    if abs(found.mean) < _LEANS_S:
        return tr("on the beat throughout")
    return tr("behind the beat throughout") if found.mean > 0 else tr("ahead of the beat throughout")


def _leans(late: float) -> str:
    if abs(late) < _LEANS_S / 2:
        return tr("steady")
    return tr("drags") if late > 0 else tr("rushes")
