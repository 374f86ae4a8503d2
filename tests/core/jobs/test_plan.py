from __future__ import annotations

import os
from pathlib import Path

import pytest

from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.jobs.plan import targets


@pytest.fixture
def files(tmp_path: Path) -> list[Path]:
    found = [tmp_path / "a" / "x.png", tmp_path / "b" / "x.png", tmp_path / "a" / "y.png"]
    for f in found:
        f.parent.mkdir(exist_ok=True)
        f.write_bytes(b"picture")
    return found


def test_one_file_goes_to_a_name_and_several_into_a_folder(files: list[Path], tmp_path: Path) -> None:
    assert targets(files[:1], tmp_path / "out.tif", False) == [tmp_path / "out.tif"]
    out = tmp_path / "out"
    assert targets(files[1:], out, False) == [out / "x.png", out / "y.png"]
    assert out.is_dir()
    assert targets(files[:1], Path(f"{tmp_path}/new/"), False) == [tmp_path / "new"]


def test_two_pictures_never_share_a_target(files: list[Path], tmp_path: Path) -> None:
    with pytest.raises(WrongUse, match=r"x\.png.*x\.png would both be written to"):
        targets(files, tmp_path / "out", False)
    assert not (tmp_path / "out").exists()  # refused before anything was made


def test_no_picture_is_written_over_by_another(files: list[Path], tmp_path: Path) -> None:
    out = tmp_path / "out"
    out.mkdir()
    for make in (os.link, os.symlink):
        make(files[2], out / "x.png")  # by another name, it is a/y.png
        for in_place in (False, True):
            with pytest.raises(WrongUse, match=r"would be written over .*y\.png"):
                targets([files[0], files[2]], out, in_place)
        (out / "x.png").unlink()
    with pytest.raises(WrongUse, match="would both be written to"):
        targets([files[1], files[0]], files[0].parent, True)


def test_a_picture_itself_only_when_allowed(files: list[Path], tmp_path: Path) -> None:
    with pytest.raises(WrongUse, match="--in-place"):
        targets(files, None, False)
    assert targets(files, None, True) == files
    hard = tmp_path / "hard.png"
    os.link(files[0], hard)
    for out in (files[0], files[0].parent, hard):
        with pytest.raises(FileProblem, match="it is the picture itself"):
            targets(files[:1], out, False)
    assert targets(files[:1], files[0].parent, True) == files[:1]


def test_a_folder_that_cannot_be_made_is_told(files: list[Path], tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(FileProblem, match="the folder could not be made"):
        targets(files[1:], tmp_path / "file" / "out", False)
