"""Commands on the selected notes."""

import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import NOTCH, PLACE
from notcher.app.state.desk import Desk
from notcher.place.harmonics import Node
from notcher.rhythm.count import place_of
from notcher.score import edits
from notcher.score.clause import Clause
from notcher.score.curve import Curve
from notcher.score.errors import ScoreError
from notcher.score.gap import Gap
from notcher.score.note import Attack, BendKind, Mark, Vibrato
from notcher.score.project import Project
from notcher.score.repeat import copy_passage, move_passage
from notcher.score.technique import ATTACKS, BENDS, MARKS, Family
from notcher.wording import later, tr

NUDGE = 0.005
_NEW_NOTE_S = 0.25
_DIGIT_PAUSE_S = 0.9
_NO_NOTES = later("there are no notes here yet; measure the recording, or add one with A")
# What is said of hands may be said where hands are looked at.
_BOTH = (NOTCH, PLACE)
_BEND_ORDER: tuple[BendKind | None, ...] = (*(row.kind for row in BENDS), None)


def apply(desk: Desk, label: str, change: Callable[[Project, frozenset[str]], Project]) -> bool:
    """Edit the selected notes."""
    ids = desk.session.selection
    return desk.session.edit(label, lambda p: change(p, ids))


def _say_place(desk: Desk, label: str, change: Callable[[Project, frozenset[str]], Project]) -> None:
    """The same, and then the hand's way through the notes around it found anew."""
    ids = desk.session.selection
    desk.placing.edit_fingering(label, lambda p: change(p, ids), ids)


def move(desk: Desk, steps: int) -> None:
    """To the next string at the same pitch; the notes around are placed anew."""
    _say_place(desk, tr("Move to another string"), lambda p, ids: edits.move_to_string(p, ids, steps=steps))


def set_place(desk: Desk, note_id: str, string: int, fret: int) -> None:
    """Put one note where the person says."""
    desk.placing.edit_fingering(
        tr("Choose another place"),
        lambda p: edits.set_place(p, note_id, string=string, fret=fret), frozenset({note_id}),
    )  # fmt: skip


def touch_node(desk: Desk, note_id: str, node: Node) -> None:
    """Make one note the harmonic of a node."""
    desk.placing.edit_fingering(
        tr("Choose another place"),
        lambda p: edits.touch_node(p, note_id, string=node.string, fret=node.fret, partial=node.partial),
        frozenset({note_id}),
    )


class _Digits:
    """Frets typed as one or two digits within a moment."""

    def __init__(self) -> None:
        self._last = (-1, 0.0)

    def __call__(self, desk: Desk, digit: int) -> None:
        before, when = self._last
        now = time.monotonic()
        fret = before * 10 + digit if before in (1, 2) and now - when < _DIGIT_PAUSE_S else digit
        if fret > 24:
            fret = digit
        self._last = (fret if fret < 10 else -1, now)
        _say_place(desk, tr("Fret {fret}", fret=fret), lambda p, ids: edits.change_fret(p, ids, to=fret))


_digits = _Digits()


def nudge(desk: Desk, *, onset: float = 0.0, end: float = 0.0) -> None:
    """Move onsets or ends of the selected notes by seconds."""
    apply(desk, tr("Nudge"), lambda p, ids: edits.nudge(p, ids, onset=onset, end=end))


def split(desk: Desk) -> None:
    """Cut the selected note, or the one under the playhead, at the playhead."""
    at = desk.transport.position
    chosen = desk.session.selected_notes() or [n for n in desk.session.project.notes if n.onset < at < n.end]
    if not chosen:
        desk.said.emit(tr("put the playhead inside the note that is to be split"))
        return
    desk.session.edit(tr("Split note"), lambda p: edits.split_note(p, chosen[0].id, at=at))


def add_heard(desk: Desk) -> None:
    """Write what is heard at the playhead and not written yet; without a recording a note to be corrected."""
    if desk.looking.write():
        return
    at = desk.transport.position
    project = desk.session.project
    pitch = Curve(project.contour).pitch_at(at, project)
    there = pitch is not None and any(abs(pitch - k) < 0.7 for k in project.pitches_at(at))
    if desk.transport.audio is None or (pitch is not None and not there):
        add_at(desk, at)
    else:
        desk.pointing.add(at)


