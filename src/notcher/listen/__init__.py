"""From sound to notes: where the lead sits, its pitch contour, its tuning offset, its notes and what is in them.

In: arrays at RATE. Out: contours and heard notes as values. Knows nothing of strings and frets.
"""
