"""Scores from elsewhere: MusicXML, MIDI and text tab come in, a project goes out.

Each reader gives what it understood as a ReadScore, in beats, and a list of what it did not; `build` puts that on a
tempo map and on the neck.
"""
