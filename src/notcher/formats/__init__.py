"""Files in and out: the project, tables, MusicXML, MIDI, text tab, the printed sheet.

In: projects and paths. Out: files written whole or not at all, and projects read with every doubt said in one line.
"""
