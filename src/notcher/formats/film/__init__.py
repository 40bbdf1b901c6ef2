"""A phrase as a film: its strip with the playhead over the slowed sound. In: a project and its recording; out: a file
that any player shows, frames, or a layer with a transparent ground for editing."""
