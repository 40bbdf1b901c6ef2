"""The recording, and everything that is settled before its notes are: request, isolation, tuning, beat, sections."""
