"""Where notes lie on the neck: strings, frets, fingers and hand positions.

In: pitches with their attacks and bends. Out: a string, a fret and a hand position for each.
"""
