"""Invented phrases with a figure planted in them, and phrases without: how many figures are found, how many claimed.

Beside it, how soon a phrase that goes like another is found among many projects.

Everything is drawn by chance from scales, arpeggios and boxes; development and evaluation differ in their seeds, and
the evaluation's ways of wandering (drawn by `_WANDERINGS`' last two rows) were not used in development.
"""

import itertools
import random
import tempfile
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from notcher.collect.described import described
from notcher.collect.index import Index
from notcher.collect.query import Query
from notcher.formats import project_file
from notcher.harmony.moving import moved
from notcher.harmony.patterns import Figure, figures
from notcher.score.key import Key, KeyAt
from notcher.score.note import Note
from notcher.score.project import Phrase, Project, Recording, Request
from notcher.score.tempo import TempoMap
from notcher.score.tuning import STANDARD

MOVES = ("frets", "strings", "octave", "scale", "same", "backwards", "rhythm", "odd")
_SCALES = {"minor": (0, 2, 3, 5, 7, 8, 10), "major": (0, 2, 4, 5, 7, 9, 11), "dorian": (0, 2, 3, 5, 7, 9, 10)}
_PENTATONIC = (0, 3, 5, 7, 10)
_HIGHEST = 86
_A_FIGURE = 6


@dataclass(frozen=True, slots=True)
class Planted:
    """A phrase as a project; where: index of the first note of each playing; size: notes of each; 0 for none."""

    project: Project
    notes: tuple[Note, ...]
    how: str
    where: tuple[int, ...] = ()
    size: int = 0


# -- lines drawn by chance -----------------------------------------------------------------------------------------


def _walk(rng: random.Random, n: int, tones: Sequence[int]) -> list[int]:
    """By steps and small leaps, turning at any time."""
    at = rng.randrange(len(tones))
    out = []
    for _ in range(n):
        out.append(tones[at])
        at += rng.choice((-3, -2, -2, -1, -1, -1, 0, 1, 1, 1, 2, 2, 3))
        at = min(max(at, 0), len(tones) - 1)
    return out


def _runs(rng: random.Random, n: int, tones: Sequence[int]) -> list[int]:
    """Runs up and down with leaps between them."""
    out: list[int] = []
    at = rng.randrange(len(tones))
    while len(out) < n:
        way = rng.choice((-1, 1))
        for _ in range(rng.randint(3, 7)):
            out.append(tones[at])
            if not 0 <= at + way < len(tones):
                break
            at += way
        at = rng.randrange(len(tones))
    return out[:n]


def _free(rng: random.Random, n: int, tones: Sequence[int]) -> list[int]:
    """Any tone near the last."""
    out = [rng.choice(tones)]
    while len(out) < n:
        out.append(rng.choice([t for t in tones if abs(t - out[-1]) <= 9]))
    return out


def _arcs(rng: random.Random, n: int, tones: Sequence[int]) -> list[int]:
    """Climbs in thirds and steps, falls by steps."""
    out: list[int] = []
    at = len(tones) // 2
    way = 1
    for _ in range(n):
        out.append(tones[at])
        if rng.random() < 0.3:
            way = -way
        at += way * (rng.choice((1, 1, 2)) if way > 0 else rng.choice((1, 1, 1, 3)))
        at = min(max(at, 0), len(tones) - 1)
    return out


def _held(rng: random.Random, n: int, tones: Sequence[int]) -> list[int]:
    """About a few tones that come back often, as riffs do."""
    few = rng.sample(range(len(tones)), k=5)
    return [tones[rng.choice(few)] if rng.random() < 0.75 else rng.choice(tones) for _ in range(n)]


_WANDERINGS: tuple[Callable[[random.Random, int, Sequence[int]], list[int]], ...] = (_walk, _runs, _free, _arcs, _held)
_FOR_DEVELOPMENT = 3


