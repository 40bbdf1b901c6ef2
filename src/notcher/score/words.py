"""Notes, bends and evidence in the words of the trade, for panels and reports."""

from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Bend, Mark, Note
from notcher.score.pitch import note_name
from notcher.score.project import AS_PLAYED, Phrase, Project
from notcher.score.technique import ATTACKS, BENDS, MARKS

BEND_WORDS = {row.kind: row.words for row in BENDS}
ATTACK_WORDS = {row.attack: row.words for row in ATTACKS}
MARK_WORDS = {row.mark: row.words for row in MARKS}
INTERVAL_WORDS = {
    50: "a quarter step", 100: "a half step", 150: "three quarters", 200: "a whole step", 250: "one and a quarter",
    300: "one and a half", 350: "one and three quarters", 400: "two steps", 450: "two and a quarter",
    500: "two and a half", 550: "two and three quarters", 600: "three steps",
}  # fmt: skip


def clock(time: float) -> str:
    """Seconds as m:ss.t, as timestamps of a recording are written."""
    tenths = round(time * 10)
    return f"{tenths // 600}:{tenths // 10 % 60:02d}.{tenths % 10}"


def phrase_label(phrase: Phrase) -> str:
    """A phrase's name, and the version that is shown where there is more than one."""
    return phrase.name if len(phrase.versions) == 1 else f"{phrase.name} · {phrase.showing}"


def phrase_title(phrase: Phrase) -> str:
    """What stands over a phrase in print: its name, and its version where that is not what was played."""
    return phrase.name if phrase.showing == AS_PLAYED else f"{phrase.name} · {phrase.showing}"


def ordinal(string: int) -> str:
    """A string as it is counted: 1st is the thinnest."""
    return {1: "1st", 2: "2nd", 3: "3rd"}.get(string, f"{string}th")


def standing(note: Note) -> str:
    """What the note's colour says: confirmed, in doubt, proposed with its confidence, added by hand."""
    if note.doubt:
        return f"in doubt: {note.doubt}"
    if note.confirmed:
        return "added by hand" if note.by_hand else "confirmed"
    return f"proposed, {note.confidence * 100:.0f} % sure"


def place_words(note: Note, project: Project) -> str:
    """Where a note lies and what it sounds: '9th fret, 3rd string · E4'."""
    fret = "open" if note.fret == 0 else f"fret {note.fret}"
    if note.partial is not None and Mark.NATURAL_HARMONIC in note.marks:
        fret = f"touched at {note.node_fret():.1f}"
    return f"{fret}, {ordinal(note.string)} string · {note_name(note.pitch(project.tuning))}"


def finger_words(finger: int) -> str:
    """A finger of the fretting hand: 'third finger', 'thumb'."""
    return ("thumb", "first finger", "second finger", "third finger", "fourth finger")[finger]


def shape_words(note: Note, project: Project) -> str:
    """The same place named as if in standard tuning, '' where the guitar is not lowered evenly."""
    shift = project.tuning.shape_shift()
    if not shift:
        return ""
    return f"named by shape: {note_name(note.pitch(project.tuning) + shift)}"


def bend_words(note: Note, project: Project) -> list[tuple[str, str]]:
    """(name, value) pairs: what was decided about the bend, and what was measured."""
    if note.bend is None:
        return []
    reached = note.sounds_like_fret()
    goal = note.pitch(project.tuning) + note.bend.target_cents / 100
    rows = [
        ("Written", f"{BEND_WORDS[note.bend.kind]}, {INTERVAL_WORDS[note.bend.target_cents]}"),
        ("Sounds like", f"fret {reached:g}" + (f" ({note_name(round(goal))})" if goal == round(goal) else "")),
    ]
    peak = note.bend.peak_cents
    if peak is None:
        return [*rows, ("Measured", "nothing; written by hand")]
    rows.append(("Measured peak", f"{peak:.0f} cents{_between(peak)}"))
    rows.append(("Against written", _against(peak, note.bend.target_cents)))
    arrives, held = arrival_and_hold(note.bend)
    if not note.bend.starts_raised:
        rows.append(("Reaches its top", f"after {arrives * 1000:.0f} ms, held {held * 1000:.0f} ms"))
    if peak < _HALF_AT_LEAST and not note.bend.starts_raised:
        rows.append(("Curl or half step", _curl_or_half(note, arrives)))
    other = unison_partner(note, project)
    if other is not None:
        apart = 100.0 * note.pitch(project.tuning) + peak - 100.0 * other.pitch(project.tuning)
        where = "in tune (within 5 cents)" if abs(apart) < 5 else f"{abs(apart):.0f} cents {_high_or_low(apart)}"
        rows.append((f"Beside string {other.string}", where))
    return rows


_HALF_AT_LEAST, _CURL_FROM, _TOP_SHARE = 92.0, 0.45, 0.9
_TOGETHER_S, _UNISON_CENTS = 0.06, 80.0


def _high_or_low(cents: float) -> str:
    return "too high" if cents > 0 else "too low"


