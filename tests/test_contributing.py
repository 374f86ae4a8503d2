"""What CONTRIBUTING.md promises: its template is a step."""

from __future__ import annotations

import importlib.util
import inspect
import re
from collections.abc import Callable
from pathlib import Path
from types import ModuleType

import numpy as np
import pytest

from dustpan.core import steps
from dustpan.core import sweep as sweep_module
from dustpan.core.picture import Kind, Picture, from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.step import StepKind
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Step, Sweep
from tests.core import test_every_step as every_step

ANY_LOOK = (every_step.test_every_look_is_described, every_step.test_what_it_finds_can_be_asked_for)
pictures = every_step.pictures  # a fixture
ROOT = Path(__file__).resolve().parent.parent
PAGE = (ROOT / "CONTRIBUTING.md").read_text("utf-8")


@pytest.fixture
def template(tmp_path: Path) -> ModuleType:
    (code,) = re.findall(r"```python\n(.*?)```", PAGE, re.S)
    path = tmp_path / "lift.py"
    path.write_text(code)
    spec = importlib.util.spec_from_file_location("lift", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def test_the_template_is_a_step_that_needs_no_more_than_its_place_in_the_list(template: ModuleType) -> None:
    kind: StepKind = template.LIFT
    assert kind.place not in {k.place for k in STEPS}
    ramp = from_array(np.linspace(0, 1, 300 * 260, dtype=np.float32).reshape(300, 260, 1))
    sweep = Sweep((Step(kind, kind.params()),))
    with Renderer(ramp) as r:
        result = r.render(sweep)
        part = Region(40, 30, 200, 222)
        assert np.array_equal(r.at_once(sweep, part), result[part.slices()])
        assert np.array_equal(r.render(Sweep((Step(kind, kind.make({"amount": 0})),))), ramp.pixels)
    dark, bright = ramp.pixels < 0.45, ramp.pixels > 0.5
    assert (result[dark][1:] > ramp.pixels[dark][1:]).all()
    assert np.array_equal(result[bright], ramp.pixels[bright])


CHECKS = [
    check
    for name, check in sorted(vars(every_step).items())
    if name.startswith("test_") and "kind" in inspect.signature(check).parameters and check not in ANY_LOOK
]


@pytest.mark.parametrize("check", CHECKS, ids=lambda check: check.__name__)
def test_the_template_passes_what_every_step_has_to(
    check: Callable[..., None],
    template: ModuleType,
    pictures: dict[Kind, Picture],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    kind = template.LIFT
    for module in (steps, sweep_module):
        monkeypatch.setattr(module, "STEPS", (*STEPS, kind))
    wanted = set(inspect.signature(check).parameters)
    given = {"kind": kind, "pictures": pictures, "monkeypatch": monkeypatch}
    check(**{name: value for name, value in given.items() if name in wanted})


def test_every_place_that_is_named_is_there() -> None:
    for name in re.findall(r"`((?:core|ui|cli|tests|tools|benchmarks)/[\w/.]+)`", PAGE):
        if name in ("core/defects", "core/finish"):
            continue  # seats for what comes
        base = ROOT / "src" / "dustpan" if name.startswith(("core", "ui", "cli")) else ROOT
        assert (base / name).exists(), name
