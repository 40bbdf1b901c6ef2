"""The same notes on another guitar."""

from collections.abc import Sequence
from dataclasses import replace

from notcher.place.solver import cut_at_rests, place
from notcher.place.wanted import Wanted
from notcher.score.clause import Clause
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.pitch import PitchName
from notcher.score.project import Project, Version, phrase_number
from notcher.score.tuning import Tuning


def _kept(note: Note, was: Tuning, now: Tuning) -> tuple[int, int] | None:
    """Where a note stays as the guitar becomes another, counted from its capo; None where it is placed anew."""
    if was.pitches != now.pitches:
        return None
    fret = note.fret + was.capo - now.capo
    settled = note.confirmed or note.held
    if settled and fret < 0:
        raise ScoreError(
            "a capo at fret {capo} lies above fret {fret} of string {string}, which you settled at {onset:.2f} s; "
            "choose another place for it first, or a lower capo", capo=now.capo, fret=note.fret + was.capo,
            string=note.string, onset=note.onset,
        )  # fmt: skip
    if settled and fret > now.highest_fret:
        raise ScoreError(
            "fret {fret} of string {string}, which you settled at {onset:.2f} s, lies beyond a neck of {frets} frets; "
            "choose another place for it first", fret=note.fret + was.capo, string=note.string, onset=note.onset,
            frets=now.frets,
        )  # fmt: skip
    stays = settled or was.capo == now.capo
    return (note.string, fret) if stays and 0 <= fret <= now.highest_fret else None


def retuned(project: Project, tuning: Tuning) -> Project:
    """The same sounding notes on another guitar: what sounds does not change.

    Every place is found anew where the strings change; where only the capo does, those that are neither confirmed nor
    held, and where only the neck's last fret does, those beyond it. Raises NotcherError for a note the other guitar
    does not have, and for a capo above a fret that is confirmed or held, or a neck that ends before it.
    """
    lowest, highest = min(tuning.pitches) + tuning.capo, max(tuning.pitches) + tuning.capo + tuning.highest_fret

    def placed(notes: Sequence[Note]) -> list[Note]:
        gone = [n for n in notes if not lowest <= n.pitch(project.tuning) <= highest]
        if gone:
            note, more = PitchName(gone[0].pitch(project.tuning)), len(gone) - 1
            clause = Clause(
                "{note} at {onset:.2f} s cannot be played on a guitar with {frets} frets in {tuning}; correct or "
                "delete what is wrong first",
                note=note, onset=gone[0].onset, frets=tuning.frets, tuning=tuning,
            ) if not more else Clause(
                "{note} at {onset:.2f} s (and {more} more) cannot be played on a guitar with {frets} frets in "
                "{tuning}; correct or delete what is wrong first",
                note=note, onset=gone[0].onset, more=more, frets=tuning.frets, tuning=tuning,
            )  # fmt: skip
            raise ScoreError(clause)
        kept = [_kept(n, project.tuning, tuning) for n in notes]
        wanted = [
            # A harmonic's place goes with the guitar it was written for.
            replace(
                Wanted.of(n, project.tuning, fixed=k is not None, phrase=phrase_number(project.phrases, n.onset)),
                place=k,
            )
            for n, k in zip(notes, kept, strict=True)
        ]  # fmt: skip
        return [
            replace(n, string=p.string, fret=p.fret, held=n.held and k is not None)
            for n, k, p in zip(
                notes, kept, place(wanted if project.phrases else cut_at_rests(wanted), tuning), strict=True
            )
        ]

    phrases = tuple(
        replace(p, aside=tuple(Version(v.name, tuple(placed(v.notes))) for v in p.aside)) for p in project.phrases
    )
    return replace(project, tuning=tuning, phrases=phrases, notes=()).with_notes(placed(project.notes))
