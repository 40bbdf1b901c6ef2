"""Measurements: accuracy against known truth, speed and memory, and the pictures of the rooms."""
