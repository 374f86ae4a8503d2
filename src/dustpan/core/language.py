"""Text in the person's language.

Source text is English and is its own key. A catalogue is a file in Qt's open XML format for translations (``.ts``), one
for each language, shared by the core and the window. Text is looked up when it is shown or raised, so that a change of
language needs no restart; text that is kept as a constant is only marked where it is written.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from pathlib import Path
from types import MappingProxyType
from xml.etree import ElementTree

ENGLISH = "en"
FOLDER = Path(__file__).parent.parent / "languages"
_current = ENGLISH


def languages() -> tuple[str, ...]:
    """The codes (ISO 639-1) of the languages that are there, English first."""
    return (ENGLISH, *sorted(p.stem for p in FOLDER.glob("*.ts")))


def use_language(code: str) -> None:
    """Say everything in this language from now on; in English when there is no catalogue for it."""
    global _current
    _current = code if code in languages() else ENGLISH


def language() -> str:
    """The code of the language in use."""
    return _current


@cache
def catalogue(code: str) -> Mapping[str, str]:
    """Source text to translation; empty for English. Unfinished entries are left out."""
    if code == ENGLISH:
        return MappingProxyType({})
    messages = ElementTree.parse(FOLDER / f"{code}.ts").getroot().iter("message")
    pairs = ((m.findtext("source", ""), m.findtext("translation", "")) for m in messages)
    return MappingProxyType({source: text for source, text in pairs if source and text})


def say(text: str, *values: object) -> str:
    """The text in the language in use, with ``values`` put in at ``{0}``, ``{1}`` …

    Text that the catalogue does not hold is given back as it is; without values nothing is put in, so that text with
    braces of its own passes unharmed.
    """
    found = catalogue(_current).get(text, text)
    return found.format(*values) if values else found


def capital(text: str) -> str:
    """The text with its first letter as a capital."""
    return text[:1].upper() + text[1:]


def mark(text: str) -> str:
    """The text itself; marks a constant that is translated where it is shown."""
    return text
