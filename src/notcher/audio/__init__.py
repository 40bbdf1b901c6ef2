"""Sound as arrays: decoding, the lead taken out of the mix, slowing, Notcher's own tone, the click.

In: files and arrays. Out: float32 arrays shaped (channels, samples) or (samples,) at RATE. No Qt, no project files.
"""

RATE = 44100
"""Samples a second of every array that goes between rooms."""
