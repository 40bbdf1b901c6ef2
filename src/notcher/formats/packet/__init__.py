"""All that one learner gets, in a folder or a zip file.

In: a project, its recording where it is, what is wanted and for whom; out: files, each whole, and the names of those
that could not be written.
"""
