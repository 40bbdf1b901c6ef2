"""From measured times to counted ones.

In: onsets and a tempo map. Out: places on a grid of twelfths of a beat, and the note values that spell them.
"""
