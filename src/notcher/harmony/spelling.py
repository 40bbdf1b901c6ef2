"""How a pitch is written where it sounds: as its chord has it, else as its key does."""

from notcher.score.chords import chord_at, early_s, key_at
from notcher.score.key import Key
from notcher.score.project import Project
from notcher.score.spelling import Tone, within

# The first of the twelve names where no key is known: all sharps from C♯ to A♯, or all flats from G♭ to B♭.
_SHARPS, _FLATS = -1, -6


def written_tone(project: Project, pitch: int, time: float, *, shift: int = 0) -> Tone:
    """The tone as which a pitch (MIDI) is written at a time in seconds.

    shift: semitones by which everything there is called otherwise, as when a guitar tuned down is named by shape.
    """
    meant = time + early_s(project, time)
    key, chord = key_at(project, meant), chord_at(project, meant)
    if shift % 12:
        if key is None:
            return within(pitch + shift, _SHARPS)
        return Key.of((key.key.tonic.pitch_class + shift) % 12, key.key.mode).tone(pitch + shift)
    own = chord.chord.tone(pitch) if chord is not None and chord.chord is not None else None
    if own is not None:
        return own
    if key is not None:
        return key.key.tone(pitch)
    return within(pitch, _FLATS if project.tuning.flat else _SHARPS)
