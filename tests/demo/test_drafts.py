"""A draft of a demo picture is near enough to what comes after it."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.files import open_picture
from dustpan.core.paths import demo_folder
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo import FINISHED, ensure_demo_data

pytestmark = pytest.mark.slow

HEIGHT, WIDTH = 480, 900  # px


@pytest.mark.parametrize("steps", [("noise",), ("noise", "edge-sharpen")])
@pytest.mark.parametrize("name", FINISHED)
def test_a_draft_of_what_is_seen_is_within_4_of_255(name: str, steps: tuple[str, ...]) -> None:
    ensure_demo_data(demo_folder())
    picture = open_picture(demo_folder() / name)
    h, w = picture.size
    view = Region((h - HEIGHT) // 2, (w - WIDTH) // 2, (h + HEIGHT) // 2, (w + WIDTH) // 2)
    sweep = Sweep(tuple(make_step(s) for s in steps))
    with Renderer(picture) as r:
        draft, exact = (np.clip(r.at_once(sweep, view, draft=d), 0, 1) for d in (True, False))
    assert np.sqrt(np.mean((draft - exact) ** 2)) < 4 / 255
