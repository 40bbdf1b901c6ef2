"""Phrases and lessons: where a solo is cut, and in which order and at which pace it is played.

In: a project. Out: phrases, steps of a lesson, ladders of pace.
"""
