"""Key, chords and what every note does in them.

In: a recording and the notes of its lead, or symbols that a person wrote. Out: chords and keys on the recording's time
axis (values of score/), scales, degrees and roles of notes.
"""
