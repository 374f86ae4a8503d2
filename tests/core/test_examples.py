"""The examples in the docstrings of the core run, and say what happens."""

from __future__ import annotations

import contextlib
import doctest
import importlib
from pathlib import Path

import pytest

SOURCE = Path(__file__).resolve().parents[2] / "src"
SHOWN = sorted(p for p in (SOURCE / "dustpan" / "core").rglob("*.py") if ">>> " in p.read_text("utf-8"))


@pytest.mark.parametrize("path", SHOWN, ids=lambda p: p.stem)
def test_an_example_is_true(path: Path) -> None:
    module = importlib.import_module(".".join(path.relative_to(SOURCE).with_suffix("").parts))
    failed, tried = doctest.testmod(module, extraglobs={"contextlib": contextlib})
    assert tried
    assert failed == 0


def test_there_are_examples() -> None:
    assert len(SHOWN) > 15
