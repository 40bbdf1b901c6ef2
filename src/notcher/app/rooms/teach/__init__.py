"""One phrase at a time, to be read from two metres."""