def _lengths(rng: random.Random, n: int) -> list[float]:
    """In beats: even, or mixed."""
    kind = rng.random()
    if kind < 0.4:
        return [rng.choice((0.25, 0.5, 1 / 3))] * n
    if kind < 0.7:
        return [rng.choice((0.25, 0.5, 0.5, 1.0)) for _ in range(n)]
    return [rng.choice((0.25, 0.25, 0.5, 0.75, 1.0, 1.5)) for _ in range(n)]


# -- planted -------------------------------------------------------------------------------------------------------


def _place(pitches: Sequence[int], low: int) -> list[tuple[int, int]]:
    """String and fret of each pitch in a box from a fret on, as near as they lie."""
    out = []
    for p in pitches:
        places = STANDARD.places(p)
        out.append(min(places, key=lambda sf: abs(sf[1] - low - 1.5) + (3 if sf[1] < low else 0)))
    return out


def _figure(rng: random.Random, tones: Sequence[int], size: int) -> list[int]:
    """Steps of a figure that turns at least once."""
    while True:
        steps = [0]
        for _ in range(size - 1):
            steps.append(steps[-1] + rng.choice((-3, -2, -1, -1, 1, 1, 2, 3)))
        own = {b - a for a, b in itertools.pairwise(steps)}
        if len(own) > 1 and len(set(steps)) >= min(3, size) and max(steps) - min(steps) < 8:
            return steps


