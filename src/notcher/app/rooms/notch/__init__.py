"""Where notes are checked and corrected: the strands, the panel beside them, and what opens under them."""
