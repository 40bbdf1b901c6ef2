"""The language of the window: the system's or the one chosen in the View menu, Qt's own words with it."""

from PyQt6.QtCore import QLibraryInfo, QLocale, QTranslator
from PyQt6.QtWidgets import QApplication

from notcher.app.state.settings import Settings
from notcher.wording import system_language, use
from notcher.wording.catalogue import language
from notcher.wording.pseudo import PSEUDO, lengthened


class _Lengthened(QTranslator):
    """What Qt says itself, in the language of tests."""

    def translate(self, context: str | None, text: str | None, comment: str | None = None, n: int = -1) -> str:
        return lengthened(text or "")

    def isEmpty(self) -> bool:
        return False


def speak(app: QApplication, settings: Settings) -> QTranslator | None:
    """Say everything in the language that was chosen, before the window is made; returns Qt's own words in it, which
    the caller holds for as long as the window is there."""
    use(settings.language or system_language())
    spoken = language()
    QLocale.setDefault(QLocale(spoken.locale))
    if spoken.code == PSEUDO:
        translator: QTranslator = _Lengthened()
    else:
        translator = QTranslator()
        folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
        if not translator.load(QLocale(spoken.locale), "qtbase", "_", folder):
            return None
    app.installTranslator(translator)
    return translator
