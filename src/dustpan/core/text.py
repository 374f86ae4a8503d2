"""Text that comes from files: names, camera models, step ids. It is shown as it is and never means anything."""

from __future__ import annotations

import json
import unicodedata
from pathlib import Path
from typing import Any


def plain(text: str) -> str:
    """The text with everything that could move a cursor, end a line or not be written shown as an escape.

    Examples
    --------
    >>> print(plain("two\\nlines"))
    two\\nlines
    """
    return "".join(_shown(letter) for letter in text)


def _shown(letter: str) -> str:
    if unicodedata.category(letter) not in ("Cc", "Cs", "Cf", "Zl", "Zp"):
        return letter
    return letter.encode("unicode_escape", "surrogatepass").decode("ascii")


def name_of(path: Path) -> str:
    """A file's name for people."""
    return plain(path.name or str(path))


def as_json(data: Any, indent: int | None = None) -> str:
    """JSON that can always be written as UTF-8: in plain letters, or escaped where a text holds what is no letter."""
    text = json.dumps(data, indent=indent, ensure_ascii=False)
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:
        return json.dumps(data, indent=indent)
    return text
