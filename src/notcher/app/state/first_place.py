"""The one question about places: where the hand sits in the first phrase of a new project."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.state.placing import Placing
from notcher.app.state.session import Session
from notcher.place.phrases import PhrasePlace, places_of, take_place
from notcher.score.project import Phrase
from notcher.wording import tr
from notcher.wording.notes import phrase_label
from notcher.wording.places import called

_OFFERED = 3


class FirstPlace(QObject):
    """Asks in place and stops nobody: one key answers, one puts it away, and it may be left standing."""

    offered = pyqtSignal(str, object)

    def __init__(self, session: Session, placing: Placing, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._placing = session, placing
        self._finding: Latest[list[PhrasePlace]] = Latest(self)
        session.opened.connect(self._finding.forget)

    def ask(self) -> None:
        """Ask, unless the person has said already where that phrase lies, or there is nothing to choose from."""
        project = self._session.project
        phrase = next((p for p in project.phrases if project.notes_between(p.start, p.end)), None)
        if phrase is None or any(n.confirmed or n.held for n in project.notes_between(phrase.start, phrase.end)):
            return

        def work(_: Report) -> list[PhrasePlace]:
            return places_of(project, phrase, most=_OFFERED)

        self._finding.start(work, partial(self._found, phrase))

    def wait(self) -> None:
        """Wait until no thread runs, as the window goes."""
        self._finding.wait()

    def _found(self, phrase: Phrase, offers: list[PhrasePlace]) -> None:
        if len(offers) < 2:
            return
        choices: list[tuple[str, Callable[[], object]]] = [
            (called(o, offers), partial(self._take, phrase, o)) for o in offers
        ]
        text = tr(
            "where does the hand sit in the first phrase, {name}? The rest of the solo follows your word. (F5 to F7 "
            "answer, F8 leaves it)", name=phrase_label(phrase),
        )  # fmt: skip
        self.offered.emit(text, choices)

    def _take(self, phrase: Phrase, place: PhrasePlace) -> None:
        ids = frozenset(n.id for n in self._session.project.notes_between(phrase.start, phrase.end))
        self._placing.edit_fingering(
            tr("Choose the phrase's place"), lambda p: take_place(p, phrase, place.places), ids
        )
