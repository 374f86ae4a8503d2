from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from dustpan.core.files import save_picture
from dustpan.core.picture import from_array


@pytest.fixture
def shots(tmp_path: Path) -> Path:
    """Four small pictures of one evening, and a cut-off one."""
    folder = tmp_path / "evening"
    folder.mkdir()
    for n in range(4):
        plane = np.random.default_rng(n).normal(0.4, 0.05, (96, 128, 3)).clip(0, 1)
        save_picture(from_array((255 * plane).astype(np.uint8)), folder / f"shot {n}.png")
    (folder / "torn.png").write_bytes((folder / "shot 0.png").read_bytes()[:900])
    return folder