def _between(peak: float) -> str:
    """That a peak lies halfway between two quarter steps, in words; '' where it is nearer to one."""
    low = int(peak // 50) * 50
    if not 15 <= peak - low <= 35 or low + 50 not in INTERVAL_WORDS:
        return ""
    if low == 0:
        return ", between nothing and a quarter step"
    return f", between {INTERVAL_WORDS[low]} and {INTERVAL_WORDS[low + 50]}"


def _against(peak: float, target: int) -> str:
    miss = peak - target
    if abs(miss) < 8:
        return "on pitch (within 8 cents)"
    return f"{abs(miss):.0f} cents {'over' if miss > 0 else 'short of'} {INTERVAL_WORDS[target]}"


def arrival_and_hold(bend: Bend) -> tuple[float, float]:
    """Seconds from the onset until a measured bend first has nine tenths of its peak, and for how long it stays there
    without a break. Raises ScoreError for a bend that was not measured."""
    if bend.peak_cents is None:
        raise ScoreError("this bend was not measured")
    need = _TOP_SHARE * bend.peak_cents
    first = next(k for k, (_, c) in enumerate(bend.points) if c >= need)
    last = first
    while last + 1 < len(bend.points) and bend.points[last + 1][1] >= need:
        last += 1
    return bend.points[first][0], bend.points[last][0] - bend.points[first][0]


def _curl_or_half(note: Note, arrives: float) -> str:
    """A curl turns up only as the note is left; a half step that fell short got to its top earlier and stayed."""
    share = arrives / note.duration
    if share >= _CURL_FROM:
        return f"curl: it turns up late, {share * 100:.0f} % into the note"
    return f"a half step that fell short: at its top {share * 100:.0f} % into the note"


def unison_partner(note: Note, project: Project) -> Note | None:
    """The unbent note on a thinner string that a bend is pushed up to, or None where there is none."""
    if note.bend is None or note.bend.starts_raised:
        return None
    goal = 100.0 * note.pitch(project.tuning) + note.bend.target_cents
    near = project.notes_between(note.onset - _TOGETHER_S, note.onset + _TOGETHER_S)
    fits = [
        n for n in near
        if n.string < note.string and n.bend is None and abs(100 * n.pitch(project.tuning) - goal) < _UNISON_CENTS
    ]  # fmt: skip
    return max(fits, key=lambda n: n.string, default=None)


def vibrato_words(note: Note) -> str:
    """The vibrato with its units, or that there is none."""
    if note.vibrato is None:
        return "none"
    v = note.vibrato
    return f"{v.rate_hz:.1f} a second, ±{v.extent_cents:.0f} cents, after {v.start * 1000:.0f} ms"


def reasons(note: Note) -> list[str]:
    """Why the program says so, one sentence for each thing that was weighed; empty for a note added by hand.

    No limits are named: what no one number decides is weighed by a forest (listen/forest.py).
    """
    found = dict(note.evidence)
    if not found:
        return []
    if "second_string" in found:
        return _second_string(found)
    said = [_attack_reason(note, found)]
    if note.bend is not None:
        said.append(_bend_reason(note))
    if note.vibrato is not None:
        said.append(
            f"Its pitch swings {note.vibrato.rate_hz:.1f} times a second by {note.vibrato.extent_cents:.0f} cents to "
            "each side, as evenly as a hand does: vibrato."
        )
    if "unison" in found:
        said.append("Both pitches were there before the push, with nothing between them: two strings.")
    off = found.get("base_error_cents", 0.0)
    said.append(f"Its fretted pitch lies {abs(off):.0f} cents off the fret.")
    said.append(f"All in all Notcher is {note.confidence * 100:.0f} % sure.")
    return said


def _second_string(found: dict[str, float]) -> list[str]:
    return [
        "Another string than the one the contour follows: at the strike its partials grew as well.",
        f"They grew by {found.get('strength', 0.0) * 100:.0f} % of what the main pitch has, and "
        f"{found.get('partials_there', 0.0) * 100:.0f} % of its first six partials are there.",
    ]


def _attack_reason(note: Note, found: dict[str, float]) -> str:
    flux, dip, jump = (found.get(k, 0.0) for k in ("flux", "dip_db", "jump_cents"))
    glide = found.get("glide_s", 0.0)
    heard = f"strike {flux:.1f}, dip before it {dip:.1f} dB"
    match note.attack:
        case Attack.HAMMER | Attack.PULL:
            return (
                f"The pitch leapt by {jump:+.0f} cents at once; weighed together with how it was struck ({heard}) "
                "that is likelier the fretting hand than a pick."
            )
        case Attack.SLIDE:
            return (
                f"The pitch went {jump:+.0f} cents in {glide * 1000:.0f} ms and halted at frets on its way, which a "
                f"bend does not ({heard})."
            )
        case Attack.TAP:
            return f"A short note a leap of {jump:+.0f} cents away, left by a leap back with no pick ({heard})."
        case _:
            if flux > 0.3:
                return f"A pick stroke was heard ({heard})."
            return f"It begins with no clear stroke ({heard}); picked is the likeliest."


def _bend_reason(note: Note) -> str:
    assert note.bend is not None
    peak = note.bend.peak_cents
    shape = f"{BEND_WORDS[note.bend.kind]} of {INTERVAL_WORDS[note.bend.target_cents]}"
    if peak is None:
        return f"The {shape} was written by hand."
    points = note.bend.points
    top = max(range(len(points)), key=lambda k: points[k][1])
    return (
        f"The pitch moved smoothly, not at once and not from fret to fret: {shape}. Its highest point is {peak:.0f} "
        f"cents over the fret, {points[top][0] * 1000:.0f} ms after the onset."
    )
