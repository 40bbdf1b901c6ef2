"""What stands at the head of every page and text: whose it is, which version, and how the guitar is set up."""

from notcher.score.project import Project


def title(project: Project) -> str:
    """The title, or that there is none."""
    return project.request.title or "Untitled solo"


def whose(project: Project) -> str:
    """Performer, which version of it, and who asked: in one line."""
    r = project.request
    return " · ".join(t for t in (r.performer, r.version, r.asked_by and f"for {r.asked_by}") if t)


def facts(project: Project) -> list[str]:
    """How the guitar is tuned, where a capo sits, how far the recording is from A = 440, how fast it is."""
    found = project.tuning.facts()
    if abs(project.offset_cents) >= 1:
        side = "flat" if project.offset_cents < 0 else "sharp"
        found.append(f"The recording sits {abs(project.offset_cents):.0f} cents {side} of A = 440")
    if project.tempo:
        found.append(f"About {project.tempo.bpm():.0f} beats a minute")
    return found
