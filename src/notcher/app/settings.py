"""What the person set up once: colours, size of type, the folder used last. Kept in one small JSON file."""

import json
import logging
from dataclasses import asdict, dataclass, fields
from pathlib import Path

import platformdirs

from notcher.formats.atomic import write_text
from notcher.formats.errors import FileFormatError

log = logging.getLogger(__name__)

SCALES = (100, 115, 130, 150, 175, 200)


@dataclass(slots=True)
class Settings:
    """theme: light or dark; scale: percent; folder: where files were opened last."""

    theme: str = "light"
    scale: int = 100
    folder: str = ""

    @staticmethod
    def path() -> Path:
        """Where they are kept."""
        return Path(platformdirs.user_config_dir("notcher")) / "settings.json"

    @classmethod
    def load(cls) -> "Settings":
        """As they were left; what cannot be read is as at first."""
        made = cls()
        try:
            data = json.loads(cls.path().read_text(encoding="utf-8"))
            for f in fields(cls):
                if type(data.get(f.name)) is type(getattr(made, f.name)):
                    setattr(made, f.name, data[f.name])
        except FileNotFoundError:
            pass
        except (OSError, ValueError, AttributeError) as error:
            log.warning("settings are as at first: %s", error)
        made.scale = min(SCALES, key=lambda s: abs(s - made.scale))
        return made

    def save(self) -> None:
        """Keep them; a full disk costs only the settings."""
        try:
            self.path().parent.mkdir(parents=True, exist_ok=True)
            write_text(self.path(), json.dumps(asdict(self), indent=1))
        except (OSError, FileFormatError) as error:
            log.warning("settings could not be kept: %s", error)
