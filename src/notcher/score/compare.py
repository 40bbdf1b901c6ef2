"""Two states of a solo side by side: what changed, note by note, in words."""

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace

from notcher.score.errors import ScoreError
from notcher.score.note import Bend, Note, Vibrato
from notcher.score.project import Phrase, Project, State
from notcher.score.words import ATTACK_WORDS, BEND_WORDS, INTERVAL_WORDS, MARK_WORDS, clock, finger_words, ordinal

_SAME_ONSET_S = 0.06
_MOVED_S, _LASTS_S = 0.01, 0.05


@dataclass(frozen=True, slots=True)
class Change:
    """time: seconds in the recording; words: a clause; note_id: of the note as it is now, '' where it is gone or no
    note is meant."""

    time: float
    words: str
    note_id: str = ""

    @property
    def line(self) -> str:
        """As it stands in a list."""
        return f"{clock(self.time)}  {self.words}"


def name_state(project: Project, name: str, *, made: str) -> Project:
    """Keep the solo as it is now under a name; made: today's date, YYYY-MM-DD. Raises ScoreError for a name in use."""
    state = State(name.strip(), made, project.tuning, project.notes, project.phrases)
    if any(s.name.lower() == state.name.lower() for s in project.states):
        raise ScoreError(f"there is a state '{state.name}' already; choose another name")
    return _with_states(project, (*project.states, state))


def with_state_of(project: Project, other: Project, what: str) -> Project:
    """The project with another one's notes as its newest state, named by what that is and when: 'on disk, 16:05'."""
    now = datetime.datetime.now()
    name = f"{what}, {now:%H:%M}"
    taken = {s.name.lower() for s in project.states}
    number = 1
    while (unique := name if number == 1 else f"{name} ({number})").lower() in taken:
        number += 1
    state = State(unique, now.date().isoformat(), other.tuning, other.notes, other.phrases)
    return _with_states(project, (*project.states, state))


def forget_state(project: Project, name: str) -> Project:
    """Let a named state go."""
    return _with_states(project, tuple(s for s in project.states if s.name != name))


def state_named(project: Project, name: str) -> State:
    """The state of that name. Raises ScoreError, listing the names."""
    for state in project.states:
        if state.name.lower() == name.strip().lower():
            return state
    known = ", ".join(f"'{s.name}'" for s in project.states) or "none yet"
    raise ScoreError(f"there is no state '{name}'; this project has {known}")


def _with_states(project: Project, states: tuple[State, ...]) -> Project:
    return replace(project, states=states)


def changes_since(state: State, project: Project) -> list[Change]:
    """What changed since a state was named, in time order: tuning, notes, phrases."""
    out: list[Change] = []
    if state.tuning != project.tuning:
        out.append(Change(0.0, f"tuned {project.tuning.called()} instead of {state.tuning.called()}"))
    for before, after in paired(state.notes, project.notes):
        if before is None and after is not None:
            out.append(Change(after.onset, f"{_where(after)} is new{_how(after)}", after.id))
        elif after is None and before is not None:
            out.append(Change(before.onset, f"{_where(before)} is gone"))
        elif before is not None and after is not None:
            said = note_changes(before, after)
            if said:
                out.append(Change(after.onset, f"{_where(before)}: {', '.join(said)}", after.id))
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


