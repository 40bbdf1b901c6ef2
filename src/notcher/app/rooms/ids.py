"""The rooms' ids, for whatever goes to one or is offered in one."""

SOURCE, NOTCH, PLACE, TEACH, HAND_OUT = "source", "notch", "place", "teach", "hand-out"
COLLECT = "collect"
