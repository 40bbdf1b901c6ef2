"""Notes, bends and evidence in the words of the trade, for panels and reports."""

from notcher.score.note import Attack, BendKind, Mark, Note
from notcher.score.pitch import note_name
from notcher.score.project import Project

BEND_WORDS = {
    BendKind.BEND: "bend", BendKind.BEND_RELEASE: "bend and release", BendKind.PRE_BEND: "pre-bend",
    BendKind.PRE_BEND_RELEASE: "pre-bend and release", BendKind.CURL: "curl", BendKind.UNISON: "unison bend",
    BendKind.HOLD: "held bend, picked again",
}  # fmt: skip
ATTACK_WORDS = {
    Attack.PICK: "picked", Attack.HAMMER: "hammered on", Attack.PULL: "pulled off", Attack.SLIDE: "slid to",
    Attack.TAP: "tapped", Attack.RAKE: "raked into",
}  # fmt: skip
MARK_WORDS = {
    Mark.PALM_MUTE: "palm mute", Mark.STACCATO: "staccato", Mark.DEAD: "dead note", Mark.LET_RING: "let ring",
    Mark.NATURAL_HARMONIC: "natural harmonic", Mark.PINCH_HARMONIC: "pinch harmonic", Mark.SLIDE_IN: "slide in",
    Mark.SLIDE_OFF: "slide off", Mark.TRILL: "trill", Mark.GRACE: "grace note",
}  # fmt: skip
INTERVAL_WORDS = {
    50: "a quarter step", 100: "a half step", 150: "three quarters", 200: "a whole step", 250: "one and a quarter",
    300: "one and a half", 350: "one and three quarters", 400: "two steps", 450: "two and a quarter",
    500: "two and a half", 550: "two and three quarters", 600: "three steps",
}  # fmt: skip


def clock(time: float) -> str:
    """Seconds as m:ss.t, as timestamps of a recording are written."""
    tenths = round(time * 10)
    return f"{tenths // 600}:{tenths // 10 % 60:02d}.{tenths % 10}"


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
    return f"{fret}, {ordinal(note.string)} string · {note_name(note.pitch(project.tuning))}"


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
    miss = peak - note.bend.target_cents
    rows.append(("Measured peak", f"{peak:.0f} cents"))
    if abs(miss) < 8:
        rows.append(("Against written", "on pitch (within 8 cents)"))
    else:
        rows.append(("Against written", f"{abs(miss):.0f} cents {'over' if miss > 0 else 'short'}"))
    top = max(note.bend.points, key=lambda p: p[1])
    if not note.bend.starts_raised:
        rows.append(("Time to the top", f"{top[0] * 1000:.0f} ms"))
    return rows


def vibrato_words(note: Note) -> str:
    """The vibrato with its units, or that there is none."""
    if note.vibrato is None:
        return "none"
    v = note.vibrato
    return f"{v.rate_hz:.1f} a second, ±{v.extent_cents:.0f} cents, after {v.start * 1000:.0f} ms"


def evidence_words(note: Note) -> list[str]:
    """Why the program says so, one sentence for each thing that was measured."""
    found = dict(note.evidence)
    said = []
    if "flux" in found:
        strength = found["flux"]
        said.append(
            f"A pick stroke was heard (strength {strength:.1f})." if strength > 0.3
            else "No pick stroke was heard at its start."
        )  # fmt: skip
    if found.get("jump_cents"):
        way = "above" if found["jump_cents"] > 0 else "below"
        said.append(f"It starts {abs(found['jump_cents']):.0f} cents {way} the note before it.")
    if found.get("glide_s", 0) >= 0.01:
        said.append(f"The pitch glided for {found['glide_s'] * 1000:.0f} ms on the way in.")
    if found.get("dip_db", 0) >= 2:
        said.append(f"The sound dipped by {found['dip_db']:.0f} dB before it.")
    if "base_error_cents" in found:
        said.append(f"Its fretted pitch is {abs(found['base_error_cents']):.0f} cents off the fret.")
    return said