def add_at(desk: Desk, at: float, string: int | None = None) -> None:
    """Add a note at a time: with the pitch that was measured there, on the string asked for where it can be. Raises
    ScoreError for a pitch that is not on the neck."""

    def change(project: Project) -> Project:
        pitch = Curve(project.contour).pitch_at(at, project)
        end = min(at + _NEW_NOTE_S, project.recording.duration or at + _NEW_NOTE_S)
        if pitch is None:
            return edits.add_note(project, onset=at, end=end, string=string or 3, fret=0)
        places = [p for p in project.tuning.places(pitch) if string in (None, p[0])] or project.tuning.places(pitch)
        if not places:
            raise ScoreError("the pitch heard here is not on the neck in this tuning; check the tuning")
        near = min(
            project.notes, key=lambda n: abs(n.onset - at), default=None
        )  # fmt: skip
        place = min(places, key=lambda p: (abs(p[1] - near.fret) + 2 * abs(p[0] - near.string)) if near else p[1])
        return edits.add_note(project, onset=at, end=end, string=place[0], fret=place[1])

    before = {n.id for n in desk.session.project.notes}
    if desk.session.edit(tr("Add note"), change):
        desk.session.select(frozenset(n.id for n in desk.session.project.notes if n.id not in before))


def next_bend_kind(desk: Desk) -> None:
    """The next kind of bend, and after the last none."""
    chosen = desk.session.selected_notes()
    current = chosen[0].bend if chosen else None
    at = _BEND_ORDER.index(current.kind if current else None)
    kind = _BEND_ORDER[(at + 1) % len(_BEND_ORDER)]
    target = current.target_cents if current else (50 if kind is BendKind.CURL else 200)
    apply(desk, tr("Kind of bend"), lambda p, ids: edits.set_bend(p, ids, kind=kind, target_cents=target))


def set_vibrato(desk: Desk, rate_hz: float, extent_cents: float, start: float) -> None:
    """Say how the selected notes are shaken."""
    vibrato = Vibrato(rate_hz, extent_cents, start)
    apply(desk, tr("Vibrato"), lambda p, ids: edits.set_vibrato(p, ids, vibrato=vibrato))


def set_finger(desk: Desk, finger: int) -> None:
    """Say which finger takes the selected notes; said again, nothing is said any more."""
    apply(desk, tr("Finger"), lambda p, ids: edits.set_finger(p, ids, finger=finger))


def set_raked_from(desk: Desk, string: int | None) -> None:
    """Say on which string the rake into the selected notes begins."""
    apply(desk, tr("Rake"), lambda p, ids: edits.set_raked_from(p, ids, string=string))


def set_sounding(desk: Desk, share: float | None) -> None:
    """Say how much of the selected notes' value sounds."""
    apply(desk, tr("Sounding"), lambda p, ids: edits.set_sounding(p, ids, share=share))


def write_at(desk: Desk, part: Fraction | None) -> None:
    """Write the selected onsets on a part of the beat; None: as the search finds."""
    apply(desk, tr("Written place"), lambda p, ids: edits.write_at(p, ids, part=part))


def write_length(desk: Desk, beats: Fraction | None) -> None:
    """Write the selected notes with a value; None: as they were played."""
    apply(desk, tr("Written value"), lambda p, ids: edits.write_length(p, ids, beats=beats))


def shift_written(desk: Desk, steps: int) -> None:
    """Write the selected onsets so many sixteenths later (or earlier) than they stand, or thirds of beats that fall
    into three; the rest settles around them."""
    project = desk.session.project
    chosen = desk.session.selected_notes()
    if project.tempo is None:
        desk.said.emit(tr("there is no beat to write by; find or tap it in the Source room"))
        return
    if not chosen:
        desk.said.emit(tr("no note is selected; click one, or press → for the next"))
        return
    now = {n.id: place_of(project, n) for n in chosen}
    by = Fraction(steps, 3) if project.tempo.unit.in_threes else Fraction(steps, 4) / project.tempo.unit.quarters

    def change(p: Project) -> Project:
        return p.with_notes(
            [replace(n, written_at=(now[n.id].start + by) % 1) if n.id in now else n for n in p.notes]
        )  # fmt: skip

    desk.session.edit(tr("Written place"), change)


def written_as_found(desk: Desk) -> None:
    """Let go of the places and values that were decided for the selected notes."""
    apply(
        desk,
        tr("Written as found"),
        lambda p, ids: edits.write_length(edits.write_at(p, ids, part=None), ids, beats=None),
    )


def bend_arrives(desk: Desk) -> None:
    """A slow bend: its top is reached at the playhead."""
    at = desk.transport.position
    apply(desk, tr("Slow bend"), lambda p, ids: edits.bend_arrives(p, ids, at=at))


