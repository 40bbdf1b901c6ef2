"""The Source room: a recording is prepared here before a note is written. One panel a step of that work."""
