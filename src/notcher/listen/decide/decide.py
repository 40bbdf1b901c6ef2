"""One reading of all candidates: which are notes, how each was reached, what it is played with, and the contour that
goes with them."""

from collections.abc import Sequence

from notcher.audio.recording import NoLeadError
from notcher.listen.candidates.delay_repeats import silenced
from notcher.listen.candidates.gather import NO_LEAD
from notcher.listen.classify.confirmed_notes import Known
from notcher.listen.classify.judge import Classified
from notcher.listen.classify.techniques import with_techniques
from notcher.listen.classify.which_hand import with_hands
from notcher.listen.decide.choose import chosen_of
from notcher.listen.decide.note_figures import with_figures
from notcher.listen.decide.plainer import as_reached
from notcher.listen.decide.reconcile import reconciled
from notcher.listen.decide.transcription import Transcription
from notcher.listen.frames.measure import Frames


def decide(frames: Frames, classified: Classified, known: Sequence[Known] = ()) -> Transcription:
    """The notes and the contour; known: what the person decided of them already. Raises NoLeadError where nothing is a
    note."""
    candidates = classified.candidates
    offset, delay = candidates.offset.cents, candidates.delay
    notes, gaps, left = chosen_of(classified, known)
    if not notes:
        raise NoLeadError(NO_LEAD)
    notes = with_hands(frames, notes, offset)
    notes = with_figures(frames, with_techniques(frames, notes, offset, delay))
    # Last: what notes are together, such as a trill, is read from the likeliest of each.
    notes = [as_reached(n) for n in notes]
    trace = reconciled(candidates.ringing, notes, offset, frames.ear)
    trace = silenced(trace, candidates.repeats, notes, offset)
    return Transcription(tuple(notes), trace, candidates.offset, frames.lead, gaps, left, delay)
