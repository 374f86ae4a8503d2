"""Specks are told from what belongs to a picture, and what is filled goes on from around with its grain."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage as ndi
from tools.learn_specks import rows_from, rows_of, weights

from dustpan.core.curve import Scale
from dustpan.core.defects.bridged import bridged
from dustpan.core.defects.speck_shapes import CONTRAST, FEATURES, THICK, Shapes, find_in
from dustpan.core.defects.specks import SPECKS_FOUND, Specks, SpecksParams
from dustpan.core.fact import Asked, FactKind
from dustpan.core.files import save_picture
from dustpan.core.forest import Forest
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.stars import STAR_FIELD
from dustpan.core.step import StepKind
from dustpan.core.steps import step_kind
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.marks import Sizes, baited, marked
from dustpan.demo.outdoors import harbour

KIND: StepKind = step_kind("specks")
FOUND: FactKind = SPECKS_FOUND
SIGMA = 2 / 255


def noisy(clean: np.ndarray, seed: int = 1) -> np.ndarray:
    out = np.clip(clean + np.random.default_rng(seed).normal(0, SIGMA, clean.shape), 0, 1)
    return (np.rint(255 * out) / 255).astype(np.float32)


def ground(height: int = 300, width: int = 360) -> np.ndarray:
    """An old print: a slow gradient with a dark shape that has hard edges."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    grey = 0.6 + 0.15 * np.sin(x / 110) * np.cos(y / 90)
    shape = np.clip(70 - np.hypot(y - 0.6 * height, x - 0.7 * width) + 0.5, 0, 1)
    return np.stack([grey * (1 - 0.6 * shape) * v for v in (1.0, 0.95, 0.88)], -1).astype(np.float32)


CLEAN = noisy(ground())
MARKED, LABELS = marked(CLEAN, np.random.default_rng(4), 24, Sizes(contrast=(0.2, 0.4)))


def cleaned(pixels: np.ndarray, **values: object) -> np.ndarray:
    with Renderer(from_array(pixels)) as r:
        return r.render(Sweep((make_step("specks", values),)))


def found_in(pixels: np.ndarray) -> Specks:
    with Renderer(from_array(pixels)) as r:
        return r.fact(FOUND, Sweep((make_step("specks"),)), 0, None)


def touched(before: np.ndarray, after: np.ndarray) -> np.ndarray:
    return np.abs(before - after).max(-1) > 1 / 255


@pytest.fixture(scope="module")
def after() -> np.ndarray:
    return cleaned(MARKED)


@pytest.fixture(scope="module")
def found() -> Specks:
    return found_in(MARKED)


# -------------------------------------------------------------- finding and filling


def test_most_marks_are_mended_and_little_else_is_touched(after: np.ndarray) -> None:
    on = LABELS > 0
    away = ~ndi.binary_dilation(on, iterations=3)
    error = [np.square(p - CLEAN).mean(-1) for p in (MARKED, after)]
    gain = 10 * np.log10(error[0][on].mean() / error[1][on].mean())
    numbers = np.arange(1, LABELS.max() + 1)
    each = [np.asarray(ndi.mean(e, LABELS, numbers)) for e in error]
    assert gain > 6
    assert (each[1] < 0.2 * each[0]).mean() > 0.85
    assert (touched(MARKED, after) & away).mean() < 0.006
    np.testing.assert_array_equal(after[away & ~touched(MARKED, after)], MARKED[away & ~touched(MARKED, after)])


@pytest.mark.parametrize("clean", [CLEAN, noisy(harbour()[0]), noisy(baited(ground(), np.random.default_rng(3)))])
def test_what_belongs_to_a_picture_stays(clean: np.ndarray) -> None:
    assert touched(clean, cleaned(clean)).mean() < 0.005


def test_more_is_taken_where_less_is_asked(found: Specks) -> None:
    counts = [found.chosen(SpecksParams(sure=s)).sum() for s in (5, 30, 60, 90)]
    assert counts == sorted(counts, reverse=True)
    assert counts[0] > counts[-1] > 0
    widths = [found.chosen(SpecksParams(width=w)).sum() for w in (2, 6, 12)]
    assert widths[0] < widths[-1]
    contrasts = [found.chosen(SpecksParams(contrast=c)).sum() for c in (30, 10, 3)]
    assert contrasts[0] < contrasts[-1]


@given(width=st.integers(1, 15), contrast=st.floats(1, 30), sure=st.floats(2, 99))
@settings(max_examples=30, deadline=None)
def test_what_is_taken_is_within_the_limits(width: int, contrast: float, sure: float) -> None:
    told = np.zeros((50, len(FEATURES)), np.float32)
    rng = np.random.default_rng(0)
    told[:, THICK], told[:, CONTRAST] = rng.integers(1, 16, 50), rng.uniform(0.5, 40, 50)
    places = np.stack([np.arange(50), np.arange(50)], 1).astype(np.int32)
    filled = Shapes(told, places.astype(np.float32), np.arange(51), places)
    every = Specks(filled, rng.uniform(0, 1, 50).astype(np.float32), np.arange(50), places)
    p = SpecksParams(width=width, contrast=contrast, sure=sure)
    some = every.chosen(p)
    assert np.all(every.likely[some] >= sure / 100 - 1e-6)
    assert np.all(every.widths[some] <= width)
    assert np.all(every.contrasts[some] >= contrast - 1e-5)
    assert every.marks(p, Region(0, 0, 50, 50)).any() == some.any()


