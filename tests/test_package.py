"""The wheel as it is installed: its kernels are there already."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import sysconfig
import venv
from pathlib import Path

import numpy as np
import pytest
from tools.package import START, system_libraries, wheel

from dustpan.core import kernel_cache
from dustpan.core.files import save_picture
from dustpan.core.kernel_cache import ABOUT, SHIPPED, about, fits, runs_here
from dustpan.core.picture import from_array

LISTEN = """
import sys
from dustpan.core.kernel_cache import prepare_kernel_cache
prepare_kernel_cache()
from dustpan.core.kernels import on_compiling
on_compiling(lambda name: print("compiled", name) if name else None)
from dustpan.cli.main import main
sys.argv = ["dustpan", *sys.argv[1:]]
main()
"""


@pytest.mark.slow
@pytest.mark.skipif(not runs_here(), reason="kernels are not shipped for this processor")
def test_the_wheel_compiles_nothing_where_it_is_installed(tmp_path: Path, noisy: np.ndarray) -> None:
    made = wheel(tmp_path, first=True)
    home = tmp_path / "env"
    venv.create(home, with_pip=False)
    python, own = home / "bin" / "python", next((home / "lib").glob("python*")) / "site-packages"
    subprocess.run([sys.executable, "-m", "pip", "install", "-q", "--no-deps", "--target", own, made], check=True)
    (own / "others.pth").write_text(sysconfig.get_path("purelib") + "\n")  # what it needs; this one comes first
    save_picture(from_array((255 * noisy).astype(np.uint8)), tmp_path / "a.png")
    env = {k: v for k, v in os.environ.items() if not k.startswith(("NUMBA_", "PYTHONPATH"))}
    env["DUSTPAN_CACHE"] = str(tmp_path / "empty")
    for step in ("noise", "edge-sharpen"):
        command = [str(python), "-c", LISTEN, "clean", "--step", step, str(tmp_path / "a.png"), "-o", "b.png"]
        found = subprocess.run(command, capture_output=True, text=True, env=env, cwd=tmp_path, check=False)
        assert (found.returncode, "compiled" in found.stdout) == (0, False), found.stdout + found.stderr
        (tmp_path / "b.png").unlink()
    assert [p.name for p in (tmp_path / "empty" / "kernels").iterdir()] == [f"{kernel_cache.code_version()}-shipped"]
    command = [str(python), "-c", "import dustpan; print(dustpan.__file__)"]
    where = subprocess.run(command, capture_output=True, text=True, env=env, check=True)
    assert str(home) in where.stdout


def test_shipped_kernels_are_used_only_where_they_fit(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert not SHIPPED.exists()  # none lie in the sources
    assert not fits(tmp_path)
    (tmp_path / ABOUT).write_text("no json")
    assert not fits(tmp_path)
    for text in ('{"code": "another"}', "[]"):
        (tmp_path / ABOUT).write_text(text)
        assert not fits(tmp_path)
    monkeypatch.setattr(kernel_cache, "runs_here", lambda: True)
    (tmp_path / ABOUT).write_text(json.dumps(about()))
    assert fits(tmp_path)
    monkeypatch.setattr(kernel_cache, "runs_here", lambda: False)
    assert not fits(tmp_path)


def test_another_machine_is_told_apart(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("platform.machine", lambda: "aarch64")
    assert not runs_here()


def test_the_package_needs_what_run_installs() -> None:
    found = list(system_libraries())
    assert "libgl1" in found
    assert "xvfb" not in found
    assert "python3 -m dustpan" in START
