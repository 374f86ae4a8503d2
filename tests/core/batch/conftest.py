from __future__ import annotations

from pathlib import Path

import pytest

from tests.core.batch.many import pictures


@pytest.fixture
def shots(tmp_path: Path) -> Path:
    """Four small pictures of one evening, and a cut-off one."""
    folder = pictures(tmp_path / "evening", 4, (96, 128))
    (folder / "torn.png").write_bytes((folder / "shot 0.png").read_bytes()[:900])
    return folder
