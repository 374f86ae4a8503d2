"""Whatever is killed, and whenever: originals stay, no half file has a final name, nothing stays behind."""

from __future__ import annotations

from pathlib import Path

import pytest
from benchmarks.kills import WORK, kill_once, look, prepare

SEEDS = {"clean": 3, "export": 3, "autosave": 2, "hand-back": 2}


@pytest.mark.slow
@pytest.mark.parametrize(("kind", "seed"), [(kind, seed) for kind in WORK for seed in range(SEEDS[kind])])
def test_a_kill_at_a_random_moment_loses_nothing(tmp_path: Path, kind: str, seed: int) -> None:
    _whole, wrong = kill_once(kind, 1000 + seed, tmp_path)
    assert wrong == []


def test_the_look_afterwards_sees_every_kind_of_harm(tmp_path: Path) -> None:
    before = prepare(tmp_path)
    (tmp_path / "out").mkdir()
    (tmp_path / "unsaved").mkdir()
    assert look(tmp_path, before) == (0, [])
    whole = (tmp_path / "lamp.tif").read_bytes()
    (tmp_path / "out" / "lamp.tif").write_bytes(whole)
    assert look(tmp_path, before)[0] == 1
    (tmp_path / "out" / "half.tif").write_bytes(whole[:40])
    (tmp_path / "out" / ".lamp.tif-x.part").write_bytes(b"left")
    (tmp_path / "unsaved" / "a.sweep.json").write_text("{")
    (tmp_path / "shore.jpg").write_bytes(b"changed")
    told = "\n".join(look(tmp_path, before)[1])
    for harmed in ("shore.jpg", "half.tif", ".lamp.tif-x.part", "a.sweep.json"):
        assert harmed in told
