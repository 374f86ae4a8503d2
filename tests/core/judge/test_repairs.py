"""What could be repaired is told, each by its step, and nothing is done."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled
from dustpan.core.files import open_picture
from dustpan.core.judge.repairs import repairs, sentence, with_repairs
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Sweep, make_step, suggested
from tests.core.defects.test_flicker import under_lamps
from tests.scenes import desk


@pytest.fixture
def card(tmp_path: Path) -> Path:
    path = tmp_path / "card.jpg"
    Image.fromarray(np.rint(under_lamps(desk(), 3.3) * 255).astype(np.uint8)).save(path, quality=80, subsampling=0)
    return path


@pytest.mark.slow
def test_what_is_found_is_said_and_offered_at_its_place(card: Path) -> None:
    with Renderer(open_picture(card)) as r:
        found = repairs(r, suggested(), STEPS)
    words = sentence(found)
    assert "bands of lamps" in words
    assert "told by the file" in words
    assert [s.name for s in with_repairs(suggested(), found).steps] == ["Stripes", "Compression marks", "Noise"]


def test_steps_that_are_there_are_not_offered_again(card: Path) -> None:
    own = Sweep((make_step("stripes"), make_step("compression-marks")))
    with Renderer(open_picture(card)) as r:
        assert repairs(r, own, STEPS) == ()
    assert sentence(()) == ""


@pytest.mark.slow
def test_what_only_asks_is_said_and_not_done() -> None:
    with Renderer(from_array(under_lamps(desk(), 1.8))) as r:
        found = repairs(r, Sweep(), STEPS)
    assert sentence(found) == "Found: Stripes (likely lamps: look first)."
    assert with_repairs(Sweep(), found) == Sweep()


def test_looking_can_be_called_off(card: Path) -> None:
    flag = Cancel()
    flag.set()
    with Renderer(open_picture(card)) as r, pytest.raises(Cancelled):
        repairs(r, suggested(), STEPS, flag)
