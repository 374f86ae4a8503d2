"""The process that makes things ready while the window stands."""

from __future__ import annotations

import os
import time
from pathlib import Path
from threading import Event

import pytest

from dustpan.core.jobs.helper import Helper
from dustpan.core.kernel_cache import kernels_ready
from dustpan.core.paths import demo_folder
from dustpan.demo import PICTURES, ensure_demo_data

pytestmark = pytest.mark.slow


def test_it_tells_every_demo_picture_and_its_end(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, small_demo: None
) -> None:
    monkeypatch.setenv("DUSTPAN_CACHE", str(tmp_path))
    ensure_demo_data(demo_folder())  # which it finds
    made: list[Path] = []
    over, said = Event(), []

    def end(why: str) -> None:
        said.append(why)
        over.set()

    helper = Helper(True, made.append, end)
    assert over.wait(120)
    helper.stop()
    assert sorted(made) == sorted(demo_folder() / name for name in PICTURES)
    assert said == [""]
    assert kernels_ready()


def test_it_is_ended_with_all_that_it_began(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path))  # nothing is compiled here
    told: list[str] = []
    helper = Helper(False, lambda path: None, told.append)
    group = helper._process.pid
    while not any(tmp_path.rglob("*.nbi")) and helper.running:
        time.sleep(0.05)
    began = time.monotonic()
    helper.stop()
    assert time.monotonic() - began < 20
    assert not helper.running
    assert told == []  # who stops it knows
    for _ in range(100):
        try:
            os.killpg(group, 0)
        except ProcessLookupError:
            break
        time.sleep(0.05)
    else:
        pytest.fail("some of its processes are still there")
    assert not kernels_ready()


def test_a_fault_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("sys.executable", "/bin/false")
    over, said = Event(), []
    helper = Helper(True, lambda path: None, lambda why: (said.append(why), over.set()))
    assert over.wait(20)
    assert "could not be made" in said[0]
    helper.stop()
