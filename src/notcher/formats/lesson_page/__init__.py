"""A lesson as one HTML file that any browser opens, with no network address in it.

In: a project, phrases of it, and its recording where that is to be in the file; out: the page, with tab, sounds and all
that plays them inside it.
"""