def set_bend(desk: Desk, kind: BendKind | None, target_cents: int) -> None:
    """Write a bend of a kind and an interval."""
    apply(desk, tr("Bend"), lambda p, ids: edits.set_bend(p, ids, kind=kind, target_cents=target_cents))


def confirm_and_next(desk: Desk) -> None:
    """Say that the selected notes are right, and go to the next one."""
    if apply(desk, tr("Confirm"), edits.confirm) or desk.session.selected_notes():
        step(desk, 1)


def confirm_phrase(desk: Desk) -> None:
    """Say that the whole phrase is right, but for notes in doubt, and go to the next phrase's first note."""
    confirm_rest(desk, whole=True)


def confirm_rest(desk: Desk, *, whole: bool = False) -> None:
    """Say that all the rest of the phrase is right, but for notes in doubt, and go to the next phrase's first note."""
    project = desk.session.project
    chosen = desk.session.selected_notes()
    at = chosen[0].onset if chosen else desk.transport.position
    phrase = project.phrase_at(at)
    if phrase is None:
        desk.said.emit(tr("no phrase is here; C confirms the selected notes"))
        return
    begin = at if chosen and not whole else phrase.start
    rest = [n for n in project.notes_between(begin, phrase.end) if not n.doubt]
    after = project.notes_between(phrase.end, float("inf"))
    goal = frozenset({after[0].id}) if after else desk.session.selection
    if rest:
        ids = frozenset(n.id for n in rest)
        desk.session.edit(tr("Confirm the rest of the phrase"), lambda p: edits.confirm(p, ids), select=goal)
    desk.session.select(goal)
    step(desk, 0)


def copy_here(desk: Desk) -> None:
    """Copy the selected notes, or without a selection the phrase in hand, to the playhead; the copy is selected."""
    project = desk.session.project
    phrase = desk.phrase
    ids = desk.session.selection
    if not ids and phrase is not None:
        ids = frozenset(n.id for n in project.notes_between(phrase.start, phrase.end))
    before = {n.id for n in project.notes}
    at = desk.transport.position
    if desk.session.edit(tr("Copy a passage"), lambda p: copy_passage(p, ids, at=at)):
        desk.session.select(frozenset(n.id for n in desk.session.project.notes if n.id not in before))


def move_here(desk: Desk) -> None:
    """Move the selected notes to the playhead, beat for beat."""
    ids, at = desk.session.selection, desk.transport.position
    desk.session.edit(tr("Move a passage"), lambda p: move_passage(p, ids, at=at))


def select_phrase(desk: Desk) -> None:
    """Select all notes of the phrase of the selected note, under the playhead, or in hand."""
    project, chosen = desk.session.project, desk.session.selected_notes()
    at = chosen[0].onset if chosen else desk.transport.position
    phrase = project.phrase_at(at) or desk.phrase
    if phrase is None:
        desk.said.emit(tr("there is no phrase here; cut the solo into phrases first"))
        return
    desk.session.select(frozenset(n.id for n in project.notes_between(phrase.start, phrase.end)))


def select_all(desk: Desk) -> None:
    """Select every note."""
    notes = desk.session.project.notes
    if not notes:
        desk.said.emit(tr(_NO_NOTES))
    desk.session.select(frozenset(n.id for n in notes))


def listen_along(desk: Desk) -> None:
    """The listening window on or off; without a selection the note at the playhead is taken."""
    if not desk.listening.on and not desk.session.selection:
        step(desk, 0)
    desk.listening.toggle()


def step(desk: Desk, steps: int, *, extend: bool = False) -> None:
    """Select the next or previous note and bring it into view."""
    note = desk.session.step_selection(steps, extend=extend, near=desk.transport.position)
    if note is None:
        desk.said.emit(tr(_NO_NOTES))
    else:
        desk.axis.reveal_range(note.onset, note.end)
        if not desk.transport.playing:
            desk.transport.seek(note.onset)


def step_unsure(desk: Desk, *, back: bool = False) -> None:
    """Go to what is worth a look next: the note that is likeliest wrong and matters most, or a place where one may be
    missing."""
    found = desk.looking.next(back=back)
    if found is None:
        desk.said.emit(tr("every note is confirmed, and nothing seems to be missing"))
    elif found.gap is not None:
        show_gap(desk, found.gap)
    else:
        if found.note is not None:
            _leave_loop(desk, found.note.onset)
        step(desk, 0)


