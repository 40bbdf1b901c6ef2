"""The rooms of the window: table.py lists them, and each has a folder."""
