"""The rooms' ids, for whatever goes to one or is offered in one."""

SOURCE, NOTCH, TEACH, HAND_OUT = "source", "notch", "teach", "hand-out"