def _leave_loop(desk: Desk, time: float) -> None:
    """A loop that does not hold what is looked at next is given up: playhead and note would part."""
    loop = desk.transport.loop
    if loop is not None and not loop[0] <= time < loop[1]:
        desk.transport.set_loop(None)
        desk.said.emit(tr("The loop is off: what to look at next lies outside it."))


def show_gap(desk: Desk, gap: Gap) -> None:
    """Look at a place where a note may be missing."""
    _leave_loop(desk, gap.start)
    desk.looking.show(gap)
    desk.axis.reveal_range(gap.start, gap.end)
    if not desk.transport.playing:
        desk.transport.seek(gap.start)


def delete(desk: Desk) -> None:
    """Take the selected notes out and select the one after them; where a missing note is looked at: there is none."""
    if not desk.session.selection and desk.looking.nothing_there():
        return
    chosen = desk.session.selected_notes()
    after = [n for n in desk.session.project.notes if chosen and n.onset > chosen[-1].onset]
    goal = frozenset({after[0].id}) if after else frozenset()
    ids = desk.session.selection
    desk.session.edit(tr("Delete"), lambda p: edits.delete_notes(p, ids), select=goal)


def set_doubt(desk: Desk, reason: str | None) -> bool:
    """Mark the selected notes as doubtful, with the reason; None takes the doubt away."""
    return apply(desk, tr("Doubt"), lambda p, ids: edits.set_doubt(p, ids, reason=reason))


def set_attack(desk: Desk, attack: Attack) -> None:
    """Say how the selected notes are reached."""
    apply(desk, tr("Attack"), lambda p, ids: edits.set_attack(p, ids, attack=attack))


def as_it_may_be(desk: Desk) -> None:
    """Write the likeliest technique that is asked at the selected notes."""
    apply(desk, tr("Use the suggested technique"), edits.as_it_may_be)


def toggle_mark(desk: Desk, mark: Mark) -> None:
    """Write a mark at the selected notes or take it away."""
    apply(desk, tr("Mark"), lambda p, ids: edits.toggle_mark(p, ids, mark=mark))


def _ask_doubt(desk: Desk) -> None:
    chosen = desk.session.selected_notes()
    if not chosen:
        desk.said.emit(tr("select the note that is doubtful first"))
    elif all(n.doubt for n in chosen):
        set_doubt(desk, None)
    else:
        desk.asked.emit("doubt")


def _t(
    id_: str, label: str | Clause, keys: tuple[str, ...], run: Callable[[Desk], object], *,
    rooms: tuple[str, ...] = (NOTCH,),
) -> Command:  # fmt: skip
    return Command(f"note.{id_}", label, keys, "Technique", run, rooms=rooms)


def _n(
    id_: str, label: str, keys: tuple[str, ...], run: Callable[[Desk], object], *, rooms: tuple[str, ...] = (NOTCH,)
) -> Command:  # fmt: skip
    return Command(f"note.{id_}", label, keys, "Notes", run, rooms=rooms)


