"""Where a lead plays in a recording: stretches of its notes with no longer silence between."""

from collections.abc import Iterable

# Seconds of silence within one passage: more than a bar at 100 is a rest for the listener.
_LONGEST_REST_S = 2.5
# Seconds: less is a stray note.
_SHORTEST_S = 0.8


def passages(notes: Iterable[tuple[float, float]], *, rest: float = _LONGEST_REST_S) -> list[tuple[float, float]]:
    """(start, end) in seconds of each passage. notes: (onset, end) in any order; rest: the longest silence within
    one."""
    out: list[tuple[float, float]] = []
    for onset, end in sorted(notes):
        if out and onset - out[-1][1] <= rest:
            out[-1] = (out[-1][0], max(out[-1][1], end))
        else:
            out.append((onset, end))
    return [(a, b) for a, b in out if b - a >= _SHORTEST_S]
