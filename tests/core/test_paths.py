"""Compiled kernels are read only from where nobody else can have written."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest

from dustpan.core import paths


@pytest.fixture(autouse=True)
def temporary(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """The home cannot be written to, and the temporary folder is a made one."""
    home = tmp_path / "home"
    home.write_text("not a folder")
    shared = tmp_path / "tmp"
    shared.mkdir()
    monkeypatch.setenv("DUSTPAN_CACHE", str(home / "cache"))
    monkeypatch.setattr(paths.tempfile, "tempdir", str(shared))
    paths._temporary.cache_clear()
    yield shared
    paths._temporary.cache_clear()


def the_one(shared: Path) -> Path:
    return shared / f"dustpan-{os.getuid()}"


def test_a_read_only_home_gives_a_folder_of_ones_own(temporary: Path) -> None:
    found = paths.cache_folder()
    assert found == the_one(temporary)
    assert found.stat().st_mode & 0o777 == 0o700
    paths._temporary.cache_clear()
    assert paths.cache_folder() == found  # the same again: kernels are compiled once


@pytest.mark.parametrize("mode", [0o777, 0o770, 0o705, 0o710])
def test_a_folder_others_can_get_into_is_not_trusted(temporary: Path, mode: int) -> None:
    the_one(temporary).mkdir()
    the_one(temporary).chmod(mode)
    found = paths.cache_folder()
    assert found != the_one(temporary)
    assert found.stat().st_mode & 0o777 == 0o700


def test_somebody_elses_folder_is_not_trusted(temporary: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    another = os.getuid() + 1
    monkeypatch.setattr(os, "getuid", lambda: another)
    theirs = temporary / f"dustpan-{os.getuid()}"
    theirs.mkdir(mode=0o700)
    assert paths.cache_folder() != theirs


def test_a_link_to_a_folder_is_not_followed(temporary: Path, tmp_path: Path) -> None:
    (tmp_path / "mine").mkdir(mode=0o700)
    the_one(temporary).symlink_to(tmp_path / "mine")
    assert paths.cache_folder() not in {the_one(temporary), tmp_path / "mine"}


def test_a_file_in_its_place_is_left_alone(temporary: Path) -> None:
    the_one(temporary).write_text("theirs")
    assert paths.cache_folder().is_dir()
    assert the_one(temporary).read_text() == "theirs"