COMMANDS: tuple[Command, ...] = (
    _n("next", "Next note", ("Right", "N"), lambda d: step(d, 1), rooms=_BOTH),
    _n("previous", "Note before", ("Left",), lambda d: step(d, -1), rooms=_BOTH),
    _n("extend", "Take the next note too", ("Shift+Right",), lambda d: step(d, 1, extend=True)),
    _n("unsure", "Next to look at: likeliest wrong first", ("U",), step_unsure),
    _n("unsure-before", "What was worth a look before that", ("Shift+U",), lambda d: step_unsure(d, back=True)),
    _n("again", "Listen again, by what is confirmed", ("Ctrl+U",), lambda d: d.asked.emit("listen-again")),
    _n("why", "Why: the evidence, and hear just this", ("E",), lambda d: d.asked.emit("why")),
    _n("listen", "Listen along: the note and what leads to it", ("K",), listen_along),
    _n("copy", "Copy the selection or phrase to the playhead", ("Ctrl+D",), copy_here),
    _n("move", "Move the selected notes to the playhead", ("Ctrl+Shift+M",), move_here),
    _n("phrase", "Select the notes of the phrase", ("Shift+A",), select_phrase),
    _n("say", "Say the phrase as a line", ("Y",), lambda d: d.asked.emit("say")),
    _n("chords", "Enter chords, from this bar on", ("O",), lambda d: d.asked.emit("chords")),
    _n("hear-chords", "Hear key and chords", ("Ctrl+K",), lambda d: d.asked.emit("hear-chords")),
    _n("show-chords", "Show or hide the chord line", ("Shift+O",), lambda d: d.asked.emit("show-chords")),
    _n("find", "Find notes, and change them all", ("Ctrl+F",), lambda d: d.asked.emit("find")),
    _n("all", "Select all", ("Ctrl+A",),
       select_all),
    _n("confirm", "Confirm, and next", ("C",), confirm_and_next),
    _n("confirm-phrase", "Confirm the whole phrase", ("Ctrl+Shift+C",), confirm_phrase),
    _n("confirm-rest", "Confirm the rest of the phrase", ("Shift+C",), confirm_rest),
    _n("doubt", "Doubt, with a reason …", ("D",), _ask_doubt),
    _n("maybe", "Use the suggested technique", ("Shift+D",), as_it_may_be),
    _n("thinner", "Same pitch on the thinner string", ("Up",), lambda d: move(d, -1)),
    _n("thicker", "Same pitch on the thicker string", ("Down",), lambda d: move(d, 1)),
    _n("fret-up", "One fret up", ("Shift+Up",),
       lambda d: _say_place(d, tr("Fret up"), lambda p, ids: edits.change_fret(p, ids, by=1))),
    _n("fret-down", "One fret down", ("Shift+Down",),
       lambda d: _say_place(d, tr("Fret down"), lambda p, ids: edits.change_fret(p, ids, by=-1))),
    _n("shape-thinner", "Same frets, one string thinner", ("Ctrl+Shift+Up",),
       lambda d: apply(d, tr("Strings"), lambda p, ids: edits.change_string(p, ids, by=-1))),
    _n("shape-thicker", "Same frets, one string thicker", ("Ctrl+Shift+Down",),
       lambda d: apply(d, tr("Strings"), lambda p, ids: edits.change_string(p, ids, by=1))),
    _n("earlier", "Onset 5 ms earlier", (",",), lambda d: nudge(d, onset=-NUDGE)),
    _n("later", "Onset 5 ms later", (".",), lambda d: nudge(d, onset=NUDGE)),
    _n("shorter", "End 5 ms earlier", ("Ctrl+,",), lambda d: nudge(d, end=-NUDGE)),
    _n("longer", "End 5 ms later", ("Ctrl+.",), lambda d: nudge(d, end=NUDGE)),
    _n("split", "Split at the playhead", ("S",), split),
    _n("join", "Join with one another", ("J",), lambda d: apply(d, tr("Join"), edits.join_notes)),
    _n("add", "Add what is heard at the playhead", ("A",), add_heard),
    _n("delete", "Delete", ("Del", "Backspace"), delete),
    _t("bend", "Kind of bend", ("B",), next_bend_kind),
    _t("bend-wider", "Bend a quarter step wider", ("]",),
       lambda d: apply(d, tr("Bend wider"), lambda p, ids: edits.raise_bend(p, ids, by=50))),
    _t("bend-narrower", "Bend a quarter step narrower", ("[",),
       lambda d: apply(d, tr("Bend narrower"), lambda p, ids: edits.raise_bend(p, ids, by=-50))),
    _t("vibrato", "Vibrato on or off", ("V",), lambda d: apply(d, tr("Vibrato"), edits.toggle_vibrato)),
    *(_t(f"finger-{k}", Clause("finger {k}", k=k) if k else "Thumb", (f"Alt+{k}",),
         partial(set_finger, finger=k), rooms=_BOTH)
      for k in (1, 2, 3, 4, 0)),
    _n("written-earlier", "Written a sixteenth or a third earlier", ("Alt+,",), lambda d: shift_written(d, -1)),
    _n("written-later", "Written a sixteenth or a third later", ("Alt+.",), lambda d: shift_written(d, 1)),
    _n("written-found", "Written as the search finds", ("Alt+/",), written_as_found),
    _t("arrives", "The bend arrives at the playhead", ("Shift+B",), bend_arrives),
    *(_t(str(row.mark), Clause("{mark} on or off", mark=Clause(row.words)), (row.key,),
         partial(toggle_mark, mark=row.mark), rooms=_BOTH if row.family is Family.STROKE else (NOTCH,))
      for row in MARKS if row.key),
    *(_t(str(row.attack), row.label, (row.key,), partial(set_attack, attack=row.attack)) for row in ATTACKS),
)  # fmt: skip

DIGITS: tuple[Command, ...] = tuple(
    Command(f"note.fret-{k}", Clause("fret {k}", k=k), (str(k),), "Notes", lambda d, k=k: _digits(d, k), rooms=(NOTCH,))  # type: ignore[misc]
    for k in range(10)
)
