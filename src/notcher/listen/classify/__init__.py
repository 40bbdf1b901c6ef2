"""Third stage: each question that is asked of candidates. In: Candidates. Out: Classified (judge.py)."""