def _moved(rng: random.Random, how: str, times: int, tones: Sequence[int], tonic: int, low: int, size: int
           ) -> list[list[tuple[int, int]]] | None:  # fmt: skip
    """String and fret of each note of each playing; None where it leaves the neck."""
    steps = _figure(rng, tones, size)
    base = rng.randrange(len(tones) // 3, 2 * len(tones) // 3)
    by = rng.choice((-2, -1, 1, 2)) if how == "scale" else 0
    line = []
    for k in range(times if how == "scale" else 1):
        at = [base + s + by * k for s in steps]
        if min(at) < 0 or max(at) >= len(tones):
            return None
        line.append([tones[x] for x in at])
    if how == "scale":
        return [_place(p, low) for p in line]
    first = _place(line[0], low)
    frets = rng.choice((-5, -3, -2, -1, 1, 2, 3, 5)) if how in ("frets", "odd") else 0
    out = [first]
    for k in range(1, times):
        match how:
            case "frets" | "odd" | "same" | "rhythm":
                out.append([(s, f + frets * k) for s, f in first])
            case "strings":
                out.append([(s - k, f) for s, f in first])
            case "octave":
                higher = [p + 12 * k for p in line[0]]
                if max(higher) > _HIGHEST:
                    return None
                out.append(_place(higher, low))
            case "backwards":
                out.append(list(reversed(out[-1])))
    if how == "odd":
        odd = rng.randrange(1, size - 1)
        s, f = out[-1][odd]
        out[-1][odd] = (s, f + rng.choice((-2, -1, 1, 2)))
    return out if all(1 <= s <= 6 and 0 <= f <= 22 for p in out for s, f in p) else None


def _written(
    rng: random.Random, places: Sequence[tuple[int, int]], lengths: Sequence[float], tonic: int, mode: str
) -> tuple[Project, tuple[Note, ...]]:
    bpm = rng.uniform(70, 150)
    beat = 60 / bpm
    at = 1.0
    notes = []
    for k, ((string, fret), length) in enumerate(zip(places, lengths, strict=True)):
        late = rng.gauss(0, 0.008)
        notes.append(Note(f"n{k}", at + late, at + late + max(0.05, length * beat * 0.9), string, fret))
        at += length * beat
    end = at + 2
    project = Project(
        Recording("", "0" * 64, end, 44100, 1), notes=tuple(notes),
        tempo=TempoMap.steady(bpm, first_beat=1.0, count=int(end / beat) + 2),
        keys=(KeyAt(0.0, Key.of(tonic, mode)),),
    )  # fmt: skip
    return project, project.notes


def _comes_again(line: Sequence[tuple[int, int]]) -> bool:
    """Whether so many notes in a row come twice, note for note: that is a figure, whoever planted it."""
    passages = [tuple(line[k : k + _A_FIGURE]) for k in range(len(line) - _A_FIGURE + 1)]
    return len(set(passages)) < len(passages)


def drawn(seed: int, how: str | None, *, fresh: bool = False) -> Planted:
    """A phrase with a figure planted in it, moved as one of MOVES says; None: without. fresh: the evaluation's ways of
    wandering as well."""
    rng = random.Random(f"{seed} {how}")
    tonic, mode = rng.randrange(12), rng.choice(tuple(_SCALES))
    scale = _PENTATONIC if rng.random() < 0.4 else _SCALES[mode]
    if scale is _PENTATONIC and mode == "major":
        mode = "minor"
    tones = [p for p in range(47, 82) if (p - tonic) % 12 in scale]
    wander = rng.choice(_WANDERINGS if fresh else _WANDERINGS[:_FOR_DEVELOPMENT])
    low = rng.randint(2, 12)
    if how is None:
        n = rng.randint(10, 32)
        line = _place(wander(rng, n, tones), low)
        while _comes_again(line):
            line = _place(wander(rng, n, tones), low)
        return Planted(*_written(rng, line, _lengths(rng, n), tonic, mode), "none")
    while True:
        size = rng.randint(4, 7) if how in ("backwards", "odd", "octave") else rng.randint(3, 6)
        times = 2 if how in ("backwards", "octave", "rhythm") and size >= 5 else rng.randint(3, 4)
        if how in ("octave", "backwards"):
            times = 2
            size = max(size, 5)
        playings = _moved(rng, how, times, tones, tonic, low, size)
        if playings is not None:
            break
    before, after = rng.randint(0, 8), rng.randint(0, 8)
    own = _lengths(rng, size)
    if how == "rhythm":
        others = [own] + [rng.sample(own, size) if len(set(own)) > 1 else [x / 2 for x in own]
                          for _ in range(times - 1)]  # fmt: skip
    else:
        others = [own] * times
    places = _place(wander(rng, before, tones), low) if before else []
    lengths = _lengths(rng, before) if before else []
    where = []
    for p, ls in zip(playings, others, strict=True):
        where.append(len(places))
        places += p
        lengths += ls
        if rng.random() < 0.2 and times == 2:
            between = rng.randint(1, 4)
            places += _place(wander(rng, between, tones), low)
            lengths += _lengths(rng, between)
    places += _place(wander(rng, after, tones), low) if after else []
    lengths += _lengths(rng, after) if after else []
    return Planted(*_written(rng, places, lengths, tonic, mode), how, tuple(where), size)


def is_found(planted: Planted, found: Sequence[Figure]) -> bool:
    """Whether a figure is found that lies where it was planted: at least two thirds of the planted notes are in it, and
    no more than a third of its notes lie elsewhere."""
    ids = [n.id for n in planted.notes]
    own = {ids[w + k] for w in planted.where for k in range(planted.size)}
    for figure in found:
        notes = {name for p in figure.playings for name in p.notes}
        if len(notes & own) >= len(own) * 2 / 3 and len(notes - own) <= len(notes) / 3:
            return True
    return False


def measured(seeds: Sequence[int], *, fresh: bool) -> tuple[dict[str, list[bool]], list[bool]]:
    """Whether each planted figure was found, by how it moves; and whether one was claimed in each phrase without."""
    found = {
        how: [is_found(p, figures(p.project, p.notes)) for s in seeds for p in [drawn(s, how, fresh=fresh)]]
        for how in MOVES
    }
    claimed = [bool(figures(p.project, p.notes)) for s in seeds for p in [drawn(s, None, fresh=fresh)]]
    return found, claimed


# -- for the page --------------------------------------------------------------------------------------------------

_JUDGED = range(9000, 9060)
_WITHOUT = range(9000, 9300)
_PROJECTS, _EACH = 200, 8
_SAID = {
    "frets": "along the neck", "strings": "to other strings", "octave": "an octave up", "scale": "in the scale",
    "same": "in its place", "backwards": "backwards", "rhythm": "in another rhythm", "odd": "with an odd one out",
}  # fmt: skip


def section() -> str:
    """What stands on the page."""
    found, _ = measured(_JUDGED, fresh=True)
    claimed = [bool(figures(p.project, p.notes)) for s in _WITHOUT for p in [drawn(s, None, fresh=True)]]
    rows = [f"| {_SAID[how]} | {sum(hits)} of {len(hits)} |" for how, hits in found.items()]
    total = sum(map(sum, found.values())) / sum(map(len, found.values()))
    return "\n".join([
        "## Figures that come again, and phrases found again", "",
        "`benchmarks/figures.py` draws phrases by chance (scales, pentatonics, arpeggios; walks, runs, arcs, riffs) and "
        "plants a figure of 3 to 7 notes in each, played 2 to 4 times, moved in one way. Seeds and two of five ways of "
        "wandering that no threshold saw; a phrase without is one in which no six notes come twice. Found means: two "
        "thirds of the planted notes are in one figure, and no more than a third of its notes lie elsewhere.", "",
        "| the figure comes again | found |", "|---|---|", *rows,
        f"| all | {total:.3f} (aim 27 of 30: 0.900) |", "",
        f"In {len(claimed)} phrases without, {sum(claimed)} figures were claimed "
        f"({30 * sum(claimed) / len(claimed):.2f} in 30; aim none in 30).", "",
        _collected(),
    ])  # fmt: skip


def _collected() -> str:
    """A transposed variant looked for among many projects."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for k in range(_PROJECTS):
            project_file.save(_many(k), folder / f"{k:03}.notcher")
        wanted = _many(77)
        variant = wanted.with_notes(moved(wanted, wanted.notes, "-3").notes)
        project_file.save(replace(variant, request=Request(title="variant")), folder / "077.notcher")
        index = Index(folder / "index.sqlite")
        begin = time.perf_counter()
        index.refresh(folder)
        read = time.perf_counter() - begin
        right, worst = 0, 0.0
        for phrase in wanted.phrases:
            begin = time.perf_counter()
            hits = index.search(folder, Query(like=described(wanted, phrase)))
            worst = max(worst, time.perf_counter() - begin)
            right += bool(hits) and (hits[0].title, hits[0].phrase_id) == ("variant", phrase.id)
        phrases = _PROJECTS * _EACH
    return (
        f"Collect: {_PROJECTS} projects with {phrases} phrases are read in {read:.1f} s, once; of {_EACH} phrases that are "
        f"there three half steps lower, {right} are the first hit, each within {worst:.3f} s (aim 1 s)."
    )


def _many(number: int) -> Project:
    """A project of several phrases drawn by chance."""
    lines = [drawn(100 * number + k, None, fresh=True) for k in range(_EACH)]
    notes: list[Note] = []
    phrases = []
    at = 0.0
    for k, line in enumerate(lines):
        first, last = line.notes[0].onset, line.notes[-1].end
        notes += [replace(n, id=f"p{k}{n.id}", onset=n.onset - first + at + 0.1, end=n.end - first + at + 0.1)
                  for n in line.notes]  # fmt: skip
        phrases.append(Phrase(f"p{k}", f"Line {k}", at, at + last - first + 0.2))
        at += last - first + 0.5
    made = replace(lines[0].project, recording=Recording("", "0" * 64, at, 44100, 1), phrases=tuple(phrases), tempo=None,
                   request=Request(title=f"Song {number}"))  # fmt: skip
    return made.with_notes(notes)
