"""Notcher: measured guitar tablature from a recording, and lessons from the tablature."""

__version__ = "0.1.0"
