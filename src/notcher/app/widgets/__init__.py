"""What rooms are built of: forms, the neck, painted notes, colours and type."""
