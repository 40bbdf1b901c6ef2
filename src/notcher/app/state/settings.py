"""What the person set up once: colours, size of type, the folder used last. Kept in one small JSON file."""

import json
import logging
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

import platformdirs

from notcher.formats.atomic import write_json
from notcher.formats.codec import from_plain, to_plain
from notcher.formats.errors import FileFormatError
from notcher.formats.limits import SETTINGS, read_limited
from notcher.score.errors import ScoreError
from notcher.score.playing import USUAL, Playing
from notcher.teach.care import REST_MINUTES

log = logging.getLogger(__name__)

SCALES = (100, 115, 130, 150, 175, 200)


MOST_RECENT = 8


@dataclass(frozen=True, slots=True)
class Recent:
    """A project or recording opened lately: where it is, its title, how many of its notes are confirmed, how many there
    are (0: not measured yet), and when it is due, '' for no day. All as text, as it is kept."""

    path: str
    title: str
    done: str = "0"
    notes: str = "0"
    due: str = ""


def _is_there(path: str) -> bool:
    try:
        return Path(path).is_file()
    except (OSError, ValueError):
        # A name that no file can have.
        return False


@dataclass(slots=True)
class Settings:
    """theme: light or dark; scale: percent; left_handed: how the neck is drawn; neck_in_teach: whether it is shown
    under the large tab; counts, fingers, cue, chord_names: whether they stand there; dialect: in which lines are
    written, by its place in formats/line.py; lesson, takes: whether their panels are shown; latency_ms: of sound
    going out and in, below 0 where it was never measured; degrees: how they stand at the notes; figures: whether
    those that come again are shown; german_names: H for B, B for B flat; collection: the folder whose projects are
    looked through for phrases; rest_minutes: of sounding loops, after which a rest is said, 0 for never; pedals: what
    messages and keys do, by their names; page: how pages look, by the names
    of rooms/handout/look_panel.py; playing: how new projects are played, as in the project file: as the person
    chose last; language: '' for the system's; folder: where files were opened last; recent: the newest first, as
    plain values of Recent."""

    theme: str = "light"
    scale: int = 100
    left_handed: bool = False
    neck_in_teach: bool = False
    counts: bool = False
    fingers: bool = False
    cue: bool = False
    chord_names: bool = True
    dialect: int = 0
    lesson: bool = False
    takes: bool = False
    latency_ms: float = -1.0
    degrees: str = "off"
    figures: bool = True
    german_names: bool = False
    collection: str = ""
    rest_minutes: int = REST_MINUTES
    pedals: dict[str, str] = field(default_factory=lambda: {"pedal 1": "play.toggle", "pedal 2": "phrase.next"})
    playing: dict[str, Any] = field(default_factory=lambda: to_plain(USUAL))
    page: dict[str, str] = field(default_factory=dict)
    language: str = ""
    folder: str = ""
    recent: list[dict[str, str]] = field(default_factory=list)

    @property
    def usual(self) -> Playing:
        """How new projects are played; what cannot be read is as where nobody said."""
        try:
            return from_plain(self.playing, Playing)
        except (ScoreError, KeyError, TypeError, ValueError, AttributeError, OverflowError) as error:
            log.warning("how new projects are played is as at first: %s", error)
            return USUAL

    def opened_lately(self) -> list[Recent]:
        """The projects and recordings opened lately that are still there."""
        names = [f.name for f in fields(Recent)]
        known = [Recent(**{"path": "", "title": ""} | {k: v for k, v in r.items() if k in names}) for r in self.recent]
        return [r for r in known if r.path and _is_there(r.path)]

    def remember(self, recent: Recent) -> None:
        """Put one first."""
        others = [r for r in self.recent if r.get("path") != recent.path]
        self.recent = [asdict(recent), *others][:MOST_RECENT]

    @staticmethod
    def path() -> Path:
        """Where they are kept."""
        return Path(platformdirs.user_config_dir("notcher")) / "settings.json"

    @classmethod
    def load(cls) -> "Settings":
        """As they were left; what cannot be read is as at first."""
        made = cls()
        try:
            if not cls.path().exists():
                return made
            data = json.loads(read_limited(cls.path(), SETTINGS))
            for f in fields(cls):
                if type(data.get(f.name)) is type(getattr(made, f.name)):
                    setattr(made, f.name, data[f.name])
        except (FileFormatError, OSError, ValueError, AttributeError, RecursionError) as error:
            log.warning("settings are as at first: %s", error)
        made.recent = [r for r in made.recent if isinstance(r, dict) and all(isinstance(v, str) for v in r.values())]
        made.scale = min(SCALES, key=lambda s: abs(s - made.scale))
        return made

    def save(self) -> None:
        """Keep them; a full disk costs only the settings."""
        try:
            self.path().parent.mkdir(parents=True, exist_ok=True)
            write_json(self.path(), json.dumps(asdict(self), indent=1))
        except (OSError, FileFormatError) as error:
            log.warning("settings could not be kept: %s", error)
