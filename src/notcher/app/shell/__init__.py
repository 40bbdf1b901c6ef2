"""The window around the rooms: their buttons, messages, overview, transport, keys. It knows no room by name."""
