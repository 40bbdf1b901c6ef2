"""Why Notcher says what it says of a note: its evidence, in sentences."""

from notcher.score.bends import arrival_and_hold
from notcher.score.measured import Measured, SecondString
from notcher.score.note import CLAIMED, LEGATO, Attack, Note
from notcher.wording.notes import bend_name, interval_name, technique_words
from notcher.wording.say import tr
from notcher.wording.weighed import for_and_against

# Flux from which a strike counts as clear.
_STRUCK = 0.3


def reasons(note: Note) -> list[str]:
    """Why the program says so, one sentence for each thing that was weighed; empty for a note added by hand.

    Where a forest decided, its own answer, limit and largest shares are told (listen/classify/belief.py,
    listen/classify/which_hand.py).
    """
    found = note.evidence
    if found is None:
        return []
    if found.stroke:
        stroke = tr("A stroke with no pitch in it, {flux:.1f} times a hard one: a dead string.", flux=found.flux)
        return [stroke, *_by_its_sound(found), *_all_in_all(note, found)]
    if found.other is not None:
        return [*_second_string(found.other), *_pushed(note, found), *_by_its_sound(found), *_all_in_all(note, found)]
    said = [_attack_reason(note, found), *_suggestions(note)]
    pushed = _pushed(note, found)
    said += pushed
    if note.bend is not None and not pushed:
        said.append(_bend_reason(note))
    if note.vibrato is not None:
        said.append(
            tr(
                "Its pitch swings {rate_hz:.1f} times a second by {extent_cents:.0f} cents to "
                "each side, as evenly as a hand does: vibrato.",
                rate_hz=note.vibrato.rate_hz,
                extent_cents=note.vibrato.extent_cents,
            )
        )
    if found.unison:
        said.append(tr("Both pitches were there before the push, with nothing between them: two strings."))
    said.append(tr("Its fretted pitch lies {off:.0f} cents off the fret.", off=abs(found.base_error_cents)))
    return [*said, *_by_its_sound(found), *_all_in_all(note, found)]


def _suggestions(note: Note) -> list[str]:
    """What may be there and is not written, as it is not likely enough."""
    return [
        tr(
            "It may be {technique}: that is {likely:.0f} % likely, and from {limit:.0f} % on it is written.",
            technique=technique_words(m), likely=m.chance * 100, limit=CLAIMED * 100,
        )
        for m in note.suggested
    ]  # fmt: skip


def _pushed(note: Note, found: Measured) -> list[str]:
    """What decided that its string is pushed while another is held."""
    if note.bend is None or found.legato is not None or not found.reached:
        return []
    return [tr("Its string is pushed while another is held: {weighed}.", weighed=for_and_against(found.reached))]


def _by_its_sound(found: Measured) -> list[str]:
    """What decided that it is muted, a harmonic, dead, swelled or raked into."""
    if not found.marked:
        return []
    return [tr("What its sound says of how it is played: {weighed}.", weighed=for_and_against(found.marked))]


def _all_in_all(note: Note, found: Measured) -> list[str]:
    said = [tr("All in all Notcher is {confidence:.0f} % sure.", confidence=note.confidence * 100)]
    if found.because:
        said.append(tr("What weighed most: {weighed}.", weighed=for_and_against(found.because)))
    return said


def _second_string(other: SecondString) -> list[str]:
    return [
        tr("Another string than the one the contour follows: at the strike its partials grew as well."),
        tr(
            "They grew by {grown:.0f} % of what the main pitch has, and "
            "{there:.0f} % of its first six partials are there.",
            grown=other.strength * 100,
            there=other.partials_there * 100,
        ),
    ]


def _attack_reason(note: Note, found: Measured) -> str:
    jump = found.jump_cents
    if found.legato is not None and note.attack in (*LEGATO, Attack.PICK):
        by_hand = found.legato >= CLAIMED
        if by_hand == (note.attack is not Attack.PICK):
            moved = tr("The pitch leapt by {jump:+.0f} cents at once.", jump=jump)
            if found.glide_s:
                moved = tr("The pitch went {jump:+.0f} cents in {glide:.0f} ms.", jump=jump, glide=found.glide_s * 1000)
            return tr(
                "{moved} That the fretting hand did it is {likely:.0f} % likely, and from {limit:.0f} % on it is taken "
                "so: {weighed}.",
                moved=moved, likely=found.legato * 100, limit=CLAIMED * 100, weighed=for_and_against(found.reached),
            )  # fmt: skip
    heard = tr("strike {flux:.1f}, dip before it {dip:.1f} dB", flux=found.flux, dip=found.dip_db)
    match note.attack:
        case Attack.HAMMER | Attack.PULL:
            return tr(
                "The pitch leapt by {jump:+.0f} cents at once; weighed together with how it was struck ({heard}) "
                "that is likelier the fretting hand than a pick.",
                jump=jump,
                heard=heard,
            )
        case Attack.SLIDE:
            return tr(
                "The pitch went {jump:+.0f} cents in {glide:.0f} ms and halted at frets on its way, which a "
                "bend does not ({heard}).",
                jump=jump,
                glide=found.glide_s * 1000,
                heard=heard,
            )
        case Attack.TAP:
            return tr(
                "A short note a leap of {jump:+.0f} cents away, left by a leap back with no pick ({heard}).",
                jump=jump,
                heard=heard,
            )
        case _:
            if found.flux > _STRUCK:
                return tr("A pick stroke was heard ({heard}).", heard=heard)
            if any(m.attack for m in note.suggested):
                return tr(
                    "It begins with no clear stroke ({heard}); it is written as picked until more is known.",
                    heard=heard,
                )
            return tr("It begins with no clear stroke ({heard}); picked is the likeliest.", heard=heard)


def _bend_reason(note: Note) -> str:
    assert note.bend is not None
    peak = note.bend.peak_cents
    shape = tr("{bend} of {interval}", bend=bend_name(note.bend.kind), interval=interval_name(note.bend.target_cents))
    if peak is None:
        return tr("The {shape} was written by hand.", shape=shape)
    return tr(
        "The pitch moved smoothly, not at once and not from fret to fret: {shape}. The string reaches {peak:.0f} cents "
        "above the fret, {ms:.0f} ms after the onset.",
        shape=shape,
        peak=peak,
        ms=arrival_and_hold(note.bend)[0] * 1000,
    )
