"""Sharpening is suggested from the blur that was measured, within the halo limits."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.common import photograph
from scipy import ndimage as ndi

from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled
from dustpan.core.judge.suggest_sharpening import HALO, suggest_sharpening, with_sharpening
from dustpan.core.judge.whole import judge_sweep
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Step, Sweep, make_step

SCENE = photograph("coffee")[:320, :448]


def renderer(sigma: float) -> Renderer:
    soft = ndi.gaussian_filter(SCENE, (sigma, sigma, 0)) if sigma else SCENE
    noisy = soft + np.random.default_rng(1).normal(0, 2 / 255, soft.shape)
    return Renderer(from_array(np.clip(noisy, 0, 1).astype(np.float32)))


def ids(steps: tuple[Step, ...]) -> list[str]:
    return [s.kind.id for s in steps]


@pytest.mark.slow
def test_a_blur_is_taken_out_and_edges_become_narrower_within_the_limits() -> None:
    sweep = Sweep((make_step("noise"),))
    with renderer(1.3) as r:
        found = suggest_sharpening(r, sweep)
        assert ids(found.steps)[0] == "deblur"
        assert "px" in found.why
        assert "% sure" in found.why
        for step in found.steps:
            sweep, _ = sweep.added(step)
        before, after = judge_sweep(r, Sweep((make_step("noise"),))), judge_sweep(r, sweep)
    assert after.edge_width_after is not None
    assert before.edge_width_after is not None
    assert after.edge_width_after < 0.85 * before.edge_width_after
    assert after.halo_height is not None
    assert after.halo_height <= HALO + (before.halo_height or 0)


@pytest.mark.slow
def test_a_sharp_picture_gets_no_deblur() -> None:
    with renderer(0) as r:
        assert "deblur" not in ids(suggest_sharpening(r, Sweep()).steps)


@pytest.mark.slow
def test_what_sharpens_already_is_looked_past() -> None:
    with renderer(1.3) as r:
        alone = suggest_sharpening(r, Sweep((make_step("noise"),)))
        again = suggest_sharpening(r, Sweep((make_step("noise"), make_step("edge-sharpen", {"amount": 6}))))
    assert ids(alone.steps) == ids(again.steps)
    assert alone.why == again.why


def test_it_can_be_called_off() -> None:
    flag = Cancel()
    flag.set()
    with renderer(1.3) as r, pytest.raises(Cancelled):
        suggest_sharpening(r, Sweep(), flag)


def test_suggested_amounts_come_into_the_steps_that_are_there_and_the_others_are_added_or_off() -> None:
    own = Sweep((make_step("deblur"), make_step("edge-sharpen", {"amount": 0.3, "radius": 2.0})))
    sharper = make_step("edge-sharpen", {"amount": 2.0})
    off, changed = with_sharpening(own, (sharper,)).steps
    assert isinstance(off, Step)
    assert isinstance(changed, Step)
    assert not off.on
    assert changed.on
    assert changed.params.as_json() == own.steps[1].params.as_json() | {"amount": 2.0}  # type: ignore[union-attr]
    assert with_sharpening(Sweep(), (sharper,)) == Sweep((sharper,))
    assert with_sharpening(Sweep(), ()) == Sweep()
