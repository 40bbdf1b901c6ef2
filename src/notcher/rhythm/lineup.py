"""A written score laid along what was heard in a recording: which note is which, and where the beats fall.

Two passes over both as sequences: each note of the score is paired with one that was heard, or with none, so that what
is left over and what does not fit costs least (a global alignment, Needleman and Wunsch 1970). After the first pass,
which looks at pitches only, times are looked at too: a pair is dear where it lies away from the line through the pairs
around it.
"""

import itertools
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from notcher.rhythm.hold import hold_written
from notcher.rhythm.otherwise import (
    SHORTEST_S,
    SOUNDS_AS_FRET,
    SOUNDS_HIGHER,
    SOUNDS_LOWER,
    Otherwise,
    doubted,
    otherwise,
    told_apart,
)
from notcher.rhythm.values import TICKS, places_of, written
from notcher.score.clause import Clause
from notcher.score.errors import ScoreError
from notcher.score.note import Bend, Note, struck_together
from notcher.score.project import Phrase, Project, Recording
from notcher.score.tempo import TempoMap

_SKIP_SCORE, _SKIP_HEARD, _OTHER_PITCH, _OCTAVE, _NEAR = 1.0, 0.6, 3.0, 0.5, 0.8
_PASSES = 3
# How far, in seconds, a pair may lie from the line through its neighbours before it costs as much as a wrong pitch.
_SLACK_S = (1.2, 0.5, 0.35)
# How many times as far where the score has no beat: a tab whose columns say the order, and hardly the time.
_ROUGHLY = 8.0
_AROUND = 9
_LEAST_SHARE = 0.25
# Of all notes, from which it is the guitar that is tuned otherwise, and not its notes that are wrong.
_MOVED_SHARE = 0.4
NOT_HEARD = Clause("in the score, but not heard in the recording").pattern
BENT_OTHERWISE = Clause("the recording is bent by {heard} cents here, the score has {written}").pattern
DOUBTS = (NOT_HEARD, SOUNDS_AS_FRET, SOUNDS_LOWER, SOUNDS_HIGHER, BENT_OTHERWISE)
"""All that a note of a score may be doubted for."""
# Cents by which a bend goes elsewhere than it is written.
_OTHER_BEND_CENTS = 70.0
# Chance from which a bend that was heard is believed against the score.
_SURE_OF_A_BEND = 0.85


@dataclass(frozen=True, slots=True)
class LinedUp:
    """The score in the time of the recording; how many of its notes were heard, and how many heard notes it lacks.
    others: its notes in whose place another pitch was heard, which are not among those that were."""

    project: Project
    matched: int
    extra: int
    others: tuple[Otherwise, ...] = ()

    def over(self, measured: Project) -> Project:
        """The measured project with the score in the place of its notes, its tuning, phrases and, where the score has a
        rhythm, its beat."""
        lined = self.project
        return replace(
            measured,
            tuning=lined.tuning,
            phrases=lined.phrases or measured.phrases,
            tempo=lined.tempo or measured.tempo,
        ).with_notes(lined.notes)


def line_up(score: Project, heard: Sequence[Note], recording: Recording) -> LinedUp:
    """Lay a score along notes heard in a recording; both on tunings of their own, pitches are compared as they sound.

    The beats are moved so that written places stay where they are; what was measured of bends and vibrato comes from
    the recording; notes that were not heard keep their place between the others and get a doubt. Raises ScoreError
    where too little fits.
    """
    notes = score.notes
    if not notes:
        raise ScoreError("nothing can be lined up: the score is empty")
    if not heard:
        raise ScoreError("nothing can be lined up: no note was heard")
    pairs = _paired(score, heard)
    if len(pairs) < max(2, _LEAST_SHARE * len(notes)):
        raise ScoreError(
            "only {some} of {all} notes of the score fit what was heard: is it the same solo, in the same key? If the "
            "guitar is tuned otherwise, say how",
            some=len(pairs), all=len(notes),
        )  # fmt: skip
    line = _Line(np.array([notes[i].onset for i, _ in pairs]), np.array([heard[j].onset for _, j in pairs]))
    pairs, instead = told_apart(score, heard, pairs, line.around)
    tempo = _moved_map(score.tempo, line) if score.tempo is not None else None
    partner, others = dict(pairs), tuple(otherwise(score, notes[i], heard[j]) for i, j in instead.items())
    if moved_by := _all_moved(others, len(notes)):
        raise ScoreError(_higher(moved_by) if moved_by > 0 else _lower(-moved_by))
    doubts = {o.note: o for o in others}
    moved = [
        _taken(n, heard[partner[i]], alone=_is_alone(n, notes)) if i in partner
        else doubted(n, heard[instead[i]], doubts[n.id]) if i in instead
        else _between(n, line)
        for i, n in enumerate(notes)
    ]  # fmt: skip
    phrases = tuple(
        Phrase(p.id, p.name, start, max(line(p.end), start + SHORTEST_S))
        for p in score.phrases
        for start in [max(0.0, line(p.start))]
    )
    lined = replace(score, recording=recording, tempo=tempo, phrases=phrases).with_notes(moved)
    left_over = len(heard) - len(pairs) - len(others)
    return LinedUp(hold_written(lined, *_as_written(score)), len(pairs), left_over, others)


