"""The window: rooms, strand view, transport and what a person may do. Widgets hold no rules of music.

In: projects and what the person does. Out: new projects through the edits of the score room.
"""
