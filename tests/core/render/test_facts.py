from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled
from dustpan.core.fact import Asked, FactKind, Of, Scope, bytes_of
from dustpan.core.files import open_picture
from dustpan.core.noise.blacks import BLACKS
from dustpan.core.noise.measure import NOISE_PRINT, PICTURE_PRINT
from dustpan.core.picture import Picture, from_array
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.sharpen.blur_of import BLUR, DEBLURRED
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.raw_camera import Exposure, counts, seen, shot
from tests.core.files.make import mosaic_dng, write

NOISE = Sweep((make_step("noise", {"quality": "quick"}),))


def counting(of: Of = Of.INPUT, scope: Scope = Scope.WHOLE, needs: tuple = ()) -> tuple[FactKind, list[Asked]]:
    """A fact that remembers who asked for it."""
    asked: list[Asked] = []

    def measure(a: Asked) -> float:
        asked.append(a)
        return float(a.pixels.mean())

    return FactKind("mean", measure, of, scope, needs), asked


@pytest.mark.slow
def test_any_fact_is_measured_as_what_it_is(picture: Picture) -> None:
    mean, asked = counting(needs=(PICTURE_PRINT,))
    with Renderer(picture) as r:
        assert r.fact(mean, Sweep()) == pytest.approx(picture.pixels.mean())
        after = r.fact(mean, NOISE)
        assert after == pytest.approx(r.render(NOISE).mean(), abs=1e-5)
        assert [a.needs[PICTURE_PRINT] is r.fact(PICTURE_PRINT, Sweep()) for a in asked] == [True, True]
    assert len(asked) == 2


def test_a_fact_about_the_picture_is_one_whatever_the_steps(picture: Picture) -> None:
    mean, asked = counting(Of.PICTURE)
    with Renderer(picture) as r:
        assert r.fact(mean, NOISE) == r.fact(mean, Sweep()) == r.fact(mean, NOISE, index=0)
        assert r.fact(PICTURE_PRINT, NOISE) is r.fact(NOISE_PRINT, Sweep())
        assert r.fact(NOISE_PRINT, NOISE) is not r.fact(NOISE_PRINT, Sweep())
    assert len(asked) == 1


@pytest.mark.slow
def test_a_fact_about_the_picture_that_another_needs_is_told_from_the_picture(picture: Picture) -> None:
    """Also where what needs it is asked of a result, and first."""
    mean, asked = counting(Of.PICTURE)
    outer = FactKind("outer", lambda a: a.needs[mean], needs=(mean,))
    with Renderer(picture) as r:
        assert r.fact(outer, NOISE) == float(picture.pixels.mean())
    assert len(asked) == 1
    sweep = Sweep((*NOISE.steps, make_step("deblur")))
    with Renderer(picture) as first, Renderer(picture) as second:
        first.fact(DEBLURRED, sweep)  # which the blur tells
        powers = [r.fact(BLUR, Sweep()).power for r in (first, second)]
    np.testing.assert_array_equal(*powers)


def test_a_sample_is_less_than_the_whole_of_a_large_result() -> None:
    rng = np.random.default_rng(1)
    large = from_array(rng.random((700, 900, 3)).astype(np.float32))
    mean, asked = counting(scope=Scope.SAMPLE)
    with Renderer(large) as r:
        r.fact(mean, Sweep())
        r.fact(mean, Sweep((make_step("grain"),)))
    assert [a.pixels.shape[:2] for a in asked] == [(700, 900), (256, 256)]


def test_strips_cover_everything_once() -> None:
    picture = from_array(np.arange(50 * 30, dtype=np.float32).reshape(50, 30, 1) / 1500)
    seen = np.zeros((50, 30))

    def measure(a: Asked) -> float:
        for strip, around, pixels in a.strips(rows=16, around=3):
            assert pixels.shape[:2] == (around.height, around.width)
            assert strip.inside(around)
            seen[strip.slices()] += 1
        return 1.0

    with Renderer(picture) as r:
        r.fact(FactKind("strips", measure, scope=Scope.WHOLE), Sweep())
    assert (seen == 1).all()


@pytest.mark.timeout(60)
def test_what_lasts_is_known_after_any_steps_also_of_a_raw(picture: Picture, tmp_path: Path) -> None:
    deblur, noise = make_step("deblur", {"kind": "round", "amount": 60}), make_step("noise", {"quality": "quick"})
    with Renderer(picture) as r:
        found = [r.fact(DEBLURRED, Sweep(steps)) for steps in ((), (noise,), (deblur,), (noise, deblur, noise))]
    assert found == [0, 0, 0.6, 0.6]
    taken = Exposure(4000)
    raw = write(tmp_path, "grey.dng", mosaic_dng(counts(seen(np.full((64, 96, 3), 0.2), taken), taken, 2), shot(taken)))
    with Renderer(open_picture(raw)) as r:
        developed = make_step("develop")
        assert r.fact(DEBLURRED, Sweep((developed, noise))) == 0
        assert r.fact(DEBLURRED, Sweep((developed, deblur, noise))) == 0.6


