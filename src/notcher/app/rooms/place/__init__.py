"""The Place room: where a phrase lies on the neck, and where else it could."""
