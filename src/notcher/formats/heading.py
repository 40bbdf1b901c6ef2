"""What stands at the head of every page and text: whose it is, which version, and how the guitar is set up."""

import itertools
from dataclasses import dataclass

from notcher.rhythm.quantize import find_swing
from notcher.score.project import Project
from notcher.score.tuning import Tuning
from notcher.wording import guitar, later, tr, trn
from notcher.wording.chords import SURE_KEY, key_name
from notcher.wording.numbers import clock

FLAT = later("The recording sits {cents:.0f} cents flat of A = 440")
SHARP = later("The recording sits {cents:.0f} cents sharp of A = 440")
KEY = later("Key: {key}")
FAST = later("About {bpm:.0f} beats a minute")
# The names of frets and chords are those of the shapes: a capo, or another tuning, makes them sound elsewhere.
LOWER = (later("Sounds {n} fret lower than written"), later("Sounds {n} frets lower than written"))
HIGHER = (later("Sounds {n} fret higher than written"), later("Sounds {n} frets higher than written"))
SWING = later("Swung: the second half of a beat comes late")


def title(project: Project) -> str:
    """The title, or that there is none."""
    return project.request.title or tr("Untitled solo")


@dataclass(frozen=True, slots=True)
class Since:
    """What changed since a handout: its date, YYYY-MM-DD, each change in words, and the notes that are other now."""

    made: str
    lines: tuple[str, ...]
    notes: frozenset[str]


@dataclass(frozen=True, slots=True)
class Said:
    """What a head says beside what its project knows. shown: the version or layer that is seen, in words; learner: whom
    it is made for, where that is not who asked; series: what it is a part of; since: what changed since the last
    handout; remark: what is to be known of the pages."""

    shown: str = ""
    learner: str = ""
    series: str = ""
    since: Since | None = None
    remark: str = ""


PLAIN = Said()


def whose(project: Project, said: Said = PLAIN) -> str:
    """Performer, which version of it, who asked, and what else is said: in one line."""
    r = project.request
    learner = said.learner or r.asked_by
    parts = (r.performer, r.version, learner and tr("for {name}", name=learner), said.shown, said.series)
    return " · ".join(t for t in parts if t)


def facts(project: Project) -> list[str]:
    """How the guitar is tuned, where a capo sits, how far the recording is from A = 440, how fast it is."""
    found = guitar.facts(project.tuning)
    if against := _against_shapes(project.tuning):
        found.append(against)
    if project.offset_cents <= -1:
        found.append(tr(FLAT, cents=-project.offset_cents))
    if project.offset_cents >= 1:
        found.append(tr(SHARP, cents=project.offset_cents))
    keys = _keys(project)
    if keys:
        found.append(tr(KEY, key=", ".join(keys)))
    if project.tempo:
        found.append(tr(FAST, bpm=project.tempo.bpm()))
        swing = find_swing([n.onset for n in project.notes], project.tempo) if project.notes else 0.0
        if swing > 0.5:
            found.append(tr(SWING))
    return found


def _keys(project: Project) -> list[str]:
    """The key, and those it changes to, with the bar or the time from which each is; none that is a guess."""
    tempo = project.tempo
    sure = [k for k in project.keys if k.decided or k.confidence >= SURE_KEY]
    if not sure:
        return []
    out = [key_name(sure[0].key)]
    for before, after in itertools.pairwise(sure):
        if after.key == before.key:
            continue
        if tempo is not None:
            bar = tempo.bar_of(round(tempo.beat_at(after.start)))
            out.append(tr("{key} from bar {bar}", key=key_name(after.key), bar=max(1, bar)))
        else:
            out.append(tr("{key} from {time}", key=key_name(after.key), time=clock(after.start)))
    return out


def _against_shapes(tuning: Tuning) -> str:
    """How a shape's sound differs from what it is called in standard tuning; '' where it does not, or not evenly."""
    shift = tuning.shape_shift()
    if not shift:
        return ""
    if shift > 0:
        return trn("Sounds {n} fret lower than written", "Sounds {n} frets lower than written", shift)
    return trn("Sounds {n} fret higher than written", "Sounds {n} frets higher than written", -shift)
