"""The window's rooms, one module each, in the order of the work."""
