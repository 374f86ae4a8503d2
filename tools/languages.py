"""Bring the catalogues up to date: every text that a person can see, found in the source, with what is translated kept.

Found are the texts given to ``tr``, ``say`` and ``mark``, those of errors, and what the steps say of themselves. What
nobody uses any more is taken out; what is new is left for a translator as unfinished. Translate with any tool that
edits Qt's translation files.

    python -m tools.languages [--check]
"""

from __future__ import annotations

import ast
import sys
from functools import cache
from pathlib import Path
from xml.etree import ElementTree

SOURCE = Path(__file__).parent.parent / "src" / "dustpan"
COMMAND_LINE = SOURCE / "cli"  # English in every language, so that scripts can rely on it
ASKED = {"tr": 0, "say": 0, "mark": 0, "WrongUse": 0, "Unreadable": 0, "FileProblem": 1}  # name: which argument


def _name(call: ast.Call) -> str:
    return call.func.attr if isinstance(call.func, ast.Attribute) else getattr(call.func, "id", "")


def _constants(node: ast.AST | None) -> list[str]:
    """The texts that an argument can be: one, or one of two."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return [node.value]
    return [*_constants(node.body), *_constants(node.orelse)] if isinstance(node, ast.IfExp) else []


def texts_of(path: Path) -> set[str]:
    """Every text in a module that is shown to a person."""
    nodes = list(ast.walk(ast.parse(path.read_text("utf-8"))))
    assigned: dict[str, list[str]] = {}  # texts that are given a name first, because of the length of the line
    for node in nodes:
        if isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name) and _constants(node.value):
            assigned.setdefault(node.targets[0].id, []).extend(_constants(node.value))
    found: set[str] = set()
    for node in nodes:
        if isinstance(node, ast.Call) and (at := ASKED.get(_name(node), -1)) in range(len(node.args)):
            argument = node.args[at]
            found |= set(assigned.get(argument.id, ()) if isinstance(argument, ast.Name) else _constants(argument))
    return found - {""}


def _texts_of_steps() -> set[str]:
    from dustpan.core.looks.all import LOOKS
    from dustpan.core.parts import PARTS
    from dustpan.core.steps import FINDERS, STEPS
    from dustpan.core.where.clean_up import Finish

    found = {text for k in (*STEPS, *PARTS) for text in (k.name, k.help)}
    found |= {text for k in (*STEPS, *PARTS) for c in k.params.controls() for text in c.texts()}
    found |= {text for c in Finish.controls() for text in c.texts()}
    found |= {text for k in LOOKS for text in (k.name, k.help, *((k.setting.words,) if k.setting else ()))}
    found |= {f.name for f in FINDERS}
    return {text for text in found if any(letter.isalpha() for letter in text)}


@cache
def all_texts() -> frozenset[str]:
    """Every text of the application."""
    modules = (p for p in SOURCE.rglob("*.py") if COMMAND_LINE not in p.parents)
    return frozenset().union(*(texts_of(p) for p in modules), _texts_of_steps())


def updated(code: str) -> tuple[str, list[str]]:
    """The catalogue of a language as it should be, and the texts that still have no translation."""
    from dustpan.core.language import FOLDER, catalogue

    known = catalogue(code) if (FOLDER / f"{code}.ts").exists() else {}
    root = ElementTree.Element("TS", version="2.1", language=code, sourcelanguage="en")
    context = ElementTree.SubElement(root, "context")
    ElementTree.SubElement(context, "name").text = "Dustpan"
    missing = []
    for text in sorted(all_texts()):
        message = ElementTree.SubElement(context, "message")
        ElementTree.SubElement(message, "source").text = text
        translation = ElementTree.SubElement(message, "translation")
        if text in known:
            translation.text = known[text]
        else:
            translation.set("type", "unfinished")
            missing.append(text)
    ElementTree.indent(root)
    words = ElementTree.tostring(root, encoding="unicode")
    return f'<?xml version="1.0" encoding="utf-8"?>\n<!DOCTYPE TS>\n{words}\n', missing


def main() -> int:
    """Write every catalogue, or only say whether that would change one; gives the exit code."""
    from dustpan.core.language import FOLDER

    code = 0
    for path in sorted(FOLDER.glob("*.ts")):
        text, missing = updated(path.stem)
        stale = path.read_text("utf-8") != text
        if "--check" not in sys.argv:
            path.write_text(text, "utf-8")
        code |= stale or bool(missing)
        print(f"{path.name}: {len(missing)} without translation{', not up to date' if stale else ''}")
        for source in missing:
            print(f"    {source}")
    return code


if __name__ == "__main__":
    raise SystemExit(main())
