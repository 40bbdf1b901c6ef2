"""Two states of a solo side by side: what changed, note by note, in words."""

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace

from notcher.score.clause import Clause, Ordinal, quoted
from notcher.score.errors import ScoreError
from notcher.score.note import Bend, Note, Vibrato
from notcher.score.project import Phrase, Project, State
from notcher.score.technique import ATTACK_OF, BEND_OF, FINGERS, INTERVALS, ROW_OF

_SAME_ONSET_S = 0.06
_MOVED_S, _LASTS_S = 0.01, 0.05
# Differences under which nobody plays or hears another note (common practice, no source): of an onset and a length, and
# of a vibrato's beginning, rate and extent.
_HEARD_S, _HEARD_LONGER_S, _HEARD_START_S, _HEARD_HZ, _HEARD_CENTS = 0.03, 0.1, 0.15, 0.7, 8.0


@dataclass(frozen=True, slots=True)
class Change:
    """time: seconds in the recording; what: as a clause; note_id: of the note as it is now, '' where it is gone or no
    note is meant."""

    time: float
    what: Clause
    note_id: str = ""


def name_state(project: Project, name: str, *, made: str, learner: str = "") -> Project:
    """Keep the solo as it is now under a name; made: today's date, YYYY-MM-DD; learner: whom it is handed out to.
    Raises ScoreError for a name in use."""
    state = State(name.strip(), made, project.tuning, project.notes, project.phrases, learner.strip())
    if any(s.name.lower() == state.name.lower() for s in project.states):
        raise ScoreError("there is a state '{name}' already; choose another name", name=state.name)
    return _with_states(project, (*project.states, state))


def with_state_of(project: Project, other: Project, what: str) -> Project:
    """The project with another one's notes as its newest state, named by what that is and when: 'on disk, 16:05'."""
    now = datetime.datetime.now()
    state = State(
        free_state_name(project, f"{what}, {now:%H:%M}"),
        now.date().isoformat(),
        other.tuning,
        other.notes,
        other.phrases,
    )
    return _with_states(project, (*project.states, state))


def free_state_name(project: Project, name: str) -> str:
    """The name, or the first with a number that no state has."""
    taken = {s.name.lower() for s in project.states}
    return next(n for k in range(1, len(taken) + 2) if (n := name if k == 1 else f"{name} ({k})").lower() not in taken)


def last_handed_to(project: Project, learner: str) -> State | None:
    """The newest state that was handed out to a learner, letter case ignored."""
    return next((s for s in reversed(project.states) if s.learner.lower() == learner.strip().lower() != ""), None)


def forget_state(project: Project, name: str) -> Project:
    """Let a named state go."""
    return _with_states(project, tuple(s for s in project.states if s.name != name))


def state_named(project: Project, name: str) -> State:
    """The state of that name. Raises ScoreError, listing the names."""
    for state in project.states:
        if state.name.lower() == name.strip().lower():
            return state
    if not project.states:
        raise ScoreError("there is no state '{name}'; this project has none yet", name=name)
    known = quoted(s.name for s in project.states)
    raise ScoreError("there is no state '{name}'; this project has {known}", name=name, known=known)


def _with_states(project: Project, states: tuple[State, ...]) -> Project:
    return replace(project, states=states)


def changes_since(state: State, project: Project, *, audible: bool = False) -> list[Change]:
    """What changed since a state was named, in time order: tuning, notes, phrases. audible: only what is heard or
    played otherwise, as for a learner: not a vibrato that begins 20 ms later."""
    out: list[Change] = []
    if state.tuning != project.tuning:
        # The tunings themselves: what a guitar's tuning is called is said by who shows it.
        out.append(Change(0.0, Clause("tuned {now} instead of {was}", now=project.tuning, was=state.tuning)))
    for before, after in paired(state.notes, project.notes):
        if before is None and after is not None:
            out.append(Change(after.onset, _new(after), after.id))
        elif after is None and before is not None:
            out.append(Change(before.onset, Clause("{place} is gone", place=place_clause(before))))
        elif before is not None and after is not None:
            said = note_changes(_as_good_as(before, after) if audible else before, after)
            if said:
                what = Clause("{place}: {changes}", place=place_clause(before), changes=tuple(said))
                out.append(Change(after.onset, what, after.id))
    out += _phrase_changes(state.phrases, project.phrases)
    return sorted(out, key=lambda c: c.time)


