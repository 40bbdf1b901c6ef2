"""What the hands have to do in a phrase, told ahead: shifts, stretches, what bends pull, where harmonics are."""

from collections.abc import Sequence

from notcher.place.fingers import THUMB, Fingered
from notcher.place.harmonics import PINCHED_PARTIALS, pinch_nodes
from notcher.place.strokes import Stroke, Stroked
from notcher.place.way import Step, off_its_own, shifts, widest
from notcher.score.note import Mark, Note
from notcher.score.pitch import tension_ratio
from notcher.score.project import Project
from notcher.wording.catalogue import term
from notcher.wording.names import ordinal
from notcher.wording.notes import finger_name
from notcher.wording.say import tr, trn

_SHOWN_SHIFTS = 4


def figure(hand: Fingered, fret: int) -> str:
    """What stands in a tag for a note at a fret: the finger, or that none is needed."""
    if hand.finger is None:
        return term("neck", "t") if fret else "0"
    return str(hand.finger) if hand.finger != THUMB else term("staff", "T")


def ahead_words(project: Project, notes: Sequence[Note], hand: Sequence[Fingered]) -> str:
    """All of it in one line. notes: of the phrase, where they lie or would lie; hand: for each."""
    steps = [Step(n.onset, n.fret, f) for n, f in zip(notes, hand, strict=True)]
    said = [_shifts(project, steps), _stretch(project, steps), _bend(project, notes), _pinched(project, notes)]
    return " · ".join(s for s in said if s)


def note_words(project: Project, note: Note, hand: Fingered, stroked: Stroked | None) -> str:
    """Of one note: '10th position, fourth finger stretched by 1 fret (18 mm), down stroke'."""
    said = [tr("{nth} position", nth=ordinal(hand.position))]
    if hand.finger is None:
        said.append(tr("the fretting hand is free"))
    else:
        off, mm = off_its_own(Step(note.onset, note.fret, hand), project.tuning, scale_mm=project.playing.scale_mm)
        finger = finger_name(hand.finger)
        said.append(
            finger if not off
            else trn(
                "{finger} stretched by {n} fret ({mm:.0f} mm)", "{finger} stretched by {n} frets ({mm:.0f} mm)", off,
                finger=finger, mm=mm,
            ) if off > 0
            else trn(
                "{finger} drawn back by {n} fret ({mm:.0f} mm)", "{finger} drawn back by {n} frets ({mm:.0f} mm)", -off,
                finger=finger, mm=mm,
            )
        )  # fmt: skip
    if stroked is not None:
        said.append(tr("down stroke") if stroked.stroke is Stroke.DOWN else tr("up stroke"))
    return ", ".join(said)


def _shifts(project: Project, steps: Sequence[Step]) -> str:
    found = shifts(steps, project.tuning, scale_mm=project.playing.scale_mm)
    if not found:
        return ""
    each = [
        trn(
            "{start} → {end} ({frets} fret, {mm:.0f} mm, {ms:.0f} ms)",
            "{start} → {end} ({frets} frets, {mm:.0f} mm, {ms:.0f} ms)", s.frets,
            start=ordinal(s.start), end=ordinal(s.end), frets=s.frets, mm=s.mm, ms=1000 * s.seconds,
        )
        for s in found[:_SHOWN_SHIFTS]
    ]  # fmt: skip
    return tr("Shifts: {shifts}", shifts=", ".join(each) + (" …" if len(found) > _SHOWN_SHIFTS else ""))


def _stretch(project: Project, steps: Sequence[Step]) -> str:
    found = widest(steps, project.tuning, scale_mm=project.playing.scale_mm)
    if found is None or not found.frets:
        return ""
    return trn(
        "widest stretch: {n} fret, {mm:.0f} mm", "widest stretch: {n} frets, {mm:.0f} mm", found.frets, mm=found.mm
    )


def _bend(project: Project, notes: Sequence[Note]) -> str:
    """The farthest one: how far, where it sounds like, what the string pulls."""
    bent = [n for n in notes if n.bend and n.bend.target_cents]
    if not bent:
        return ""
    note = max(bent, key=lambda n: n.bend.target_cents if n.bend else 0)
    assert note.bend is not None
    ratio = tension_ratio(note.bend.target_cents / 100)
    said = tr(
        "farthest bend: {interval} ({cents} cents), fret {fret} sounds like {goal:g}, {rise:.0f} % more tension",
        interval=term("staff", note.bend.interval_name), cents=note.bend.target_cents, fret=note.fret,
        goal=note.sounds_like_fret(), rise=100 * (ratio - 1),
    )  # fmt: skip
    newtons = project.playing.tension(note.string, project.tuning.pitches[note.string - 1])
    if newtons is not None:
        said += tr(" ({slack:.0f} → {pulled:.0f} N)", slack=newtons, pulled=newtons * ratio)
    return said


def _pinched(project: Project, notes: Sequence[Note]) -> str:
    """Where the first pinch harmonic is touched, for the partials that sing."""
    note = next((n for n in notes if Mark.PINCH_HARMONIC in n.marks), None)
    if note is None:
        return ""
    found = []
    for partial in PINCHED_PARTIALS:
        nodes = pinch_nodes(note.fret, partial, project.tuning, scale_mm=project.playing.scale_mm)
        if nodes:
            mm = ", ".join(f"{node:.0f}" for node in nodes)
            found.append(tr("partial {partial} at {mm} mm", partial=partial, mm=mm))
    if not found:
        return ""
    return tr(
        "pinch harmonic, string {string} fret {fret}, from the bridge: {where}", string=note.string, fret=note.fret,
        where="; ".join(found),
    )  # fmt: skip
