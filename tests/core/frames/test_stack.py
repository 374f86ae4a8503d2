"""A night of exposures: found, measured, aligned, combined; with truth."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.cancel import Cancel
from dustpan.core.colour import decode, encode
from dustpan.core.errors import Cancelled, FileProblem, WrongUse
from dustpan.core.files import open_picture
from dustpan.core.files.reading import fingerprint
from dustpan.core.frames import sequence as sequences
from dustpan.core.frames import stack as stacking
from dustpan.core.frames.calibration import make_masters
from dustpan.core.frames.combining import Combining, Way, combining_of
from dustpan.core.frames.exposures import hot_in
from dustpan.core.frames.motion import STILL, aligned
from dustpan.core.frames.points import find_points, sky_of, spread
from dustpan.core.frames.result import picture_of, save_aligned, save_result
from dustpan.core.frames.sequence import Align, Sequence, look
from dustpan.core.frames.spool import Spool
from dustpan.core.frames.stack import Aligned, Stacked, stacked, suggest_trim
from dustpan.core.open.document import Document
from dustpan.core.picture import Kind
from dustpan.core.render.cache import Cache
from dustpan.core.sweep import beside, load_sweep
from dustpan.demo.exposures import PEDESTAL, SKY, Night, Taken, take
from dustpan.demo.frames import write_fits
from tests.core.frames.conftest import NIGHT, off, written

LEFT_OUT = [NIGHT.cloud, NIGHT.out_of_focus]


@pytest.fixture(scope="module")
def combined(exposures: Aligned) -> Stacked:
    return stacked(exposures, Combining())


@pytest.fixture(scope="module")
def mean(exposures: Aligned) -> Stacked:
    return stacked(exposures, Combining(Way.MEAN))


def struck(exposures: Aligned, taken: Taken) -> np.ndarray:
    """(h, w) where a satellite or a ray has been in some exposure that is used, before dark sky."""
    found = np.zeros(NIGHT.size, bool)
    for i in exposures.used:
        found |= aligned(taken.struck[i].astype(np.float32), exposures.sequence.motion(i), NIGHT.size) > 0.3
    return found & (taken.sky < SKY + 3)


def excess(found: Stacked, there: np.ndarray, sky: np.ndarray) -> float:
    """How much brighter one part of a result is than another, electrons."""
    return float(found.light[..., 0][there].mean() - np.median(found.light[..., 0][sky]))


def test_stars_are_found_where_they_are(taken: Taken) -> None:
    light = taken.counts[0].astype(np.float32)
    light[tuple(taken.hot.T)] = np.median(light)
    grid, noise = sky_of(light)
    found = find_points(light - spread(grid, light.shape), noise)
    assert found.width == pytest.approx(2.6, abs=0.15)
    bright = taken.at[taken.flux > 20000]
    apart = np.linalg.norm(found.at[None] - bright[:, None], axis=2).min(1)
    h, w = NIGHT.size
    inside = (bright > 12).all(1) & (bright[:, 0] < w - 12) & (bright[:, 1] < h - 12)
    assert np.median(apart[inside]) < 0.02


def test_hot_pixels_are_found_and_stars_are_spared(taken: Taken) -> None:
    found = {tuple(p) for p in hot_in(taken.counts[0][..., None].astype(np.float32), ((0,),)).tolist()}
    true = {tuple(p) for p in taken.hot.tolist()} | {tuple(p) for p in np.argwhere(taken.struck[0]).tolist()}
    assert len(found & true) > 0.9 * len(taken.hot)
    assert len(found - true) < 0.05 * len(found)


def test_just_those_that_would_harm_are_left_out(sequence: Sequence) -> None:
    assert [i for i, f in enumerate(sequence.frames) if f.left_out] == LEFT_OUT
    assert "cloud" in sequence.frames[4].left_out.lower()
    assert "focus" in sequence.frames[7].left_out


def test_exposures_are_aligned(sequence: Sequence, taken: Taken) -> None:
    found = [off(sequence, taken, i) for i in sequence.used]
    assert np.median(found) < 0.015
    assert max(found) < 0.05


@pytest.mark.slow
@pytest.mark.parametrize(
    "night",
    [
        replace(NIGHT, stars=32, brightest=9e7, seed=8),
        replace(NIGHT, drift=(90.0, 20.0), turn=4.0, seed=5),
        replace(NIGHT, hot=0.005, stars=34, seed=9),
    ],
    ids=["few stars over five decades", "far drift", "many hot pixels"],
)
def test_harder_nights_are_aligned(night: Night, tmp_path: Path) -> None:
    taken = take(night)
    sequence = look(written(taken, night, tmp_path))
    assert [i for i, f in enumerate(sequence.frames) if f.left_out] == LEFT_OUT
    found = [off(sequence, taken, i) for i in sequence.used]
    assert np.median(found) < 0.015
    assert max(found) < 0.05


def test_trails_go_and_noise_is_as_low_as_the_mean_has_it(
    combined: Stacked, mean: Stacked, exposures: Aligned, taken: Taken
) -> None:
    there = struck(exposures, taken)
    sky = (taken.sky < SKY + 3) & ~there
    rest = [abs(excess(s, there, sky)) for s in (combined, mean)]
    assert 20 * np.log10(rest[0] / rest[1]) < -35
    assert combined.noise < 1.01 * mean.noise
    assert combined.gain > 0.96
    assert max(mean.rejected) == 0
    assert combined.rejected[list(combined.used).index(2)] > 3 * np.median(combined.rejected)


def test_stars_keep_their_light(combined: Stacked, taken: Taken) -> None:
    off_by = []
    for (x, y), flux in zip(taken.at, taken.flux, strict=True):
        alone = np.linalg.norm(taken.at - (x, y), axis=1)
        if flux > 30000 and 20 < x < 540 and 20 < y < 400 and np.sort(alone)[1] > 16:
            part = combined.light[round(y) - 6 : round(y) + 7, round(x) - 6 : round(x) + 7, 0]
            around = combined.light[round(y) - 10 : round(y) + 11, round(x) - 10 : round(x) + 11, 0]
            off_by.append(part.sum() - 169 * np.median(around) - flux)
            off_by[-1] /= flux
    assert len(off_by) >= 5
    assert abs(np.median(off_by)) < 0.01


def test_strips_do_not_show(combined: Stacked, exposures: Aligned, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(stacking, "MOST_BYTES", 1)
    again = stacked(exposures, Combining())
    np.testing.assert_allclose(again.light, combined.light, rtol=1e-5)
    assert np.abs(again.rejected - combined.rejected).max() < 0.01


def test_the_widest_range_that_lets_nothing_through(exposures: Aligned, taken: Taken) -> None:
    found = suggest_trim(exposures)
    assert found.how.way is Way.TRIM
    there = struck(exposures, taken)
    sky = (taken.sky < SKY + 3) & ~there
    middle, chosen, wide = (stacked(exposures, combining_of(t)) for t in ("median", found.how.text, "trim:0-100"))
    passed = [abs(excess(s, there, sky)) for s in (middle, chosen, wide)]
    assert passed[1] < 2 * passed[0] + 1 < passed[2]
    assert chosen.noise < middle.noise
    assert "%" in found.why


def test_what_a_person_decides_goes_first(sequence: Sequence) -> None:
    without = sequence.with_choice(3, True)
    assert 3 not in without.used
    assert without.frames[3].left_out == "by hand"
    again = sequence.with_choice(4, False)
    assert 4 in again.used
    assert again.frames[4].by_hand


def test_a_comet_is_followed(tmp_path: Path) -> None:
    night = replace(NIGHT, comet=((200.0, 150.0), (60.0, 35.0)), cloud=None, out_of_focus=None, satellites=())
    taken = take(night)
    start, end = np.array([[200.0, 150.0]]), np.array([[260.0, 185.0]])
    last = tuple(taken.motions[-1].of(end)[0])
    paths = written(taken, night, tmp_path)
    followed = look(paths, point=((200.0, 150.0), (float(last[0]), float(last[1]))))
    still = look(paths)
    heights = []
    for name, found in (("followed", followed), ("still", still)):
        light = stacked(Aligned(found, Spool(tmp_path / name)), Combining()).light[..., 0]
        part = light[140:161, 190:211] - np.median(light)
        heights.append(float(part.max()))
        if name == "followed":
            y, x = np.mgrid[140:161, 190:211]
            bright = np.where(part > part.max() / 4, part, 0)
            place = (bright * x).sum() / bright.sum(), (bright * y).sum() / bright.sum()
            np.testing.assert_allclose(place, start[0], atol=0.1)
    peak = 4000 / (2 * np.pi * (2.6 / 2.3548) ** 2)
    assert heights[0] > 0.9 * peak
    assert heights[1] < 0.3 * heights[0]


def test_a_flat_frame_takes_shading_out_and_a_dark_one_hot_pixels(tmp_path: Path) -> None:
    rng = np.random.default_rng(4)
    h, w = 120, 160
    y, x = np.mgrid[:h, :w]
    shade = 1 - 0.5 * (((x - w / 2) / w) ** 2 + ((y - h / 2) / h) ** 2)
    bias = 300 + 5 * np.sin(x / 9)
    hot = np.where(rng.random((h, w)) < 0.01, rng.uniform(500, 5000, (h, w)), 0)

    def shot(name: str, light: float | np.ndarray, seconds: float) -> Path:
        counts = rng.poisson(light * shade + hot * seconds / 30) + bias + rng.normal(0, 4, (h, w))
        path = tmp_path / f"{name}.fits"
        write_fits(path, np.clip(np.rint(counts), 0, 65535).astype(np.uint16), {"EXPTIME": seconds})
        return path

    biases = [shot(f"bias{n}", 0.0, 0.001) for n in range(9)]
    darks = [shot(f"dark{n}", 0.0, 60.0) for n in range(9)]
    flats = [shot(f"flat{n}", 20000.0, 1.0) for n in range(9)]
    masters = make_masters(darks, flats, biases)
    frames = [shot(f"light{n}", 3000.0, 30.0) for n in range(4)]
    sequence = look(frames, Align.NONE, masters)
    light = stacked(Aligned(sequence, Spool(tmp_path / "spool")), combining_of("mean")).light[..., 0]
    cells = light.reshape(6, 20, 8, 20).mean((1, 3))
    assert np.ptp(cells) / cells.mean() < 0.01
    assert cells.mean() == pytest.approx(3000 * shade.mean(), rel=0.01)
    assert not masters.notices
    with pytest.raises(FileProblem, match="size"):
        make_masters([darks[0], written(take(replace(NIGHT, count=2)), NIGHT, tmp_path)[0]])


def test_hand_held_pictures_are_aligned_by_what_they_show(tmp_path: Path, desk_light: np.ndarray) -> None:
    import cv2
    from PIL import Image

    rng = np.random.default_rng(6)
    h, w = desk_light.shape[0] - 60, desk_light.shape[1] - 60
    truth, paths = [], []
    for n in range(5):
        a, (x, y) = (np.radians(rng.uniform(-2, 2)), rng.uniform(-12, 12, 2)) if n else (0.0, (0.0, 0.0))
        turn = cv2.getRotationMatrix2D(((w - 1) / 2, (h - 1) / 2), np.degrees(a), 1) + np.array([[0, 0, x], [0, 0, y]])
        inverse = cv2.invertAffineTransform(turn) + np.array([[0, 0, 30], [0, 0, 30]])
        seen = cv2.warpAffine(desk_light, inverse, (w, h), flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP)
        noisy = encode(np.clip(seen, 0, 1)) + rng.normal(0, 8 / 255, seen.shape)
        paths.append(tmp_path / f"{n}.png")
        Image.fromarray((np.clip(noisy, 0, 1) * 255 + 0.5).astype(np.uint8)).save(paths[-1])
        truth.append(turn)
    sequence = look(paths, Align.CONTENT)
    at = np.random.default_rng(0).uniform(20, min(h, w) - 20, (50, 2))
    for frame, turn in zip(sequence.frames, truth, strict=True):
        assert frame.motion is not None
        there = at @ turn[:, :2].T + turn[:, 2]
        assert np.sqrt(np.square(frame.motion.of(at) - there).sum(1).mean()) < 0.05
    found = stacked(Aligned(sequence, Spool(tmp_path / "spool")), Combining()).light
    clean = encode(np.clip(desk_light[30:-30, 30:-30], 0, 1))[20:-20, 20:-20]
    errors = [np.square(p[20:-20, 20:-20] - clean).mean() for p in (open_picture(paths[0]).pixels, encode(found))]
    assert 10 * np.log10(errors[0] / errors[1]) > 5.5


@pytest.fixture(scope="module")
def desk_light() -> np.ndarray:
    from tests.scenes import desk

    return np.asarray(decode(desk(300, 360)), np.float32)


def test_pictures_of_other_things_are_named(tmp_path: Path, desk_light: np.ndarray) -> None:
    from PIL import Image

    rng = np.random.default_rng(1)
    for n in range(3):
        pixels = encode(desk_light) if n < 2 else rng.uniform(0, 1, desk_light.shape)
        Image.fromarray((np.clip(pixels, 0, 1) * 255).astype(np.uint8)).save(tmp_path / f"{n}.png")
    found = look([tmp_path / f"{n}.png" for n in range(3)], Align.CONTENT)
    assert found.used == (0, 1)
    assert found.frames[2].left_out


def test_a_small_and_a_cut_exposure_are_named_and_the_rest_goes_on(paths: list[Path], tmp_path: Path) -> None:
    small, cut = tmp_path / "small.fits", tmp_path / "cut.fits"
    write_fits(small, np.ones((100, 120), np.uint16), {})
    cut.write_bytes(paths[0].read_bytes()[:90_000])
    found = look([*paths[:3], small, cut])
    assert found.used == (0, 1, 2)
    assert [f.damaged for f in found.frames] == [False] * 3 + [True] * 2
    assert "120" in found.frames[3].left_out
    assert "cut" in found.frames[4].left_out


@pytest.mark.parametrize("count", [0, 1, 501])
def test_too_few_and_too_many(paths: list[Path], count: int) -> None:
    with pytest.raises(WrongUse):
        look([paths[0]] * count)


def test_without_stars_it_is_said_what_to_do(tmp_path: Path) -> None:
    for n in range(2):
        write_fits(tmp_path / f"{n}.fits", np.random.default_rng(n).poisson(400, (200, 200)).astype(np.uint16), {})
    with pytest.raises(WrongUse, match="content"):
        look([tmp_path / f"{n}.fits" for n in range(2)])


def test_one_that_cannot_be_read_at_all(tmp_path: Path, paths: list[Path]) -> None:
    with pytest.raises(WrongUse, match="fewer than two"):
        look([paths[0], tmp_path / "none.fits"])


def test_results_are_pictures_in_the_files_own_units(combined: Stacked, sequence: Sequence, tmp_path: Path) -> None:
    path = tmp_path / "stack.fits"
    save_result(combined.light, sequence, combined.how, path)
    again = open_picture(path)
    assert again.kind is Kind.MONO
    np.testing.assert_array_equal(again.as_stored(), combined.light)
    assert again.source.origin.header["OBJECT"] == "over the lightstation"
    assert "10 of 12" in " ".join(again.source.origin.header["HISTORY"])
    assert np.median(again.as_stored()) == pytest.approx(SKY + PEDESTAL, rel=0.03)
    save_result(combined.light, sequence, combined.how, tmp_path / "stack.tif")
    assert open_picture(tmp_path / "stack.tif").size == NIGHT.size


def test_aligned_exposures_are_saved_and_combine_as_they_are(
    exposures: Aligned, combined: Stacked, tmp_path: Path
) -> None:
    assert save_aligned(exposures, tmp_path / "aligned") == ""
    saved = sorted((tmp_path / "aligned").iterdir())
    assert len(saved) == len(exposures)
    np.testing.assert_array_equal(open_picture(saved[1]).as_stored(), exposures.frame(1))
    again = look(saved, Align.NONE)
    assert all(f.motion == STILL for f in again.frames)


def test_a_full_disk_costs_time_and_nothing_else(sequence: Sequence, combined: Stacked, tmp_path: Path) -> None:
    nothing_kept = Aligned(sequence, Spool(tmp_path / "none", limit=0))
    found = stacked(nothing_kept, Combining())
    np.testing.assert_array_equal(found.light, combined.light)
    assert list((tmp_path / "none").iterdir()) == []


def test_aligned_ones_that_cannot_be_saved_are_one_sentence(
    exposures: Aligned, tmp_path: Path, full_disk: Callable[[], None]
) -> None:
    (tmp_path / "taken").write_text("a file")
    found = save_aligned(exposures, tmp_path / "taken")
    assert "taken" in found
    full_disk()
    found = save_aligned(exposures, tmp_path / "room")
    assert found.count("the disk is full") == 1
    assert list((tmp_path / "room").iterdir()) == []


def test_what_is_on_the_disk_is_used_again(sequence: Sequence, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    first = Aligned(sequence, Spool(tmp_path / "kept"))
    first.prepare()
    monkeypatch.setattr(stacking, "read_exposure", lambda *a: pytest.fail("read again"))
    spool = Spool(tmp_path / "kept")
    second = Aligned(sequence, spool)
    second.prepare()
    np.testing.assert_array_equal(second.frame(2), first.frame(2))
    spool.close()
    assert list((tmp_path / "kept").iterdir()) == []


def test_it_can_be_called_off(sequence: Sequence, paths: list[Path], tmp_path: Path) -> None:
    cancel = Cancel()
    cancel.set()
    with pytest.raises(Cancelled):
        look(paths, cancel=cancel)
    with pytest.raises(Cancelled):
        stacked(Aligned(sequence, Spool(tmp_path), cancel), Combining())


def test_the_spool_keeps_to_its_limit(tmp_path: Path) -> None:
    one = np.zeros(1000, np.float32)
    old = Spool(tmp_path, limit=10_000)
    assert old.put("a", one)
    assert old.put("b", one)
    old._opened += 10  # another start, later
    assert old.put("c", one)
    assert old.get("c") is not None
    assert (old.get("a") is None) + (old.get("b") is None) == 1
    assert old.get("none") is None


def test_a_mosaic_becomes_three_colours(tmp_path: Path) -> None:
    night = replace(NIGHT, count=3, cloud=None, out_of_focus=None, satellites=())
    taken = take(night)
    paths = []
    for n, counts in enumerate(taken.counts):
        paths.append(tmp_path / f"{n}.fits")
        write_fits(paths[-1], counts, {"BAYERPAT": "RGGB"})
    found = look(paths)
    assert found.size == (*NIGHT.size, 3)
    result = stacked(Aligned(found, Spool(tmp_path / "spool")), Combining())
    made = picture_of(result.light, open_picture(paths[0]))
    assert made.kind is Kind.RGB
    save_result(result.light, found, result.how, tmp_path / "out.fits")
    again = open_picture(tmp_path / "out.fits")
    assert again.kind is Kind.RGB
    assert max(off(found, taken, i) for i in found.used) < 0.06


def test_hot_pixels_of_a_long_sequence_are_those_of_most(
    paths: list[Path], taken: Taken, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sequences, "LONG", 0)
    found = look(paths[:6])
    places = [{tuple(p) for p in f.hot.tolist()} for f in found.frames]
    assert all(p == places[0] for p in places)
    true = {tuple(p) for p in taken.hot.tolist()}
    assert len(places[0] & true) > 0.9 * len(true)
    assert len(places[0] - true) < 5


def test_the_sweep_beside_a_result_names_its_exposures(combined: Stacked, sequence: Sequence, tmp_path: Path) -> None:
    path = tmp_path / "stack.fits"
    save_result(combined.light, sequence, combined.how, path)
    kept = load_sweep(beside(path)).extra["frames"]
    assert kept["combine"] == "model:3.5"
    assert [bool(f["left_out"]) for f in kept["files"]] == [bool(f.left_out) for f in sequence.frames]
    assert kept["files"][2]["hash"] == fingerprint(sequence.frames[2].path)
    document = Document(path, Cache())
    assert [s.kind.id for s in document.sweep.steps] == ["noise"]  # as of any picture that is opened first
    assert not document.looked
    document.save()
    document.close()
    save_result(combined.light, sequence, Combining(Way.MEAN), path)
    again = load_sweep(beside(path))
    assert len(again.steps) == 1  # what was done on the bench stays
    assert again.extra["frames"]["combine"] == "mean"


def test_what_was_read_once_is_not_read_again(
    paths: list[Path], combined: Stacked, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    spool = Spool(tmp_path)
    found = look(paths, spool=spool)
    monkeypatch.setattr(stacking, "read_exposure", lambda *a: pytest.fail("read again"))
    exposures = Aligned(found, spool)
    np.testing.assert_array_equal(stacked(exposures, Combining()).light, combined.light)
    spool.close()
    assert list(tmp_path.iterdir()) == []