def test_a_speck_is_put_back_and_another_taken(found: Specks, after: np.ndarray) -> None:
    hits = KIND.hits({FOUND: found}, SpecksParams())
    y, x = (round(float(v)) for v in hits.at[-1])
    here = np.s_[max(0, y - 1) : y + 2, max(0, x - 1) : x + 2]
    assert touched(MARKED[here], after[here]).any()
    back = cleaned(MARKED, spared=((y, x),))
    np.testing.assert_array_equal(back[here], MARKED[here])
    assert len(KIND.hits({FOUND: found}, SpecksParams(spared=((y, x),)))) == len(hits) - 1
    added = cleaned(CLEAN, added=((150, 60),))
    changed = np.argwhere((added != CLEAN).any(-1))
    assert len(changed)
    assert np.abs(changed - (150, 60)).max() < 16


def test_what_belongs_together_is_one_hit_and_is_put_back_as_one() -> None:
    """Two parts whose likelier whole is too wide to count."""
    told = np.zeros((3, len(FEATURES)), np.float32)
    told[:, THICK], told[:, CONTRAST] = (14, 4, 4), 20
    places = np.array([[10, 10], [10, 12], [14, 14]], np.int32)
    shapes = Shapes(told, places.astype(np.float32), np.arange(4), places)
    every = Specks(shapes, np.array([0.9, 0.8, 0.7], np.float32), np.zeros(3, np.int64), places)
    p = SpecksParams(width=8)
    hits = KIND.hits({FOUND: every}, p)
    np.testing.assert_array_equal(hits.at, [[10, 12]])
    spared = p.model_copy(update={"spared": ((10.0, 12.0),)})
    assert every.chosen(p).sum() == 2
    assert every.chosen(spared).sum() == 0


def test_a_faint_one_that_is_pointed_at_goes_as_a_whole(found: Specks) -> None:
    least = int(np.argmin(found.likely))
    meant = found.meant(tuple(map(float, found.at[least])))
    known = (n for n in range(len(found.shapes)) if np.array_equal(found.shapes.of(n), meant))
    assert next(known, None) is not None  # of one candidate, not the small spot


def test_hits_are_told_in_order_and_charted(found: Specks) -> None:
    hits = KIND.hits({FOUND: found}, SpecksParams())
    assert len(hits) > 10
    assert np.all(np.diff(hits.score) >= 0)
    widths, contrasts = hits.curve
    assert len(widths) == len(contrasts) >= len(hits)


def test_frames_of_the_sky_keep_their_stars() -> None:
    asked = Asked((300, 360), lambda r: MARKED[r.slices()], scale=Scale(from_sky=True), needs={STAR_FIELD: None})
    assert len(SPECKS_FOUND.measure(asked).shapes) == 0
    assert len(SPECKS_FOUND.measure(replace(asked, scale=None)).shapes) > 20
    assert len(SPECKS_FOUND.measure(replace(asked, scale=None, size=(12, 12))).shapes) == 0  # too small to tell


def test_everything_of_a_size_goes_when_asked() -> None:
    rng = np.random.default_rng(6)
    grain = ndi.gaussian_filter(rng.normal(0, 1, (200, 240)), 1.2)
    spots = np.where(grain > 2 * grain.std(), 0.25, 0)[..., None]
    coarse = noisy(np.clip(ground(200, 240) - spots.astype(np.float32), 0, 1))
    usual, every = cleaned(coarse), cleaned(coarse, every=True, width=7, contrast=3)
    error = [np.square(p - ground(200, 240)).mean() for p in (coarse, usual, every)]
    assert error[2] < 0.35 * error[0]
    assert error[2] < error[1]
    y, x = (int(v) for v in np.argwhere(touched(coarse, every))[40])
    back = cleaned(coarse, every=True, width=7, contrast=3, spared=((y, x),))
    np.testing.assert_array_equal(back[y, x], coarse[y, x])  # what a person put back stays
    assert touched(coarse, back).sum() > 0.9 * touched(coarse, every).sum()
    gentle = cleaned(coarse, every=True, width=7, contrast=12)
    assert touched(coarse, gentle).sum() < touched(coarse, every).sum()


# -------------------------------------------------------------- filling


