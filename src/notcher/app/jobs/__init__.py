"""What the window does with files and sound that takes longer than a blink: one piece of work at a time."""
