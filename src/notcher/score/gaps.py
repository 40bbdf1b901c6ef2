"""What is left to look at: notes that may be wrong, places where one may be missing, and what that comes to."""

from dataclasses import dataclass, replace

from notcher.score.gap import Gap
from notcher.score.note import Note
from notcher.score.project import Project

# Seconds and semitones within which a note that was written since fills a gap.
_FILLED_S, _FILLED_STEPS = 0.08, 2
# A long note that is wrong is heard as wrong, and a bend that is wrong is taught wrong: how much more these matter than
# a short, plain note.
_LONG_S, _FOR_LENGTH, _FOR_A_BEND = 1.0, 1.0, 0.5


@dataclass(frozen=True, slots=True)
class Look:
    """One thing to look at. note: or None for a gap; gap: or None for a note; gain: what looking there is expected to
    put right, for ordering only."""

    time: float
    gain: float
    note: Note | None = None
    gap: Gap | None = None


def open_gaps(project: Project) -> tuple[Gap, ...]:
    """The gaps in which nothing was written since."""
    return tuple(g for g in project.gaps if not _filled(g, project))


def _filled(gap: Gap, project: Project) -> bool:
    return any(
        abs(n.onset - gap.start) < _FILLED_S and abs(n.pitch(project.tuning) - gap.midi) <= _FILLED_STEPS
        for n in project.notes_between(gap.start - _FILLED_S, gap.start + _FILLED_S)
    )


def looks(project: Project) -> list[Look]:
    """All that is worth a look, what is likeliest wrong and matters most first: notes the person doubts before all
    others."""
    found = [
        Look(n.onset, _matters(n) * (1.0 - n.confidence) + _asked(n) + (10.0 if n.doubt else 0.0), note=n)
        for n in project.notes
        if n.doubt or not (n.confirmed or n.by_hand)
    ]
    found += [Look(g.start, g.chance * min(1.0, 0.5 + g.end - g.start), gap=g) for g in open_gaps(project)]
    return sorted(found, key=lambda k: (-round(k.gain, 6), k.time))


def expected_mistakes(project: Project) -> tuple[float, int]:
    """How many mistakes are to be expected in what is not confirmed, and among how many notes; a gap counts by its
    chance."""
    open_notes = [n for n in project.notes if not (n.confirmed or n.by_hand)]
    wrong = sum(1.0 - n.confidence for n in open_notes) + sum(g.chance for g in open_gaps(project))
    return wrong, len(open_notes)


def _asked(note: Note) -> float:
    """What looking is expected to put right of the techniques that may be there."""
    return _FOR_A_BEND * sum(m.chance for m in note.suggested)


def _matters(note: Note) -> float:
    longer = _FOR_LENGTH * min(note.duration, _LONG_S) / _LONG_S
    return 0.5 + longer + (_FOR_A_BEND if note.bend is not None else 0.0)


def without_gap(project: Project, gap: Gap) -> Project:
    """The project after the person said that nothing is there."""
    return replace(project, gaps=tuple(g for g in project.gaps if g != gap))
