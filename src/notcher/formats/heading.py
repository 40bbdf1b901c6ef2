"""What stands at the head of every page and text: whose it is, which version, and how the guitar is set up."""

from notcher.score.project import Project
from notcher.wording import guitar, later, tr
from notcher.wording.chords import key_name

FLAT = later("The recording sits {cents:.0f} cents flat of A = 440")
SHARP = later("The recording sits {cents:.0f} cents sharp of A = 440")
KEY = later("Key: {key}")
FAST = later("About {bpm:.0f} beats a minute")


def title(project: Project) -> str:
    """The title, or that there is none."""
    return project.request.title or tr("Untitled solo")


def whose(project: Project) -> str:
    """Performer, which version of it, and who asked: in one line."""
    r = project.request
    return " · ".join(t for t in (r.performer, r.version, r.asked_by and tr("for {name}", name=r.asked_by)) if t)


def facts(project: Project) -> list[str]:
    """How the guitar is tuned, where a capo sits, how far the recording is from A = 440, how fast it is."""
    found = guitar.facts(project.tuning)
    if project.offset_cents <= -1:
        found.append(tr(FLAT, cents=-project.offset_cents))
    if project.offset_cents >= 1:
        found.append(tr(SHARP, cents=project.offset_cents))
    if project.keys:
        # Changes of key stand in the music.
        found.append(tr(KEY, key=key_name(project.keys[0].key)))
    if project.tempo:
        found.append(tr(FAST, bpm=project.tempo.bpm()))
    return found