def note_changes(before: Note, after: Note, *, timing: bool = True) -> list[str]:
    """What a note is now that it was not, as clauses. timing: whether onset, length and written values count."""
    said: list[str] = []
    if (before.string, before.fret) != (after.string, after.fret):
        said.append(f"now {_where(after)}")
    if before.attack != after.attack:
        said.append(f"{ATTACK_WORDS[after.attack]} instead of {ATTACK_WORDS[before.attack]}")
    said += _bend_changes(before.bend, after.bend)
    said += _vibrato_changes(before.vibrato, after.vibrato)
    said += [f"with {MARK_WORDS[m]}" for m in sorted(after.marks - before.marks)]
    said += [f"no {MARK_WORDS[m]}" for m in sorted(before.marks - after.marks)]
    if before.finger != after.finger:
        said.append("no finger said" if after.finger is None else finger_words(after.finger))
    if before.partial != after.partial and after.partial is not None:
        said.append(f"touched at {after.node_fret():.1f}")
    if before.raked_from != after.raked_from:
        said.append(
            "no string said for the rake" if after.raked_from is None else f"raked from string {after.raked_from}"
        )
    if before.sounding != after.sounding:
        share = after.sounding
        said.append("sounding as played" if share is None else f"sounding for {share * 100:.0f} % of its value")
    if before.doubt != after.doubt:
        said.append(f"doubtful: {after.doubt}" if after.doubt else "no longer doubtful")
    return said + (_timing_changes(before, after) if timing else [])


def _bend_changes(before: Bend | None, after: Bend | None) -> list[str]:
    if before is None and after is None:
        return []
    if after is None:
        return ["not bent"]
    now = f"{BEND_WORDS[after.kind]} of {INTERVAL_WORDS[after.target_cents]}"
    if before is None:
        return [now, *([_rises(after)] if after.rise is not None else [])]
    said = []
    if before.kind is not after.kind:
        said.append(now)
    elif before.target_cents != after.target_cents:
        said.append(f"bent {INTERVAL_WORDS[after.target_cents]} instead of {INTERVAL_WORDS[before.target_cents]}")
    if before.rise != after.rise:
        said.append(_rises(after))
    return said


def _rises(bend: Bend) -> str:
    return "rises as usual" if bend.rise is None else f"rises slowly, over {bend.rise:.2f} s"


def _vibrato_changes(before: Vibrato | None, after: Vibrato | None) -> list[str]:
    if after is None:
        return ["without vibrato"] if before is not None else []
    if before is None:
        return ["with vibrato"]
    now, was = (
        f"{v.rate_hz:.1f} Hz, {v.extent_cents:.0f} cents, from {v.start:.2f} s on" for v in (after, before)
    )  # fmt: skip
    return [f"vibrato of {now}, instead of {was}"] if now != was else []


def _timing_changes(before: Note, after: Note) -> list[str]:
    said = []
    moved = after.onset - before.onset
    if abs(moved) >= _MOVED_S:
        said.append(f"{abs(moved) * 1000:.0f} ms {'later' if moved > 0 else 'earlier'}")
    longer = after.duration - before.duration
    if abs(longer) >= _LASTS_S:
        said.append(f"{abs(longer) * 1000:.0f} ms {'longer' if longer > 0 else 'shorter'}")
    if (before.written_at, before.written_length) != (after.written_at, after.written_length):
        said.append("written on another place or with another value")
    return said


def _phrase_changes(old: Sequence[Phrase], new: Sequence[Phrase]) -> list[Change]:
    was, now = {p.id: p for p in old}, {p.id: p for p in new}
    out = [Change(p.start, f"phrase '{p.name}' is new") for i, p in now.items() if i not in was]
    out += [Change(p.start, f"phrase '{p.name}' is gone") for i, p in was.items() if i not in now]
    for i in was.keys() & now.keys():
        a, b = was[i], now[i]
        if a.name != b.name:
            out.append(Change(b.start, f"phrase '{a.name}' is called '{b.name}'"))
        if a.showing != b.showing:
            out.append(Change(b.start, f"phrase '{b.name}' is shown {b.showing} instead of {a.showing}"))
        if abs(a.start - b.start) >= _LASTS_S or abs(a.end - b.end) >= _LASTS_S:
            out.append(Change(b.start, f"phrase '{b.name}' is cut elsewhere"))
    return out


def _where(note: Note) -> str:
    fret = "open" if note.fret == 0 else f"fret {note.fret}"
    return f"{fret}, {ordinal(note.string)} string"


def _how(note: Note) -> str:
    plain = Note(note.id, note.onset, note.end, note.string, note.fret)
    said = note_changes(plain, note, timing=False)
    return f": {', '.join(said)}" if said else ""