def test_many_who_ask_at_once_measure_once(picture: Picture) -> None:
    begun, go_on = threading.Event(), threading.Event()
    runs = []

    def measure(a: Asked) -> str:
        runs.append(1)
        begun.set()
        assert go_on.wait(20)
        return "measured"

    slow = FactKind("slow", measure, scope=Scope.WHOLE)
    with Renderer(picture) as r, ThreadPoolExecutor(4) as pool:
        first = pool.submit(r.fact, slow, Sweep())
        assert begun.wait(20)
        others = [pool.submit(r.fact, slow, Sweep()) for _ in range(3)]
        go_on.set()
        assert [f.result(20) for f in (first, *others)] == ["measured"] * 4
    assert len(runs) == 1


def test_who_is_called_off_does_not_take_others_along(picture: Picture) -> None:
    begun = threading.Event()
    cancel = Cancel()
    runs = []

    def measure(a: Asked) -> str:
        runs.append(1)
        if len(runs) == 1:
            begun.set()
            while True:
                a.check()
        return "measured"

    slow = FactKind("slow", measure, scope=Scope.WHOLE)
    with Renderer(picture) as r, ThreadPoolExecutor(2) as pool:
        first = pool.submit(r.fact, slow, Sweep(), None, cancel)
        assert begun.wait(20)
        second = pool.submit(r.fact, slow, Sweep())
        cancel.set()
        with pytest.raises(Cancelled):
            first.result(20)
        assert second.result(20) == "measured"
    assert len(runs) == 2


def test_who_waits_can_be_called_off_while_another_measures(picture: Picture) -> None:
    begun, go_on, cancel = threading.Event(), threading.Event(), Cancel()

    def measure(a: Asked) -> str:
        begun.set()
        assert go_on.wait(20)
        return "measured"

    slow = FactKind("slow", measure, scope=Scope.WHOLE)
    with Renderer(picture) as r, ThreadPoolExecutor(2) as pool:
        first = pool.submit(r.fact, slow, Sweep())
        assert begun.wait(20)
        second = pool.submit(r.fact, slow, Sweep(), None, cancel)
        cancel.set()
        with pytest.raises(Cancelled):
            second.result(20)
        go_on.set()
        assert first.result(20) == "measured"


def test_a_failure_reaches_everybody_and_the_next_one_may_try_again(picture: Picture) -> None:
    runs = []

    def measure(a: Asked) -> str:
        runs.append(1)
        if len(runs) == 1:
            raise RuntimeError("no luck")
        return "measured"

    unlucky = FactKind("unlucky", measure, scope=Scope.WHOLE)
    with Renderer(picture) as r:
        with pytest.raises(RuntimeError, match="no luck"):
            r.fact(unlucky, Sweep())
        assert r.fact(unlucky, Sweep()) == "measured"


def test_a_fact_that_is_nothing_is_kept_as_well(picture: Picture) -> None:
    runs = []
    nothing = FactKind("nothing", lambda a: runs.append(1), scope=Scope.WHOLE)
    with Renderer(picture) as r:
        assert r.fact(nothing, Sweep()) is None
        assert r.fact(nothing, Sweep()) is None
    assert len(runs) == 1


def test_facts_are_limited_in_bytes_and_any_number_fits_below() -> None:
    cache = Cache(limit=4_000_000)
    for n in range(200):
        cache.keep_fact((f"small {n}", "key"), n)
    assert cache.fact(("small 0", "key")) == 0
    for n in range(20):
        cache.keep_fact((f"large {n}", "key"), np.zeros(25_000))
    assert cache.fact(("small 0", "key")) is None
    held = [n for n in range(20) if cache.fact((f"large {n}", "key")) is not None]
    assert held == list(range(20 - len(held), 20))
    assert len(held) == 4


def test_the_size_of_a_fact_counts_its_arrays(picture: Picture) -> None:
    with Renderer(picture) as r:
        found = r.fact(PICTURE_PRINT, Sweep())
        small = r.fact(BLACKS, Sweep())
    assert bytes_of(found) > found.spectrum.nbytes + found.cross.nbytes
    assert bytes_of(found) > 3 * bytes_of(small)


@pytest.mark.slow
@pytest.mark.parametrize("threads", [1, 2])
def test_facts_of_results_of_facts_wait_for_each_other_on_few_threads(noisy: np.ndarray, threads: int) -> None:
    steps = ("hot-pixels", "compression-marks", "stripes", "compression-marks", "stripes")
    sweep = Sweep(tuple(make_step(s, {"added": ((40.0, 40.0),)} if s == "hot-pixels" else None) for s in steps))
    with Renderer(from_array(noisy), threads) as r, ThreadPoolExecutor(1) as pool:
        assert pool.submit(r.render, sweep).result(60).shape == noisy.shape