def paired(old: Sequence[Note], new: Sequence[Note]) -> list[tuple[Note | None, Note | None]]:
    """Which note became which: by id, then what begins together on one string or of one fret and string pitch."""
    by_id = {n.id: n for n in new}
    pairs: list[tuple[Note | None, Note | None]] = [(n, by_id.pop(n.id)) for n in old if n.id in by_id]
    known = {a.id for a, _ in pairs if a is not None}
    left = sorted(by_id.values(), key=lambda n: n.onset)
    for n in old:
        if n.id in known:
            continue
        near = [m for m in left if abs(m.onset - n.onset) < _SAME_ONSET_S]
        same = min(near, key=lambda m: (m.string != n.string, abs(m.onset - n.onset)), default=None)
        if same is not None:
            left.remove(same)
        pairs.append((n, same))
    return pairs + [(None, m) for m in left]


def _as_good_as(before: Note, after: Note) -> Note:
    """The note before, with what nobody hears the difference of as it is after."""
    was, now = before.vibrato, after.vibrato
    if was is not None and now is not None:
        away = abs(was.start - now.start), abs(was.rate_hz - now.rate_hz), abs(was.extent_cents - now.extent_cents)
        if all(d < least for d, least in zip(away, (_HEARD_START_S, _HEARD_HZ, _HEARD_CENTS), strict=True)):
            before = replace(before, vibrato=now)
    if abs(before.onset - after.onset) < _HEARD_S and abs(before.duration - after.duration) < _HEARD_LONGER_S:
        before = replace(before, onset=after.onset, end=after.end)
    return before


def note_changes(before: Note, after: Note, *, timing: bool = True) -> list[Clause]:
    """What a note is now that it was not. timing: whether onset, length and written values count."""
    said: list[Clause] = []
    if (before.string, before.fret) != (after.string, after.fret):
        said.append(Clause("now {place}", place=place_clause(after)))
    if before.attack != after.attack:
        now, was = (Clause(ATTACK_OF[n.attack].words) for n in (after, before))
        said.append(Clause("{now} instead of {was}", now=now, was=was))
    said += _bend_changes(before.bend, after.bend)
    said += _vibrato_changes(before.vibrato, after.vibrato)
    said += [Clause("with {mark}", mark=Clause(ROW_OF[m].words)) for m in sorted(after.marks - before.marks)]
    said += [Clause("no {mark}", mark=Clause(ROW_OF[m].words)) for m in sorted(before.marks - after.marks)]
    if before.finger != after.finger:
        said.append(Clause("no finger said" if after.finger is None else FINGERS[after.finger]))
    if before.partial != after.partial and after.partial is not None:
        said.append(Clause("touched at {node:.1f}", node=after.node_fret()))
    if before.raked_from != after.raked_from:
        from_ = after.raked_from
        said.append(
            Clause("no string said for the rake") if from_ is None else Clause("raked from string {from_}", from_=from_)
        )
    if before.sounding != after.sounding:
        share = after.sounding
        said.append(
            Clause("sounding as played") if share is None
            else Clause("sounding for {percent:.0f} % of its value", percent=share * 100)
        )  # fmt: skip
    if before.doubt != after.doubt:
        said.append(Clause("doubtful: {why}", why=after.doubt) if after.doubt else Clause("no longer doubtful"))
    if before.advice != after.advice:
        said.append(Clause("advice: {advice}", advice=after.advice) if after.advice else Clause("no advice any more"))
    return said + (_timing_changes(before, after) if timing else [])


