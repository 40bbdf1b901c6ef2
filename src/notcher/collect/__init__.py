"""Phrases of many projects, to be found again: by words, technique, scale, chord, speed, or by how they go.

In: a folder of projects. Out: hits, the best first. What is found is kept in an index (SQLite) that can be thrown away.
"""
