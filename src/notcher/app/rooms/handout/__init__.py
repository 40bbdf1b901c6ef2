"""The printed page as it will be, every file it can be given away as, and what changed since."""
