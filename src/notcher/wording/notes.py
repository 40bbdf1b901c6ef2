"""Notes, bends, phrases and changes in the words of the trade, for panels and reports."""

from collections.abc import Sequence

from notcher.rhythm.lineup import DOUBTS
from notcher.score.bends import arrival_and_hold, unison_partner
from notcher.score.compare import Change
from notcher.score.note import Attack, BendKind, Mark, Maybe, Note
from notcher.score.project import AS_PLAYED, Phrase, Project, Section
from notcher.score.technique import ATTACK_OF, BEND_OF, FINGERS, INTERVALS, ROW_OF
from notcher.score.versions import OURS
from notcher.wording.catalogue import term
from notcher.wording.chords import pitch_name
from notcher.wording.names import ordinal
from notcher.wording.numbers import clock
from notcher.wording.say import anew, render_message, tr, trn


def version_words(name: str) -> str:
    """A version's name: one that Notcher made in the person's language, another as it was given."""
    return tr(name) if name in OURS else name


def phrase_label(phrase: Phrase) -> str:
    """A phrase's name, and the version that is shown where there is more than one."""
    return phrase.name if len(phrase.versions) == 1 else f"{phrase.name} · {version_words(phrase.showing)}"


def phrase_title(phrase: Phrase) -> str:
    """What stands over a phrase in print: its name, and its version where that is not what was played."""
    return phrase.name if phrase.showing == AS_PLAYED else f"{phrase.name} · {version_words(phrase.showing)}"


def section_reference(section: Section) -> str:
    """What a section repeats: 'as A', 'as A, without its last bar'; '' where it stands for itself."""
    if not section.like:
        return ""
    if not section.less_bars:
        return tr("as {name}", name=section.like)
    return trn(
        "as {name}, without its last bar", "as {name}, without its last {n} bars", section.less_bars, name=section.like
    )


def bend_name(kind: BendKind) -> str:
    """A kind of bend."""
    return tr(BEND_OF[kind].words)


def attack_name(attack: Attack) -> str:
    """How a note is reached."""
    return tr(ATTACK_OF[attack].words)


def mark_name(mark: Mark) -> str:
    """A mark."""
    return tr(ROW_OF[mark].words)


def technique_words(maybe: Maybe) -> str:
    """What may be so of a note: 'hammered on', 'pre-bend full'."""
    if maybe.attack is not None:
        return attack_name(maybe.attack)
    if maybe.mark is not None:
        return mark_name(maybe.mark)
    assert maybe.bend is not None
    return f"{bend_name(maybe.bend.kind)} {term('staff', maybe.bend.interval_name)}"


def maybe_words(maybe: Maybe) -> str:
    """The same as a question, and below it its chance: 'hammered on?', '45 % likely'."""
    return tr("{technique}?\n{percent:.0f} % likely", technique=technique_words(maybe), percent=maybe.chance * 100)


def interval_name(cents: int) -> str:
    """How far a bend goes."""
    return tr(INTERVALS[cents])


def finger_name(finger: int) -> str:
    """A finger of the fretting hand: 'third finger', 'thumb'."""
    return tr(FINGERS[finger])


def mistakes_words(wrong: float, among: int) -> str:
    """How many mistakes are to be expected in notes that nobody confirmed yet; '' where there are none."""
    if not among:
        return ""
    if wrong < 0.5:
        return tr("hardly a mistake left in {among}", among=among)
    return trn("about {n} mistake in {among}", "about {n} mistakes in {among}", round(wrong), among=among)


def standing(note: Note) -> str:
    """What the note's colour says: confirmed, in doubt, proposed with its confidence, added by hand."""
    if note.doubt:
        return tr("in doubt: {why}", why=doubt_words(note))
    if note.confirmed:
        return tr("added by hand") if note.by_hand else tr("confirmed")
    if note.evidence is None and note.confidence >= 1.0:
        # Nobody weighed it: it was written, moved or copied here.
        return tr("not confirmed yet")
    return tr("proposed, {percent:.0f} % sure", percent=note.confidence * 100)


def doubt_words(note: Note) -> str:
    """Why a note is doubtful: what Notcher said in the person's language, what the person wrote as it is."""
    return anew(note.doubt or "", DOUBTS)


def remarks_on_phrase(phrase: Phrase) -> list[str]:
    """What the person told of a phrase, a remark each."""
    out = [tr("this phrase may be left out")] if phrase.optional else []
    out += [phrase.advice] if phrase.advice else []
    return [*out, *([tr("listen for: {what}", what=phrase.listen_for)] if phrase.listen_for else [])]


def remarks_on(project: Project, notes: Sequence[Note]) -> list[str]:
    """What the person wrote beside some notes, a line each: advice and what to listen for by phrase, advice by note,
    and doubts."""
    out = []
    for phrase in project.phrases:
        if not any(phrase.holds(n.onset) for n in notes):
            continue
        for remark in remarks_on_phrase(phrase):
            out.append(tr("{phrase}: {remark}", phrase=phrase_title(phrase), remark=remark))
    for n in notes:
        where = {"clock": clock(n.onset), "string": n.string, "fret": n.fret}
        if n.advice:
            out.append(tr("! {clock}, string {string} fret {fret}: {advice}", advice=n.advice, **where))
        if n.doubt:
            out.append(tr("? {clock}, string {string} fret {fret}: {doubt}", doubt=doubt_words(n), **where))
    return out


