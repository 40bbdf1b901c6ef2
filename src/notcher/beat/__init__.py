"""Where the beats of a recording lie, and in which metre.

In: a recording. Out: a tempo map, its metre, and how sure that is.
"""
