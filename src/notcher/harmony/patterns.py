"""Figures that come again inside a phrase or a solo: moved along the neck, to other strings, in pitch or in the scale,
backwards, in another rhythm, with a note that is the odd one out.

What counts is how little likely it is that the same would stand there by chance. Each interval that comes again is
worth its surprise, -log2 of how common it is (half in this passage, half in melodies at large), its rhythm likewise;
from the sum goes the number of places at which a figure might have been found (log2 of it), as in minimum description
length (Rissanen 1978; Meredith and others 2002 look for translated patterns in the same way). What is left must reach
LEAST_BITS, chosen on invented phrases with and without figures (benchmarks/figures.py, development seeds).
"""

import itertools
import math
from collections import Counter
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from enum import Enum, auto

from notcher.harmony.roles import sounding
from notcher.harmony.scales import Scale, fitting
from notcher.score.chords import key_at
from notcher.score.note import Mark, Note, strikes
from notcher.score.project import Project
from notcher.score.spelling import within
from notcher.score.tempo import TempoMap

LEAST_BITS = 4.4
# Notes that a figure has at least: two only where the pair climbs or falls (in thirds), as else it is a trill.
_FEWEST = 3
_PAIRS_AT_LEAST = 4
# Onset to onset, two lengths are one where they differ by less than this factor (log2).
_SAME_LENGTH = 0.45
# Bits that a note off the figure costs: which of its notes, and what it is instead.
_ODD_COSTS = 5.0
_ODD_LEAST = 5
# Bits that further playings may bring a figure which is not sure enough by two.
_EXTENDS = 6.0
# Bits of a figure that comes again in its place, or an octave off, or goes back from the very tone at which it turned.
_SAME_PLACE = 2.0
# Bits that a figure costs which comes again in another rhythm.
_OTHER_RHYTHM_COSTS = 2.0
# Bits that a figure which is played backwards costs: lines turn back by chance more readily than they come again.
_TURNED_COSTS = 3.0
# Scales in which figures are looked for, as notcher.harmony.scales ranks them: up to the church modes and the minors.
_PLAIN = 5
# Share of the surest figure's bits, and of its notes, with which a smaller one is taken instead.
_AS_GOOD, _AS_MUCH = 0.35, 0.9
# Notes of a figure that is looked for where its steps from one playing to the next differ; notes up to which a whole
# project is searched at once.
_LONGEST, MOST_NOTES = 24, 600


class Domain(Enum):
    """In what a figure is the same. SHAPE: strings and frets, moved as one; PITCH: half steps; SCALE: steps of the
    scale."""

    SHAPE = auto()
    PITCH = auto()
    SCALE = auto()


@dataclass(frozen=True, slots=True)
class Move:
    """How one playing of a figure lies to the one before it: strings (towards thicker ones above zero), frets, half
    steps; steps of the scale where it moves in that, else None. strings and frets: None where they do not move as one.
    rhythm: how many times as long its notes are, None where the rhythm is another. odd: which of its notes differ,
    from 0."""

    strings: int | None
    frets: int | None
    semitones: int | None
    steps: int | None = None
    backwards: bool = False
    rhythm: float | None = 1.0
    odd: tuple[int, ...] = ()

    @property
    def same(self) -> bool:
        """Whether it is played where it was played first."""
        return self.strings == 0 and self.frets == 0


