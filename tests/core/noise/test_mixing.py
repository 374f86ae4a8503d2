from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.colour import luma
from dustpan.core.noise import mixing
from dustpan.core.noise.mixing import TONES, mixed

SHARE = st.floats(0, 1)


@given(SHARE, SHARE, SHARE, st.tuples(SHARE, SHARE, SHARE), st.tuples(SHARE, SHARE, SHARE), st.sampled_from([1, 3]))
def test_a_mix_is_what_its_formula_says(
    luminance: float,
    colour: float,
    give_back: float,
    tones: tuple[float, float, float],
    channels: tuple[float, float, float],
    planes: int,
) -> None:
    rng = np.random.default_rng(1)
    pixels, cleaned = rng.uniform(-0.1, 1.2, (2, 12, 17, planes)).astype(np.float32)
    structure = rng.normal(0, 0.1, (12, 17)).astype(np.float32)
    by_tone, by_channel = (np.array(v, np.float32) for v in (tones, channels))
    result = mixed(pixels, cleaned, structure, luminance, colour, give_back, by_tone, by_channel)
    light = luma(cleaned - pixels)[..., None]
    change = luminance * (light + give_back * structure[..., None])
    if planes == 3:
        change = change + colour * (cleaned - pixels - light)
    share = np.interp(luma(cleaned), TONES, by_tone)[..., None]
    assert result == pytest.approx(pixels + share * by_channel[:planes] * change, abs=1e-5)


def test_views_and_kept_tiles_need_no_other_kernel() -> None:
    pixels = np.linspace(0, 1, 6 * 8 * 3, dtype=np.float32).reshape(6, 8, 3)
    kept = pixels[::-1] * np.float32(0.5)
    kept.setflags(write=False)
    ones = np.ones(3, np.float32)
    half = mixed(pixels[1:5, 2:7], kept[1:5, 2:7], None, 0.5, 0.5, 0, ones, ones)
    assert half == pytest.approx((pixels[1:5, 2:7] + kept[1:5, 2:7]) / 2, abs=1e-6)
    assert len(mixing._mix.compiled.signatures) == 1
