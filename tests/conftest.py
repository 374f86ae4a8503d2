"""Set before anything of Dustpan or Qt is imported: no screen, one shared folder for compiled kernels."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from dustpan.core.kernel_cache import prepare_kernel_cache

prepare_kernel_cache()

import numpy as np
import pytest
from hypothesis import HealthCheck, settings

from dustpan.core.kernels import UNFORESEEN
from dustpan.core.picture import Picture, from_array
from dustpan.core.render.renderer import Renderer
from tests.scenes import desk, noisy_b

TOO_SLOW = 0.35  # s in a fast state of the machine: what takes longer carries the mark ``slow``


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--quick", action="store_true", help="leave out the tests that are marked as slow")
    parser.addoption("--release", action="store_true", help="what is only told otherwise has to be in order")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    if config.getoption("--quick"):
        slow = [item for item in items if item.get_closest_marker("slow")]
        config.hook.pytest_deselected(items=slow)
        items[:] = [item for item in items if item not in slow]


def pytest_terminal_summary(terminalreporter: Any) -> None:
    """Tell what is no failure and should not be overlooked."""
    for report in terminalreporter.stats.get("passed", []):
        for name, value in report.user_properties:
            if name == "untranslated":
                terminalreporter.write_line(f"not translated yet: {value} (python -m tools.languages)", yellow=True)


settings.register_profile(
    "dustpan", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
settings.load_profile("dustpan")


@pytest.fixture(autouse=True)
def kernels_called_as_declared() -> Iterator[None]:
    """No kernel is compiled for other types than it declares: somebody would wait for that."""
    before = len(UNFORESEEN)
    yield
    assert UNFORESEEN[before:] == []


@pytest.fixture(scope="session")
def clean() -> np.ndarray:
    """A made scene, (288, 400, 3) encoded."""
    return desk(288, 400)


@pytest.fixture(scope="session")
def truth(clean: np.ndarray) -> np.ndarray:
    """The same two stops darker: the truth of ``noisy``."""
    return noisy_b(clean)[0]


@pytest.fixture(scope="session")
def noisy(clean: np.ndarray) -> np.ndarray:
    """The scene photographed at high ISO: shot and read noise, clipped."""
    return noisy_b(clean)[1]


@pytest.fixture(scope="session")
def picture(noisy: np.ndarray) -> Picture:
    return from_array(noisy)


@pytest.fixture(scope="session")
def renderer(picture: Picture) -> Iterator[Renderer]:
    with Renderer(picture, threads=2) as r:
        yield r


@pytest.fixture
def command_line(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture) -> Callable[..., tuple[int, str, str]]:
    """The command line in this process: its exit code, and what it prints and says."""
    from dustpan.cli import main as cli

    def call(*words: str | Path) -> tuple[int, str, str]:
        monkeypatch.setattr("sys.argv", ["dustpan", *map(str, words)])
        code = 0
        try:
            cli.main()
        except SystemExit as end:
            code = int(end.code or 0)
        out, err = capsys.readouterr()
        return code, out, err

    return call


@pytest.fixture
def small_demo(monkeypatch: pytest.MonkeyPatch) -> None:
    """The demo scenes at a small size, so that making them takes a moment only."""
    from dustpan.demo import catalogue_card, gallery_stair, keepers_desk, lamp_room, museum, shell_drawer, star_field

    for scene, size in (
        (keepers_desk, {"height": 200, "width": 300, "samples": 1}),
        (shell_drawer, {"height": 200, "width": 300}),
        (catalogue_card, {"height": 200, "width": 300}),
        (gallery_stair, {"height": 200, "width": 300}),
        (star_field, {"height": 200, "width": 300}),
        (lamp_room, {"height": 40, "width": 60, "samples": 2}),
    ):
        made = scene.render(**size)
        monkeypatch.setattr(scene, "render", lambda made=made, **as_asked: made)
    monkeypatch.setattr(museum, "OUTDOORS", {"height": 200, "width": 300})


@pytest.fixture
def full_disk(monkeypatch: pytest.MonkeyPatch) -> Callable[[], None]:
    """Call it, and the disk is full: every flush to it fails."""
    import errno

    def fill() -> None:
        def refuse(handle: int) -> None:
            raise OSError(errno.ENOSPC, "No space left on device")

        monkeypatch.setattr("dustpan.core.files.atomic.os.fsync", refuse)

    return fill


@pytest.fixture
def left_behind(tmp_path: Path) -> Callable[[], list[str]]:
    """Names of temporary files that a failed write left in ``tmp_path``."""
    return lambda: sorted(p.name for p in tmp_path.rglob("*.part"))