def _higher(n: int) -> Clause:
    return Clause(
        "nearly every note sounds {n} half step higher than in the score: is the guitar tuned otherwise? Say how",
        many="nearly every note sounds {n} half steps higher than in the score: is the guitar tuned otherwise? Say how",
        n=n,
    )


def _lower(n: int) -> Clause:
    return Clause(
        "nearly every note sounds {n} half step lower than in the score: is the guitar tuned otherwise? Say how",
        many="nearly every note sounds {n} half steps lower than in the score: is the guitar tuned otherwise? Say how",
        n=n,
    )


def _all_moved(others: Sequence[Otherwise], count: int) -> int:
    """Half steps by which most of so many notes sound elsewhere; 0 where they do not."""
    moved = Counter(o.apart for o in others)
    by, times = moved.most_common(1)[0] if moved else (0, 0)
    return by if times > _MOVED_SHARE * count else 0


def _as_written(score: Project) -> tuple[dict[str, Fraction], dict[str, Fraction]]:
    """Where each note of the score is written and how long, in beats."""
    if score.tempo is None:
        return {}, {}
    places = places_of(score.notes, score.tempo)
    starts = {n.id: p.start for n, p in zip(score.notes, places, strict=True) if not p.grace}
    events = written(score.notes, score.tempo).events
    return starts, {n.id: Fraction(e.ticks, TICKS) for e in events for n in e.notes}


def _paired(score: Project, heard: Sequence[Note]) -> list[tuple[int, int]]:
    """(number in the score, number of what was heard), in order."""
    ours = np.array([n.sounding_pitch(score.tuning) for n in score.notes])
    tops = np.array([n.pitch(score.tuning) + (n.bend.target_cents / 100 if n.bend else 0) for n in score.notes])
    theirs = np.array([n.sounding_pitch(score.tuning) for n in heard])
    their_tops = np.array([n.pitch(score.tuning) + (n.bend.target_cents / 100 if n.bend else 0) for n in heard])
    apart = np.abs(ours[:, None] - theirs[None, :])
    cost = np.where(apart < 0.5, 0.0, np.where(apart % 12 < 0.5, _OCTAVE, np.where(apart < 1.5, _NEAR, _OTHER_PITCH)))
    # What is bent in one and picked at its top in the other is the same note.
    cost = np.minimum(cost, np.where(np.abs(tops[:, None] - their_tops[None, :]) < 0.5, 0.3, _OTHER_PITCH))
    starts, onsets = np.array([n.onset for n in score.notes]), np.array([n.onset for n in heard])
    pairs = _aligned(cost)
    rough = _ROUGHLY if score.tempo is None else 1.0
    for slack in (rough * s for s in _SLACK_S[:_PASSES]):
        if len(pairs) < 4:
            break
        line = _Line(starts[[i for i, _ in pairs]], onsets[[j for _, j in pairs]])
        away = np.abs(np.array([line.around(t) for t in starts])[:, None] - onsets[None, :])
        pairs = _aligned(cost + _OTHER_PITCH * np.minimum(3.0, (away / slack) ** 2))
    return pairs