def _bend_changes(before: Bend | None, after: Bend | None) -> list[Clause]:
    if before is None and after is None:
        return []
    if after is None:
        return [Clause("not bent")]
    far = Clause(INTERVALS[after.target_cents])
    now = Clause("{bend} of {interval}", bend=Clause(BEND_OF[after.kind].words), interval=far)
    if before is None:
        return [now, *([_rises(after)] if after.rise is not None else [])]
    said = []
    if before.kind is not after.kind:
        said.append(now)
    elif before.target_cents != after.target_cents:
        said.append(Clause("bent {now} instead of {was}", now=far, was=Clause(INTERVALS[before.target_cents])))
    if before.rise != after.rise:
        said.append(_rises(after))
    return said


def _rises(bend: Bend) -> Clause:
    if bend.rise is None:
        return Clause("rises as usual")
    return Clause("rises slowly, over {seconds:.2f} s", seconds=bend.rise)


def _vibrato_changes(before: Vibrato | None, after: Vibrato | None) -> list[Clause]:
    if after is None:
        return [Clause("without vibrato")] if before is not None else []
    if before is None:
        return [Clause("with vibrato")]
    now, was = (
        Clause(
            "{hz:.1f} Hz, {cents:.0f} cents, from {start:.2f} s on", hz=v.rate_hz, cents=v.extent_cents, start=v.start
        )
        for v in (after, before)
    )
    return [Clause("vibrato of {now}, instead of {was}", now=now, was=was)] if str(now) != str(was) else []


def _timing_changes(before: Note, after: Note) -> list[Clause]:
    said = []
    moved, longer = after.onset - before.onset, after.duration - before.duration
    if abs(moved) >= _MOVED_S:
        said.append(Clause("{ms:.0f} ms later" if moved > 0 else "{ms:.0f} ms earlier", ms=abs(moved) * 1000))
    if abs(longer) >= _LASTS_S:
        said.append(Clause("{ms:.0f} ms longer" if longer > 0 else "{ms:.0f} ms shorter", ms=abs(longer) * 1000))
    if (before.written_at, before.written_length) != (after.written_at, after.written_length):
        said.append(Clause("written on another place or with another value"))
    return said


def _phrase_changes(old: Sequence[Phrase], new: Sequence[Phrase]) -> list[Change]:
    was, now = {p.id: p for p in old}, {p.id: p for p in new}
    out = [Change(p.start, Clause("phrase '{name}' is new", name=p.name)) for i, p in now.items() if i not in was]
    out += [Change(p.start, Clause("phrase '{name}' is gone", name=p.name)) for i, p in was.items() if i not in now]
    for i in was.keys() & now.keys():
        a, b = was[i], now[i]
        said = []
        if a.name != b.name:
            said.append(Clause("phrase '{was}' is called '{now}'", was=a.name, now=b.name))
        if a.showing != b.showing:
            shown = Clause("phrase '{name}' is shown {now} instead of {was}", name=b.name, now=b.showing, was=a.showing)
            said.append(shown)
        if abs(a.start - b.start) >= _LASTS_S or abs(a.end - b.end) >= _LASTS_S:
            said.append(Clause("phrase '{name}' is cut elsewhere", name=b.name))
        out += [Change(b.start, what) for what in said]
    return out


def place_clause(note: Note) -> Clause:
    """Where a note lies: its fret, and its string by number."""
    if note.fret == 0:
        return Clause("open, {nth} string", nth=Ordinal(note.string))
    return Clause("fret {fret}, {nth} string", fret=note.fret, nth=Ordinal(note.string))


def _new(note: Note) -> Clause:
    plain = Note(note.id, note.onset, note.end, note.string, note.fret)
    said = note_changes(plain, note, timing=False)
    if not said:
        return Clause("{place} is new", place=place_clause(note))
    return Clause("{place} is new: {changes}", place=place_clause(note), changes=tuple(said))
