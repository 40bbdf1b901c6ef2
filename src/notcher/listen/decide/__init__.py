"""Fourth stage: one consistent reading of them all. In: Classified. Out: what was heard (decide.py)."""
