"""By how much a recording is heard raised, for guitars that reach below the range of what listens.

All of it (network, ear, forests) knows guitars down to D2: a low B is heard a fourth up in three quarters of the time,
as a tape that is played faster would have it, and put back by listen/decide/put_back.py.
"""

USUAL_LOWEST = 40
"""MIDI pitch of the lowest open string of most guitars."""
# MIDI pitch of the lowest open string that is heard as it is, and of that as which a lower one is heard.
_HEARD_AS_IT_IS, _HEARD_AS = 38, USUAL_LOWEST


def raised_for(lowest: int) -> int:
    """Half steps by which a recording is heard higher for a guitar whose lowest open string has this MIDI pitch."""
    return _HEARD_AS - lowest if lowest < _HEARD_AS_IT_IS else 0
