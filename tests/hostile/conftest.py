from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.files import save_picture
from dustpan.core.picture import from_array

MEMORY, SECONDS = 6 << 30, 60.0  # that a child may take
Run = Callable[..., tuple[int, str]]


def limited() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))


def child(*words: str | Path, seconds: float = SECONDS, wants: str = "-m") -> subprocess.CompletedProcess:
    """The command line in a process of its own, with limits on time and memory."""
    command = [sys.executable, wants, "dustpan.cli.main", *map(str, words)]
    return subprocess.run(
        command, capture_output=True, text=True, timeout=seconds, preexec_fn=limited, stdin=subprocess.DEVNULL
    )


@pytest.fixture
def run(command_line: Callable[..., tuple[int, str, str]]) -> Run:
    """The command line in this process: its exit code, and all that it says, which is no traceback."""

    def call(*words: str | Path) -> tuple[int, str]:
        code, out, err = command_line(*words)
        assert "Traceback" not in err + out
        return code, out + err

    return call


def picture(path: Path, seed: int = 1, size: tuple[int, int] = (72, 96)) -> Path:
    rng = np.random.default_rng(seed)
    pixels = 0.5 + 0.1 * rng.normal(size=(*size, 3))
    path.parent.mkdir(parents=True, exist_ok=True)
    save_picture(from_array(np.rint(np.clip(pixels, 0, 1) * 65535).astype(np.uint16)), path)
    return path


@pytest.fixture
def shot(tmp_path: Path) -> Path:
    return picture(tmp_path / "a.tif")


def held(folder: Path) -> dict[str, bytes]:
    """What all files of a folder hold, by name."""
    return {str(p.relative_to(folder)): p.read_bytes() for p in sorted(folder.rglob("*")) if p.is_file()}


def sweep_file(path: Path, steps: list[dict], **more: object) -> Path:
    path.write_text(json.dumps({"dustpan_sweep": 1, "steps": steps, **more}))
    return path


def pipe(path: Path) -> Path:
    os.mkfifo(path)
    return path
