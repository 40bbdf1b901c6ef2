"""The document: what is known about a solo, and the edits that make a new one of it.

In: numbers from the other rooms, decisions from the person. Out: immutable values. No audio, no files, no Qt.
"""