def _aligned(cost: NDArray[np.float64]) -> list[tuple[int, int]]:
    """The cheapest pairing in order; cost: shape (n of the score, n heard)."""
    n, m = cost.shape
    skipped = _SKIP_HEARD * np.arange(m + 1)
    rows = [skipped]
    for i in range(n):
        above = rows[-1]
        down = above + _SKIP_SCORE
        best = down.copy()
        best[1:] = np.minimum(best[1:], above[:-1] + cost[i])
        # Skipping what was heard, any number in a row.
        rows.append(np.minimum.accumulate(best - skipped) + skipped)
    pairs: list[tuple[int, int]] = []
    i, j = n, m
    while i > 0 and j > 0:
        here = rows[i][j]
        if abs(here - rows[i - 1][j - 1] - cost[i - 1, j - 1]) < 1e-9:
            if cost[i - 1, j - 1] < _OTHER_PITCH:
                pairs.append((i - 1, j - 1))
            i, j = i - 1, j - 1
        elif abs(here - rows[i - 1][j] - _SKIP_SCORE) < 1e-9:
            i -= 1
        else:
            j -= 1
    return pairs[::-1]


class _Line:
    """From times in the score to times in the recording, through the pairs."""

    def __init__(self, starts: NDArray[np.float64], onsets: NDArray[np.float64]) -> None:
        self._x, which = np.unique(starts, return_index=True)
        self._y = np.maximum.accumulate(onsets[which])
        fit = np.polyfit(self._x, self._y, 1) if len(self._x) > 1 else np.array([1.0, self._y[0] - self._x[0]])
        self._slope = float(fit[0]) if fit[0] > 0.05 else 1.0

    def __call__(self, time: float) -> float:
        """Between pairs a straight line, beyond them the mean slope."""
        if time < self._x[0]:
            return float(self._y[0] + (time - self._x[0]) * self._slope)
        if time > self._x[-1]:
            return float(self._y[-1] + (time - self._x[-1]) * self._slope)
        return float(np.interp(time, self._x, self._y))

    def around(self, time: float) -> float:
        """As the pairs around it have it: the median of where each of them, with the slope there, would put it."""
        k = int(np.searchsorted(self._x, time))
        low, high = max(0, k - _AROUND), min(len(self._x), k + _AROUND)
        x, y = self._x[low:high], self._y[low:high]
        slopes = np.diff(y) / np.diff(x)
        slope = float(np.median(slopes)) if len(slopes) else self._slope
        return float(np.median(y + (time - x) * (slope if slope > 0.05 else self._slope)))


def _moved_map(tempo: TempoMap, line: _Line) -> TempoMap:
    """The beats where the notes around them put them: a player's lateness on one note is not a beat that is late."""
    beats = [line.around(t) for t in tempo.beats]
    shortest = 0.1
    for k, (a, b) in enumerate(itertools.pairwise(beats), 1):
        beats[k] = max(b, a + shortest)
    return TempoMap(tuple(beats), tempo.beats_per_bar, tempo.pickup, tempo.changes, tempo.unit)


def _taken(note: Note, heard: Note, *, alone: bool) -> Note:
    """The score's note where it was heard, with what was measured of it. alone: nothing else is struck with it."""
    bend, doubt = note.bend, note.doubt
    if bend is not None and heard.bend is not None and heard.bend.points:
        bend = Bend(bend.kind, bend.target_cents, heard.bend.points)
        peak = bend.peak_cents or 0.0
        sure = alone and (heard.sure is None or heard.sure.bend >= _SURE_OF_A_BEND)
        if sure and min(peak, abs(peak - bend.target_cents)) >= _OTHER_BEND_CENTS:
            doubt = doubt or BENT_OTHERWISE.format(heard=f"{peak:.0f}", written=bend.target_cents)
    vibrato = heard.vibrato if note.vibrato and heard.vibrato else note.vibrato
    end = max(heard.end, heard.onset + SHORTEST_S)
    return replace(note, onset=heard.onset, end=end, bend=bend, vibrato=vibrato, evidence=heard.evidence, doubt=doubt)


def _is_alone(note: Note, notes: Sequence[Note]) -> bool:
    return not any(m is not note and struck_together(m.onset, note.onset) for m in notes)


def _between(note: Note, line: _Line) -> Note:
    onset = max(0.0, line(note.onset))
    return replace(note, onset=onset, end=max(line(note.end), onset + SHORTEST_S), doubt=note.doubt or NOT_HEARD)