def place_words(note: Note, project: Project) -> str:
    """Where a note lies and what it sounds: 'fret 9, 3rd string · E4'."""
    values = {"nth": ordinal(note.string), "name": pitch_name(project, note.pitch(project.tuning), note.onset)}
    sounds = pitch_name(project, round(note.unbent_pitch(project.tuning)), note.onset)
    if Mark.NATURAL_HARMONIC in note.marks and note.fret > 0:
        return tr(
            "touched at {node:g}, {nth} string · {name}",
            node=round(note.node_fret(), 1),
            nth=values["nth"],
            name=sounds,
        )
    if note.partial is not None and Mark.PINCH_HARMONIC in note.marks:
        return tr("fret {fret}, {nth} string · {name}, sounds {sounds}", fret=note.fret, sounds=sounds, **values)
    if note.fret == 0:
        return tr("open, {nth} string · {name}", **values)
    return tr("fret {fret}, {nth} string · {name}", fret=note.fret, **values)


def shape_words(note: Note, project: Project) -> str:
    """The same place named as if in standard tuning, '' where the guitar is not lowered evenly."""
    shift = project.tuning.shape_shift()
    if not shift:
        return ""
    return tr("named by shape: {name}", name=pitch_name(project, note.pitch(project.tuning), note.onset, shift=shift))


_HALF_AT_LEAST, _CURL_FROM = 92.0, 0.45
_ON_PITCH_CENTS, _IN_TUNE_CENTS = 8, 5


def bend_words(note: Note, project: Project) -> list[tuple[str, str]]:
    """(name, value) pairs: what was decided about the bend, and what was measured."""
    if note.bend is None:
        return []
    reached = note.sounds_like_fret()
    goal = note.pitch(project.tuning) + note.bend.target_cents / 100
    like = tr("fret {fret:g}", fret=reached)
    rows = [
        (tr("Written"), f"{bend_name(note.bend.kind)}, {interval_name(note.bend.target_cents)}"),
        (
            tr("Sounds like"),
            like + (f" ({pitch_name(project, round(goal), note.onset)})" if goal == round(goal) else ""),
        ),
    ]
    peak = note.bend.peak_cents
    if peak is None:
        return [*rows, (tr("Measured"), tr("nothing; written by hand"))]
    rows.append((tr("Measured peak"), _peak_words(peak)))
    rows.append((tr("Against written"), _against(peak, note.bend.target_cents)))
    arrives, held = arrival_and_hold(note.bend)
    if not note.bend.starts_raised:
        words = tr("after {ms:.0f} ms, held {held:.0f} ms", ms=arrives * 1000, held=held * 1000)
        rows.append((tr("Reaches its top"), words))
    if peak < _HALF_AT_LEAST and not note.bend.starts_raised:
        rows.append((tr("Curl or half step"), _curl_or_half(note, arrives)))
    other = unison_partner(note, project)
    if other is not None:
        apart = 100.0 * note.pitch(project.tuning) + peak - 100.0 * other.pitch(project.tuning)
        rows.append((tr("Beside string {string}", string=other.string), _apart(apart)))
    return rows


def _apart(cents: float) -> str:
    if abs(cents) < _IN_TUNE_CENTS:
        return tr("in tune (within {cents} cents)", cents=_IN_TUNE_CENTS)
    if cents > 0:
        return tr("{cents:.0f} cents too high", cents=cents)
    return tr("{cents:.0f} cents too low", cents=-cents)


def _peak_words(peak: float) -> str:
    """A measured peak; and that it lies halfway between two quarter steps, where it does."""
    low = int(peak // 50) * 50
    if not 15 <= peak - low <= 35 or low + 50 not in INTERVALS:
        return tr("{cents:.0f} cents", cents=peak)
    above = interval_name(low + 50)
    if low == 0:
        return tr("{cents:.0f} cents, between nothing and {above}", cents=peak, above=above)
    return tr("{cents:.0f} cents, between {below} and {above}", cents=peak, below=interval_name(low), above=above)


def _against(peak: float, target: int) -> str:
    miss, wanted = peak - target, interval_name(target)
    if abs(miss) < _ON_PITCH_CENTS:
        return tr("on pitch (within {cents} cents)", cents=_ON_PITCH_CENTS)
    if miss > 0:
        return tr("{cents:.0f} cents over {wanted}", cents=miss, wanted=wanted)
    return tr("{cents:.0f} cents short of {wanted}", cents=-miss, wanted=wanted)


def _curl_or_half(note: Note, arrives: float) -> str:
    """A curl turns up only as the note is left; a half step that fell short got to its top earlier and stayed."""
    percent = arrives / note.duration * 100
    if percent >= _CURL_FROM * 100:
        return tr("curl: it turns up late, {percent:.0f} % into the note", percent=percent)
    return tr("a half step that fell short: at its top {percent:.0f} % into the note", percent=percent)


def vibrato_words(note: Note) -> str:
    """The vibrato with its units, or that there is none."""
    if note.vibrato is None:
        return tr("none")
    v = note.vibrato
    return tr(
        "{rate:.1f} a second, ±{cents:.0f} cents, after {ms:.0f} ms", rate=v.rate_hz, cents=v.extent_cents,
        ms=v.start * 1000,
    )  # fmt: skip


def change_line(change: Change) -> str:
    """A change as it stands in a list: when, and what."""
    return f"{clock(change.time)}  {render_message(change.what)}"
