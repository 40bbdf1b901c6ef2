"""What a person reads, said in the person's language: patterns with named values come in, sentences go out.

The rooms below say what they mean in values, or as a Clause; formats, the command line and the window say it through
here. A catalogue is one file in catalogues/, found by its name; docs/WORDING.md tells how one is made.
"""

from notcher.wording.catalogue import system_language, term, use
from notcher.wording.say import later, listed, render_message, tr, trn

__all__ = ["later", "listed", "render_message", "system_language", "term", "tr", "trn", "use"]