@dataclass(frozen=True, slots=True)
class Playing:
    """One playing of a figure: its notes by their ids in order, and how it lies to the one before, None for the
    first."""

    notes: tuple[str, ...]
    start: float
    end: float
    move: Move | None


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure that comes again. size: its notes; playings: in order, at least two; crosses: whether, in even notes, it
    begins on another part of the beat from one playing to the next; bits: how sure it is."""

    size: int
    playings: tuple[Playing, ...]
    crosses: bool
    bits: float


@dataclass(frozen=True, slots=True)
class _Line:
    """What is compared: one note of each stroke."""

    notes: tuple[Note, ...]
    pitches: tuple[int, ...]
    steps: tuple[int, ...] | None
    lengths: tuple[float, ...]
    beats: tuple[float, ...] | None


@dataclass(frozen=True, slots=True)
class _Found:
    """Playings by their first note in the line."""

    firsts: tuple[int, ...]
    size: int
    domain: Domain
    backwards: bool
    bits: float
    odd: tuple[int, int] | None = None

    def covers(self) -> set[int]:
        return {at + k for at in self.firsts for k in range(self.size)}


def figures(project: Project, notes: Sequence[Note]) -> tuple[Figure, ...]:
    """The figures that come again in some notes (in time order), the surest first; no note belongs to two."""
    line = _line(project, notes)
    if len(line.notes) < 2 * _FEWEST or len(line.notes) > MOST_NOTES:
        return ()
    chosen: list[_Found] = []
    taken: set[int] = set()
    candidates = sorted(_candidates(line), key=lambda f: (-f.bits, f.size))
    for best in candidates:
        if not taken & best.covers():
            found = _smallest(best, [c for c in candidates if not taken & c.covers()])
            chosen.append(found)
            taken |= found.covers()
    return tuple(_figure(line, f) for f in chosen)


def _smallest(best: _Found, others: Sequence[_Found]) -> _Found:
    """The smallest figure that explains about as much as the surest: of a scale in threes not three of its threes."""
    own = best.covers()
    as_good = [
        c for c in others
        if c.size < best.size and c.bits >= _AS_GOOD * best.bits and len(c.covers() & own) >= _AS_MUCH * len(own)
    ]  # fmt: skip
    return min([best, *as_good], key=lambda c: c.size)


def _line(project: Project, notes: Sequence[Note]) -> _Line:
    top = [max(s, key=lambda n: n.pitch(project.tuning)) for s in strikes(n for n in notes if Mark.DEAD not in n.marks)]
    pitches = tuple(sounding(n, project) for n in top)
    onsets = [n.onset for n in top]
    beats = _beats(project.tempo, onsets)
    at = beats or onsets
    lengths = tuple(max(b - a, 1e-3) for a, b in itertools.pairwise(at))
    return _Line(tuple(top), pitches, _steps(project, top, pitches), lengths, tuple(beats) if beats else None)


def _beats(tempo: TempoMap | None, onsets: Sequence[float]) -> list[float] | None:
    return [tempo.beat_at(t) for t in onsets] if tempo is not None else None


def _steps(project: Project, notes: Sequence[Note], pitches: Sequence[int]) -> tuple[int, ...] | None:
    """Each pitch as a step of the scale that holds them all, that of the key sooner than another; None where no scale
    does."""
    seconds: dict[int, float] = {}
    for n, p in zip(notes, pitches, strict=True):
        seconds[p % 12] = seconds.get(p % 12, 0.0) + n.duration
    key = key_at(project, notes[0].onset) if notes else None
    tonics = ([key.key.tonic] if key is not None else []) + [within(pc, -5) for pc in range(12)]
    for tonic in tonics:
        found = fitting(seconds, tonic)
        if found is not None and not found[1] and found[0].plain <= _PLAIN:
            return tuple(_step(p, tonic.pitch_class, found[0]) for p in pitches)
    return None


def _step(pitch: int, tonic: int, scale: Scale) -> int:
    octave, above = divmod(pitch - tonic, 12)
    return octave * len(scale.semitones) + sorted(scale.semitones).index(above)


# -- what is worth how much ----------------------------------------------------------------------------------------

# How common intervals of melodies are, by half steps and by steps of a scale, either way (rounded from memory of many
# counts, as Huron 2006, Sweet Anticipation, figure 5.1, shows them).
_HALF_STEPS = {0: 0.12, 1: 0.09, 2: 0.14, 3: 0.08, 4: 0.045, 5: 0.045, 7: 0.02}
_SCALE_STEPS = {0: 0.12, 1: 0.25, 2: 0.1, 3: 0.04, 4: 0.03}
_RARE = 0.01
_A_STEP, _OF_A_RUN = 2, 0.5
_STRING = {0: 0.6, 1: 0.17, 2: 0.025}


def _usual(symbol: Hashable, domain: Domain) -> float:
    if domain is Domain.SHAPE and isinstance(symbol, tuple):
        strings, frets = symbol
        return _STRING.get(abs(strings), 0.005) * _HALF_STEPS.get(abs(frets), _RARE)
    table = _SCALE_STEPS if domain is Domain.SCALE else _HALF_STEPS
    return table.get(abs(symbol), _RARE) if isinstance(symbol, int) else _RARE


def _worth(symbols: Sequence[Hashable], domain: Domain, pitches: Sequence[int]) -> list[float]:
    own = Counter(symbols)
    whole = len(symbols)
    bits = [-math.log2(0.5 * _usual(s, domain) + 0.5 * own[s] / whole) for s in symbols]
    moves = [b - a for a, b in itertools.pairwise(pitches)]
    for k in range(1, whole):
        # A step that goes on as the one before it is what a run does anyway (melodic inertia, Larson 2004), and a tone
        # that came twice comes a third time.
        stepping = 0 < abs(moves[k]) <= _A_STEP and 0 < abs(moves[k - 1]) <= _A_STEP and moves[k] * moves[k - 1] > 0
        if stepping or moves[k] == moves[k - 1] == 0:
            bits[k] *= _OF_A_RUN
    return bits


def _rhythm_worth(lengths: Sequence[float]) -> list[float]:
    """Bits of each length: how many others in the line are about as long."""
    logs = [math.log2(x) for x in lengths]
    return [-math.log2(max(sum(abs(x - y) < _SAME_LENGTH for y in logs) / len(logs), 1e-3)) for x in logs]


# -- finding -------------------------------------------------------------------------------------------------------


def _symbols(line: _Line, domain: Domain) -> tuple[Hashable, ...]:
    if domain is Domain.SHAPE:
        return tuple((b.string - a.string, b.fret - a.fret) for a, b in itertools.pairwise(line.notes))
    values = line.pitches if domain is Domain.PITCH else line.steps or ()
    return tuple(b - a for a, b in itertools.pairwise(values))


def _candidates(line: _Line) -> list[_Found]:
    rhythm = _rhythm_worth(line.lengths)
    domains = [d for d in Domain if d is not Domain.SCALE or line.steps is not None]
    searched = math.log2(len(line.notes) ** 2 * len(domains))
    out: list[_Found] = []
    for domain in domains:
        symbols = _symbols(line, domain)
        worth = _worth(symbols, domain, line.pitches)
        weighed = _Weighed(line, domain, symbols, worth, rhythm, searched)
        own: list[_Found] = []
        for apart in range(2, len(line.notes) - 1):
            own.extend(weighed.at_distance(apart))
        if domain is Domain.PITCH:
            own.extend(weighed.backwards())
        out.extend(weighed.extended(f) for f in own if f.bits >= LEAST_BITS - _EXTENDS)
    return [f for f in out if f.bits >= LEAST_BITS]


@dataclass(frozen=True, slots=True)
class _Weighed:
    """One domain's intervals, and what each is worth where it comes again."""

    line: _Line
    domain: Domain
    symbols: tuple[Hashable, ...]
    worth: Sequence[float]
    rhythm: Sequence[float]
    searched: float

    def at_distance(self, apart: int) -> list[_Found]:
        """Figures whose playings begin so many notes apart."""
        same = [self.symbols[k] == self.symbols[k + apart] for k in range(len(self.symbols) - apart)]
        out: list[_Found] = []
        for start, stop in _runs(same):
            # stop - start intervals come again: so many notes and one.
            if stop - start + 1 >= apart:
                out.extend(self._chain(start, stop, apart))
            elif stop - start + 1 >= _FEWEST:
                out.append(self._pair(start, start + apart, stop - start + 1))
        if apart <= _LONGEST:
            out.extend(self._jumping(same, apart))
        out.extend(self._with_odd(same, apart))
        return [f for f in out if not self._dull(f)]

    def _pair(self, first: int, second: int, size: int, odd: tuple[int, int] | None = None) -> _Found:
        gone = {odd[1] - 1, odd[1]} if odd else set()
        own = [k for k in range(size - 1) if k not in gone]
        bits = sum(self.worth[first + k] for k in own) + self._rhythm_bits(first, second, size)
        bits += self._interval_bits((first, second)) - self._looked_for(second - first - size)
        bits -= _ODD_COSTS if odd else 0.0
        return _Found((first, second), size, self.domain, False, bits, odd)

    def _looked_for(self, between: int) -> float:
        """Bits of the places at which two playings might have been found, with so many notes between them: what comes
        again comes at once more often than later."""
        whole = math.log2(len(self.line.notes))
        return self.searched - whole + min(whole, 1.0 + 2.0 * math.log2(1 + max(0, between)))

    def _chain(self, start: int, stop: int, apart: int) -> list[_Found]:
        """Playings one right after the other, each as far from the last as the one before it."""
        times = 1 + (stop - start + 1) // apart
        firsts = tuple(start + apart * k for k in range(times))
        moved = self._moves(firsts)
        if apart == 2 and (not moved or times < _PAIRS_AT_LEAST):
            return []
        last = firsts[-1] + apart - 1
        bits = sum(self.worth[k] for k in range(start, last - apart))
        # Three notes come again by chance so often that they are looked for everywhere.
        bits -= self._looked_for(0) if apart > _FEWEST else self.searched
        bits += sum(self._rhythm_bits(a, b, apart) for a, b in itertools.pairwise(firsts))
        bits += self._interval_bits(firsts)
        return [_Found(firsts, apart, self.domain, False, bits)]

    def _jumping(self, same: Sequence[bool], apart: int) -> list[_Found]:
        """Playings one right after the other whose steps from one to the next differ."""
        out = []
        for offset in range(len(same)):
            firsts = [offset]
            while all(same[firsts[-1] : firsts[-1] + apart - 1]) and firsts[-1] + apart - 1 <= len(same):
                firsts.append(firsts[-1] + apart)
            begun = offset >= apart and all(same[offset - apart : offset - 1])
            if len(firsts) > 2 and not begun and apart >= _FEWEST:
                bits = sum(sum(self.worth[f : f + apart - 1]) for f in firsts[:-1]) - self.searched
                bits += sum(self._rhythm_bits(a, b, apart) for a, b in itertools.pairwise(firsts))
                out.append(_Found(tuple(firsts), apart, self.domain, False, bits))
        return out

    def _with_odd(self, same: Sequence[bool], apart: int) -> list[_Found]:
        """Two playings of which one has a note that is another."""
        out = []
        runs = _runs(same)
        for (start, stop), (later, end) in itertools.pairwise(runs):
            if later - stop != 2 or end - start + 1 < _ODD_LEAST:
                continue
            # The note between the two intervals that differ; those beside it lie as they should.
            if not self._closes(stop, apart):
                continue
            size = min(end - start + 1, apart)
            odd = stop + 1 - start
            if odd < size:
                out.append(self._pair(start, start + apart, size, (1, odd)))
        return out

    def _closes(self, at: int, apart: int) -> bool:
        line = self.line
        if self.domain is Domain.SHAPE:
            a, b, c, d = (line.notes[k] for k in (at, at + 2, at + apart, at + apart + 2))
            return (b.string - a.string, b.fret - a.fret) == (d.string - c.string, d.fret - c.fret)
        values = line.pitches if self.domain is Domain.PITCH else line.steps or ()
        return values[at + 2] - values[at] == values[at + apart + 2] - values[at + apart]

    def backwards(self) -> list[_Found]:
        """Two playings of which the second goes back over the first."""
        out: list[_Found] = []
        n = len(self.symbols)
        for total in range(2, 2 * n - 3):
            earlier = range(max(0, total - n + 1), (total + 1) // 2)
            turned = [self.symbols[k] == _turned(self.symbols[total - k]) for k in earlier]
            for start, stop in _runs(turned):
                first, size = earlier[start], stop - start + 1
                second = total - first - size + 2
                if second < first + size:
                    # They share the note at which it turns; it belongs to the first.
                    size, second = size - 1, second + 1
                if size < _FEWEST + 1 or second < first + size:
                    continue
                bits = sum(self.worth[first : first + size - 1]) - _TURNED_COSTS
                bits -= self._looked_for(second - first - size)
                bits += self._rhythm_bits(first, second, size, backwards=True)
                if self.line.pitches[first + size - 1] == self.line.pitches[second]:
                    bits += _SAME_PLACE
                out.append(_Found((first, second), size, self.domain, True, bits))
        return [f for f in out if not self._dull(f)]

    def extended(self, found: _Found) -> _Found:
        """With further playings anywhere in the line, of which one may have a note that is another."""
        if found.backwards or found.size < _FEWEST:
            return found
        firsts, odd, bits = list(found.firsts), found.odd, found.bits
        taken = found.covers()
        model = firsts[1] if odd is not None and odd[0] == 0 else firsts[0]
        for at in range(len(self.line.notes) - found.size + 1):
            off = self._off(model, at, found.size)
            if off is None or (off and (odd is not None or found.size < _ODD_LEAST - 1)):
                continue
            if not taken.isdisjoint(range(at, at + found.size)):
                continue
            gone = {off[0] - 1, off[0]} if off else set()
            more = sum(self.worth[model + k] for k in range(found.size - 1) if k not in gone)
            more += self._rhythm_bits(model, at, found.size)
            beside = at in (max(firsts) + found.size, min(firsts) - found.size)
            more -= 1.0 if beside else math.log2(len(self.line.notes))
            more -= math.log2(found.size) + 1 if off else 0.0
            if more < 1:
                continue
            firsts.append(at)
            bits += more
            taken |= set(range(at, at + found.size))
            if off:
                odd = (at, off[0])
        firsts.sort()
        if odd is not None and odd[0] in firsts and found.odd is None:
            odd = (firsts.index(odd[0]), odd[1])
        elif odd is not None:
            odd = (firsts.index(found.firsts[odd[0]]), odd[1])
        return _Found(tuple(firsts), found.size, self.domain, False, bits, odd)

    def _off(self, first: int, second: int, size: int) -> list[int] | None:
        """Which notes of the second lie otherwise: none, or one that is neither its first nor its last; else None."""
        wrong: list[int] = []
        for k in range(size - 1):
            if self.symbols[first + k] != self.symbols[second + k]:
                wrong.append(k)
                if len(wrong) > 2:
                    return None
        if not wrong:
            return []
        if len(wrong) == 2 and wrong[1] == wrong[0] + 1 and self._closes(first + wrong[0], second - first):
            return [wrong[1]]
        return None

    def _interval_bits(self, firsts: Sequence[int]) -> float:
        """What it is worth that playings lie in one place or an octave apart, which is what players do most."""
        here = [abs(self.line.pitches[b] - self.line.pitches[a]) for a, b in itertools.pairwise(firsts)]
        return sum(_SAME_PLACE for x in here if x in (0, 12))

    def _moves(self, firsts: Sequence[int]) -> bool:
        return len({self.line.pitches[f] for f in firsts}) > 1

    def _rhythm_bits(self, first: int, second: int, size: int, *, backwards: bool = False) -> float:
        ours, theirs = (self.line.lengths[f : f + size - 1] for f in (first, second))
        ways = [theirs, theirs[::-1]] if backwards else [theirs]
        if len(theirs) < size - 1 or all(_ratio(ours, way) is None for way in ways):
            return -_OTHER_RHYTHM_COSTS
        return sum(self.rhythm[first : first + size - 1])

    def _dull(self, found: _Found) -> bool:
        """Whether it is no figure but a run, all its intervals alike in half steps or in the scale, or a trill."""
        first, size = found.firsts[0], found.size
        if size == 2:
            return False
        # The step from one playing to the next counts where they follow one another: of 1 2 3, 2 3 4 it turns back.
        linked = found.firsts[1] == first + size
        steps = [self.line.pitches]
        if self.line.steps is not None:
            steps.append(self.line.steps)
        for values in steps:
            own = {b - a for a, b in itertools.pairwise(values[first : first + size + linked])}
            if len(own) == 1:
                return True
        # A figure of which half of the notes merely alternate is a trill.
        pitches = self.line.pitches[first : first + size]
        return len(set(pitches)) < (2 if size < 4 else 3)


def _turned(symbol: Hashable) -> Hashable:
    return -symbol if isinstance(symbol, int) else symbol


def _runs(same: Sequence[bool]) -> list[tuple[int, int]]:
    out: list[tuple[int, int]] = []
    at = 0
    for good, group in itertools.groupby(same):
        length = len(list(group))
        if good:
            out.append((at, at + length))
        at += length
    return out


# -- saying how ----------------------------------------------------------------------------------------------------


def _ratio(ours: Sequence[float], theirs: Sequence[float]) -> float | None:
    """By how much longer the second's lengths are than the first's; None where not all are by the same."""
    logs = [math.log2(b / a) for a, b in zip(ours, theirs, strict=True)]
    if not logs:
        return 1.0
    middle = sorted(logs)[len(logs) // 2]
    if any(abs(x - middle) > _SAME_LENGTH for x in logs):
        return None
    return 2.0 ** round(middle) if abs(middle - round(middle)) < _SAME_LENGTH else 2.0**middle


def _figure(line: _Line, found: _Found) -> Figure:
    playings: list[Playing] = []
    for nth, at in enumerate(found.firsts):
        notes = line.notes[at : at + found.size]
        move = _move(line, found, nth) if nth else None
        playings.append(Playing(tuple(n.id for n in notes), notes[0].onset, notes[-1].end, move))
    return Figure(found.size, tuple(playings), _crosses(line, found), found.bits)


def _move(line: _Line, found: _Found, nth: int) -> Move:
    size, before, at = found.size, found.firsts[nth - 1], found.firsts[nth]
    # A note that is the odd one out in either says nothing of how the figure moved.
    off = (found.odd[1],) if found.odd is not None and found.odd[0] in (nth - 1, nth) else ()
    kept = [k for k in range(size) if k not in off]
    theirs = [at + (size - 1 - k if found.backwards else k) for k in kept]
    ours = [before + k for k in kept]
    strings = {line.notes[b].string - line.notes[a].string for a, b in zip(ours, theirs, strict=True)}
    frets = {line.notes[b].fret - line.notes[a].fret for a, b in zip(ours, theirs, strict=True)}
    half = {line.pitches[b] - line.pitches[a] for a, b in zip(ours, theirs, strict=True)}
    steps = None
    if found.domain is Domain.SCALE and line.steps is not None:
        steps = line.steps[at] - line.steps[before]
    lengths = line.lengths[before : before + size - 1], line.lengths[at : at + size - 1]
    as_one = len(strings) == 1 and len(frets) == 1
    odd = off if found.odd is not None and found.odd[0] == nth else ()
    return Move(
        strings.pop() if as_one else None, frets.pop() if as_one else None, half.pop() if len(half) == 1 else None,
        steps, found.backwards, 1.0 if found.backwards else _ratio(*lengths), odd,
    )  # fmt: skip


# Places of a beat that are told apart, and those that a figure must begin on to cross it.
_PLACES, _CROSSING_PLACES = 12, 3


def _crosses(line: _Line, found: _Found) -> bool:
    """Whether, from one playing to the next, it begins on another part of the beat, in notes of one length."""
    if line.beats is None or len(found.firsts) < 3 or found.backwards:
        return False
    first, last = found.firsts[0], found.firsts[-1]
    lengths = line.lengths[first : last + found.size - 1]
    if _ratio([lengths[0]] * len(lengths), lengths) is None:
        return False
    gaps = [line.beats[b] - line.beats[a] for a, b in itertools.pairwise(found.firsts)]
    middle = sorted(gaps)[len(gaps) // 2]
    if abs(middle - round(middle)) <= 0.15:
        return False
    # Where but two places alternate, as in threes of six, each is not on another.
    places = {round(line.beats[k] % 1 * _PLACES) % _PLACES for k in found.firsts}
    return len(places) >= _CROSSING_PLACES


def by_note(found: Sequence[Figure]) -> Mapping[str, tuple[Figure, Playing]]:
    """Each note's figure and playing, by its id."""
    return {name: (f, p) for f in found for p in f.playings for name in p.notes}


def solo_figures(project: Project) -> tuple[Figure, ...]:
    """The figures within each phrase, then those that come again from one phrase to another, in time order."""
    inside = [f for p in project.phrases for f in figures(project, project.notes_between(p.start, p.end))]
    taken = set(by_note(inside))
    across = [f for f in figures(project, project.notes) if not taken & set(by_note([f]))]
    return tuple(sorted((*inside, *across), key=lambda f: f.playings[0].start))
