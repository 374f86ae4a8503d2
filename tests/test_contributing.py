"""What CONTRIBUTING.md promises: its template is a step."""

from __future__ import annotations

import importlib.util
import re
from pathlib import Path
from types import ModuleType

import numpy as np
import pytest

from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.step import StepKind
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Step, Sweep

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


def test_every_place_that_is_named_is_there() -> None:
    for name in re.findall(r"`((?:core|ui|cli|tests|tools|benchmarks)/[\w/.]+)`", PAGE):
        if name in ("core/defects", "core/finish"):
            continue  # seats for what comes
        base = ROOT / "src" / "dustpan" if name.startswith(("core", "ui", "cli")) else ROOT
        assert (base / name).exists(), name
