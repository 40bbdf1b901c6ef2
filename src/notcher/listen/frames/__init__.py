"""First stage: what every 5 ms of a recording hold. In: sound. Out: Frames (measure.py)."""
