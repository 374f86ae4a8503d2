"""The window's language: Qt's ``tr`` looks text up in the catalogue that the core uses as well."""

from __future__ import annotations

from PyQt6.QtCore import QLibraryInfo, QLocale, QTranslator
from PyQt6.QtWidgets import QApplication

from dustpan.core.language import ENGLISH, catalogue, language, languages, say, use_language


class Catalogue(QTranslator):
    """Gives Qt the translations of the language in use, whatever class asks."""

    def translate(  # type: ignore[override]  # None, not empty: then Qt asks its other translators
        self, context: str | None, text: str | None, disambiguation: str | None = None, n: int = -1
    ) -> str | None:
        return catalogue(language()).get(text or "")

    def isEmpty(self) -> bool:
        return False


def language_name(code: str) -> str:
    """What a language calls itself."""
    return "English" if code == ENGLISH else say(QLocale(code).nativeLanguageName())


def wanted_language(preferred: str) -> str:
    """The preferred language, or the system's when none is preferred; English where it has no catalogue."""
    code = preferred or QLocale.system().name().split("_")[0]
    return code if code in languages() else ENGLISH


def apply_language(app: QApplication, preferred: str) -> None:
    """Use a language in the whole application, the standard buttons and dialogs of Qt included.

    Figures keep the decimal point in every language, as in files and copied tables; number boxes take a comma as well.
    """
    use_language(wanted_language(preferred))
    QLocale.setDefault(QLocale.c())
    for old in app.property("dustpan_translators") or ():
        app.removeTranslator(old)
    fresh: list[QTranslator] = [Catalogue(app)]
    if language() != ENGLISH:
        of_qt = QTranslator(app)
        folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
        if of_qt.load(f"qtbase_{language()}", folder):
            fresh.insert(0, of_qt)
    for translator in fresh:
        app.installTranslator(translator)
    app.setProperty("dustpan_translators", fresh)
