"""Second stage: everything that may be a note or a gesture. In: Frames. Out: Candidates (gather.py)."""