def test_a_gradient_goes_on_exactly_and_an_edge_below_a_scratch() -> None:
    y, x = np.mgrid[:80, :90].astype(np.float32)
    slope = (0.2 + 0.004 * x + 0.003 * y)[..., None]
    hole = np.zeros((80, 90), bool)
    hole[38:43, 20:70] = True
    at = np.argwhere(hole)
    np.testing.assert_allclose(bridged(slope, at, hole, Region(0, 0, 80, 90))[:, 0], slope[hole][:, 0], atol=2e-3)
    edge = np.where(x > 45 + 0.2 * (y - 40), 0.8, 0.2).astype(np.float32)[..., None]
    off = np.abs(bridged(edge, at, hole, Region(0, 0, 80, 90))[:, 0] - edge[hole][:, 0])
    assert (off > 0.1).mean() < 0.06
    blurred = cv2.inpaint(np.rint(255 * edge[..., 0]).astype(np.uint8), hole.astype(np.uint8), 3, cv2.INPAINT_TELEA)
    assert np.square(off).mean() < np.square(blurred[hole] / 255 - edge[hole][:, 0]).mean()


def test_what_is_filled_has_the_grain_of_what_is_around() -> None:
    rng = np.random.default_rng(7)
    for sigma in (0.01, 0.04):
        field = (0.5 + rng.normal(0, sigma, (200, 200, 3))).astype(np.float32)
        hole = np.zeros((200, 200), bool)
        for y in range(20, 190, 24):
            for x in range(20, 190, 24):
                hole[y - 4 : y + 5, x - 4 : x + 5] = True
        filled = bridged(field, np.argwhere(hole), hole, Region(0, 0, 200, 200))
        assert 0.75 * sigma < filled.std() < 1.15 * sigma
        assert abs(float(filled.mean()) - 0.5) < 0.005


def test_a_part_is_filled_as_the_whole() -> None:
    hole = LABELS > 0
    whole = bridged(MARKED, np.argwhere(hole), hole, Region(0, 0, *hole.shape))
    have = Region(40, 30, 250, 330)
    part = hole[have.slices()].copy()
    inner = np.argwhere(part)
    inner = inner[((inner >= 48) & (inner < np.array(part.shape) - 48)).all(1)]
    got = bridged(MARKED[have.slices()], inner, part, have)
    number = np.full(hole.shape, -1)
    number[hole] = np.arange(hole.sum())
    np.testing.assert_allclose(got, whole[number[inner[:, 0] + have.y0, inner[:, 1] + have.x0]], atol=1e-6)


def test_a_picture_that_is_marked_all_over_stays() -> None:
    hole = np.ones((30, 30), bool)
    np.testing.assert_array_equal(
        bridged(CLEAN[:30, :30], np.argwhere(hole), hole, Region(0, 0, 30, 30)), CLEAN[:30, :30].reshape(-1, 3)
    )


# -------------------------------------------------------------- shapes, trees and learning


def test_a_mark_is_a_candidate_and_told_by_its_figures() -> None:
    pixels = np.full((120, 120, 3), 0.6, np.float32)
    v, u = np.mgrid[:120, :120]
    pixels[np.hypot(v - 60, u - 50) <= 3] = 0.3
    shapes = find_in(pixels)
    near = np.hypot(*(shapes.middle - (60, 50)).T) < 1
    assert near.any()
    told = dict(zip(FEATURES, max(shapes.told[near].tolist(), key=lambda row: row[THICK]), strict=True))
    assert 4 <= told["thick"] <= 8
    assert told["sign"] == 1
    assert told["slim"] < 2.5
    assert told["alike"] == 0
    assert told["colour"] < 0.1
    light = find_in(1 - pixels)
    assert (light.told[:, FEATURES.index("sign")] == -1).any()


def test_trees_are_followed_and_kept(tmp_path: Path) -> None:
    forest = Forest(
        roots=np.array([0, 3], np.int32),
        figure=np.array([0, -1, -1, 1, -1, -1], np.int32),
        limit=np.array([0.5, 0, 0, 2, 0, 0], np.float32),
        lesser=np.array([1, 0, 0, 4, 0, 0], np.int32),
        greater=np.array([2, 0, 0, 5, 0, 0], np.int32),
        value=np.array([0, -1, 2, 0, 0.5, -0.5], np.float32),
        base=-0.25,
    )
    told = np.array([[0.5, 0], [0.6, 0], [0, 3], [9, 9]], np.float32)
    odds = np.array([-1 + 0.5, 2 + 0.5, -1 - 0.5, 2 - 0.5]) - 0.25
    np.testing.assert_allclose(forest.likely(told), 1 / (1 + np.exp(-odds)), rtol=1e-5)
    forest.save(tmp_path / "trees.npz")
    np.testing.assert_array_equal(Forest.load(tmp_path / "trees.npz").likely(told), forest.likely(told))


def test_rows_to_learn_from_know_marks_and_count_areas(tmp_path: Path) -> None:
    rows = rows_of(MARKED, LABELS)
    assert 20 < rows.is_mark.sum() < len(rows.is_mark)
    count = weights(rows)
    assert np.all(count[rows.is_mark] == 1)
    others = ~rows.is_mark
    assert np.all(np.diff(count[others][np.argsort(rows.area[others])]) >= 0)
    save_picture(from_array(np.rint(255 * harbour()[0]).astype(np.uint8)), tmp_path / "seen.png")
    again = [rows_from(tmp_path / "seen.png", 3) for _ in range(2)]
    np.testing.assert_array_equal(again[0].told, again[1].told)
