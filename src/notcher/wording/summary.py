"""A phrase summed up in a sentence or two, as an instructor would say it."""

from collections.abc import Sequence

from notcher.harmony.summary import Summary, summed_up
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.wording.chords import chord_name, degree_name, tone_name
from notcher.wording.names import ordinal
from notcher.wording.say import later, tr

_SCALES = {
    "minor pentatonic": later("{tonic} minor pentatonic"), "major pentatonic": later("{tonic} major pentatonic"),
    "blues": later("{tonic} blues scale"), "major": later("{tonic} major scale"), "minor": later("{tonic} minor scale"),
    "dorian": later("{tonic} dorian"), "mixolydian": later("{tonic} mixolydian"),
    "harmonic minor": later("{tonic} harmonic minor"), "phrygian": later("{tonic} phrygian"),
    "lydian": later("{tonic} lydian"), "melodic minor": later("{tonic} melodic minor"),
    "locrian": later("{tonic} locrian"), "phrygian dominant": later("{tonic} phrygian dominant"),
    "half-whole diminished": later("{tonic} half-whole diminished"),
    "whole-half diminished": later("{tonic} whole-half diminished"), "whole tone": later("{tonic} whole-tone scale"),
}  # fmt: skip
_SYMMETRICAL = {
    "whole tone": later("Whole-tone scale: the same every two frets."),
    "half-whole diminished": later("Diminished scale: the same every three frets."),
}
_MOST = 3


def scale_name(name: str, tonic: str) -> str:
    """A scale as it is said, by its own name and its tonic's; empty for none."""
    return tr(_SCALES[name], tonic=tone_name(Tone.named(tonic))) if name in _SCALES and tonic else ""


def summary_words(project: Project, notes: Sequence[Note]) -> str:
    """What some notes are made of, in one or two sentences; empty where nothing is to be said."""
    found = summed_up(project, notes)
    said = [_material(found), _lands(found), _aims(found)]
    return " ".join(s for s in said if s)


def _material(s: Summary) -> str:
    if s.outlines is not None:
        return tr("Outlines {chord}.", chord=chord_name(s.outlines))
    if s.repeats is not None:
        return tr(_SYMMETRICAL[s.repeats.name])
    if s.scale is None or s.tonic is None:
        return ""
    scale = tr(_SCALES[s.scale.name], tonic=tone_name(s.tonic))
    if s.root is not None:
        scale = tr("{scale}, its root under the hand on the {nth} string at fret {fret}", scale=scale,
                   nth=ordinal(s.root[0]), fret=s.root[1])  # fmt: skip
    if s.outside:
        return tr("{scale}; outside it: {tones}.", scale=scale, tones=", ".join(tone_name(t) for t in s.outside))
    return tr("{scale}.", scale=scale)


def _lands(s: Summary) -> str:
    if not s.landings:
        return ""
    rows = [
        tr(
            "{degree} of {chord} ({tone})",
            degree=degree_name(x.degree),
            chord=chord_name(x.chord),
            tone=tone_name(x.tone),
        )
        for x in s.landings[:_MOST]
    ]  # fmt: skip
    return tr("As the chord changes it lands on {what}.", what=", ".join(rows))


def _aims(s: Summary) -> str:
    if not s.aims:
        return ""
    rows = [tr("{degree} of {chord}", degree=degree_name(d), chord=chord_name(c)) for d, c in s.aims[:_MOST]]
    return tr("Bends aim at {what}.", what=", ".join(rows))
