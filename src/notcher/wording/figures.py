"""Figures that come again, in what an instructor would say: same again, two frets up."""

from notcher.harmony.patterns import Figure, Move
from notcher.wording.names import ordinal
from notcher.wording.say import later, listed, tr, trn

_SLOWER = 1.25
_IN = {2: later("in pairs"), 3: later("in threes"), 4: later("in fours"), 5: later("in fives"), 6: later("in sixes")}


def move_words(move: Move) -> str:
    """One playing against the one before it: 'same again, 2 frets up, but its 3rd note'."""
    return listed([tr("backwards") if move.backwards else tr("same again"), *_where(move), *_otherwise(move)])


def _where(move: Move) -> list[str]:
    if move.strings is not None and move.frets is not None:
        return [w for w in (_strings(move.strings), _frets(move.frets)) if w]
    if move.semitones is not None and move.semitones and move.semitones % 12 == 0:
        n = abs(move.semitones) // 12
        return [trn("an octave up", "{n} octaves up", n) if move.semitones > 0
                else trn("an octave down", "{n} octaves down", n)]  # fmt: skip
    if move.steps:
        n = abs(move.steps)
        return [trn("a step up in the scale", "{n} steps up in the scale", n) if move.steps > 0
                else trn("a step down in the scale", "{n} steps down in the scale", n)]  # fmt: skip
    if move.semitones:
        n = abs(move.semitones)
        return [trn("a half step up", "{n} half steps up", n) if move.semitones > 0
                else trn("a half step down", "{n} half steps down", n)]  # fmt: skip
    return [tr("in another place")]


def _strings(strings: int) -> str:
    if not strings:
        return ""
    n = abs(strings)
    if strings > 0:
        return trn("on the next thicker string", "{n} strings towards the thick ones", n)
    return trn("on the next thinner string", "{n} strings towards the thin ones", n)


def _frets(frets: int) -> str:
    if not frets:
        return ""
    n = abs(frets)
    return trn("a fret up", "{n} frets up", n) if frets > 0 else trn("a fret down", "{n} frets down", n)


def _otherwise(move: Move) -> list[str]:
    said = []
    if move.rhythm is None:
        said.append(tr("in another rhythm"))
    elif move.rhythm >= _SLOWER:
        said.append(tr("half as fast") if move.rhythm == 2.0 else tr("slower"))
    elif move.rhythm <= 1 / _SLOWER:
        said.append(tr("twice as fast") if move.rhythm == 0.5 else tr("faster"))
    said += [tr("but its {nth} note", nth=ordinal(k + 1)) for k in move.odd]
    return said


def figure_words(figure: Figure) -> str:
    """A figure in a sentence: 'A figure of 3 notes goes round 4 times, each on another part of the beat.'"""
    times, moves = len(figure.playings), [p.move for p in figure.playings if p.move is not None]
    alike = all(m == moves[0] for m in moves)
    first = moves[0]
    if times == 2:
        said = tr("A figure of {size} notes, {again}", size=figure.size, again=move_words(first))
    elif alike and first.same:
        said = tr("A figure of {size} notes goes round {times} times", size=figure.size, times=times)
    elif alike and first.steps is not None and abs(first.steps) == 1 and figure.size in _IN:
        pattern = (
            later("The scale up {inn}, {times} times")
            if first.steps > 0
            else later("The scale down {inn}, {times} times")
        )
        said = tr(pattern, inn=tr(_IN[figure.size]), times=times)
    elif alike:
        said = tr("A figure of {size} notes comes {times} times, each {where}", size=figure.size, times=times,
                  where=listed([*_where(first), *_otherwise(first)]))  # fmt: skip
    else:
        said = tr("A figure of {size} notes comes {times} times", size=figure.size, times=times)
        odd = [(k, n) for k, m in enumerate(moves, 2) for n in m.odd]
        if odd:
            said = tr("{figure}; the {nth} time its {note} note differs", figure=said, nth=ordinal(odd[0][0]),
                      note=ordinal(odd[0][1] + 1))  # fmt: skip
    if figure.crosses:
        said = tr("{figure}, each on another part of the beat", figure=said)
    return said + "."
