"""Whatever a file holds, it is read right or ends in one clear sentence that names it; nothing is left behind."""

from __future__ import annotations

import errno
import os
import struct
import subprocess
import sys
import tracemalloc
import zlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from dustpan.core.errors import FileProblem
from dustpan.core.files import exif as ex
from dustpan.core.files import open_picture, save_picture
from dustpan.core.files.atomic import write_atomically
from dustpan.core.picture import from_array
from tests.core.files.make import MAKERS, ONLY_READ, exif_block, jpeg, samples, tiff, write

SENTENCE = r"^{}: [^\n]+[^.]\.$"


def opens_or_tells(path: Path) -> bool:
    """Whether it opened; anything but a sentence with the file's name fails the test."""
    try:
        picture = open_picture(path)
    except FileProblem as error:
        text = str(error)
        assert text.startswith(f"{path.name}: ")
        assert text.endswith(".")
        assert "\n" not in text
        assert len(text) < 250
        return False
    assert np.isfinite(picture.pixels).all()
    assert min(picture.size) >= 1
    return True


ALL = {**MAKERS, **ONLY_READ}


@pytest.mark.parametrize("suffix", ALL)
@pytest.mark.parametrize("share", [0.05, 0.6, 0.99])
def test_a_file_cut_off(tmp_path: Path, suffix: str, share: float) -> None:
    data = ALL[suffix]()
    path = write(tmp_path, f"cut.{suffix}", data[: int(share * len(data))])
    with pytest.raises(FileProblem, match=SENTENCE.format(rf"cut\.{suffix}")):
        open_picture(path)


@pytest.mark.slow
@pytest.mark.parametrize("suffix", ALL)
def test_any_damage_to_a_file(tmp_path_factory: pytest.TempPathFactory, suffix: str) -> None:
    """At least 200 damaged files of each format: bytes changed, cut out, put in, cut off."""
    folder, whole = tmp_path_factory.mktemp("damage"), ALL[suffix]()
    opened = []

    @settings(max_examples=250)
    @given(st.data())
    def damage(data: st.DataObject) -> None:
        found = bytearray(whole)
        for _ in range(data.draw(st.integers(1, 4))):
            at = data.draw(st.integers(0, len(found) - 1))
            kind = data.draw(st.sampled_from(["change", "remove", "insert", "cut"]))
            if kind == "change":
                found[at] = data.draw(st.integers(0, 255))
            elif kind == "remove":
                del found[at : at + data.draw(st.integers(1, 40))]
            elif kind == "insert":
                found[at:at] = data.draw(st.binary(min_size=1, max_size=12))
            else:
                del found[max(at, 1) :]
            if not found:
                found = bytearray(b"\0")
        opened.append(opens_or_tells(write(folder, f"x.{suffix}", bytes(found))))

    damage()
    assert len(opened) >= 200


@pytest.mark.slow
@settings(max_examples=200)
@given(
    st.binary(max_size=400),
    st.sampled_from(
        [b"", b"\xff\xd8\xff", b"\x89PNG\r\n\x1a\n", b"II*\0", b"RIFF\0\0\0\0WEBP", b"SIMPLE  =", b"v/1\x01", b"\xff\n"]
    ),
)
@example(b"", b"")
def test_bytes_that_are_no_picture(tmp_path: Path, data: bytes, head: bytes) -> None:
    assert not opens_or_tells(write(tmp_path, "any.tif", head + data))


@pytest.mark.slow
@pytest.mark.parametrize(("height", "width"), [(1, 1), (1, 20000), (20000, 1), (2, 3)])
@pytest.mark.parametrize("suffix", MAKERS)
def test_thin_and_tiny_pictures(tmp_path: Path, suffix: str, height: int, width: int) -> None:
    if suffix == "webp" and max(height, width) > 16383:
        return  # no such file can exist
    values = samples(height, width)
    options = {"exif": b""} if suffix == "jpg" else {}
    picture = open_picture(write(tmp_path, f"thin.{suffix}", MAKERS[suffix](values, **options)))
    assert picture.size == (height, width)
    save_picture(picture, tmp_path / f"out.{suffix}")
    assert open_picture(tmp_path / f"out.{suffix}").size == (height, width)


def bomb_png(width: int, height: int) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    body = zlib.compress(bytes(200_000))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


def test_a_decompression_bomb_is_refused_before_it_is_unpacked(tmp_path: Path) -> None:
    tracemalloc.start()
    with pytest.raises(FileProblem, match=r"bomb\.png: it claims to be 60000 × 60000 px"):
        open_picture(write(tmp_path, "bomb.png", bomb_png(60000, 60000)))
    huge = bytearray(tiff(samples(8, 8)))
    width = max(huge.find(struct.pack("<HHI", 256, kind, 1)) for kind in (3, 4))
    assert width > 0
    struct.pack_into("<HHII", huge, width, 256, 4, 1, 4_000_000_000)
    assert not opens_or_tells(write(tmp_path, "bomb.tif", bytes(huge)))
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 20_000_000  # the claimed pixels would take 10 GB


def test_a_picture_that_claims_more_than_it_holds(tmp_path: Path) -> None:
    with pytest.raises(FileProblem, match=r"short\.png: "):
        open_picture(write(tmp_path, "short.png", bomb_png(1000, 1000)))


def test_folder_missing_and_empty(tmp_path: Path) -> None:
    with pytest.raises(FileProblem, match="it is a folder, not a file"):
        open_picture(tmp_path)
    with pytest.raises(FileProblem, match="there is no such file"):
        open_picture(tmp_path / "gone.tif")
    with pytest.raises(FileProblem, match="it is empty"):
        open_picture(write(tmp_path, "empty.tif", b""))


def test_no_right_to_read(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = write(tmp_path, "locked.jpg", jpeg())
    if os.geteuid() == 0:  # root may read anything; the system's answer is simulated

        def refuse(*args: object, **options: object) -> None:
            raise PermissionError(13, "Permission denied")

        monkeypatch.setattr("dustpan.core.files.reading.os.open", refuse)
    else:
        path.chmod(0)
    with pytest.raises(FileProblem, match=r"locked\.jpg: you have no right"):
        open_picture(path)


def test_a_full_disk_leaves_the_old_file_and_nothing_else(
    tmp_path: Path, full_disk: Callable[[], None], left_behind: Callable[[], list[str]]
) -> None:
    path = write(tmp_path, "old.tif", b"precious")
    full_disk()
    with pytest.raises(FileProblem, match=r"old\.tif: it could not be written: the disk is full; nothing was changed"):
        save_picture(from_array(samples()), path)
    assert path.read_bytes() == b"precious"
    assert left_behind() == []


def test_a_folder_that_cannot_be_written(tmp_path: Path) -> None:
    for target in (tmp_path / "gone" / "a.tif", Path("/proc/a.tif"), tmp_path / ("n" * 300 + ".tif")):
        with pytest.raises(FileProblem, match="could not be written"):
            save_picture(from_array(samples()), target)
    folder = tmp_path / "a.tif"
    folder.mkdir()
    with pytest.raises(FileProblem, match="it is a folder"):
        save_picture(from_array(samples()), folder)


def test_a_link_in_the_targets_place_is_replaced_and_never_followed(tmp_path: Path) -> None:
    real = write(tmp_path, "real.png", b"somebody else's")
    link = tmp_path / "link.png"
    link.symlink_to(real)
    save_picture(from_array(samples()), link)
    assert not link.is_symlink()
    assert open_picture(link).size == (24, 36)
    assert real.read_bytes() == b"somebody else's"


def test_rights_to_read_and_write_stay_and_those_to_run_as_somebody_else_do_not(tmp_path: Path) -> None:
    for old, kept in ((0o640, 0o640), (0o4755, 0o755), (0o2600, 0o600)):
        target = write(tmp_path, "lamp.png", b"old")
        target.chmod(old)
        save_picture(from_array(samples()), target)
        assert target.stat().st_mode & 0o7777 == kept


def test_the_umask_decides_on_a_new_file_and_is_never_touched(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    before = os.umask(0o077)
    try:
        with monkeypatch.context() as patched:
            patched.setattr(os, "umask", lambda _mask: pytest.fail("the umask belongs to the whole process"))
            save_picture(from_array(samples()), tmp_path / "lamp.png")
    finally:
        os.umask(before)
    assert (tmp_path / "lamp.png").stat().st_mode & 0o777 == 0o600


@pytest.mark.slow
@pytest.mark.parametrize("unnamed", [True, False], ids=["without a name", "with a hidden name"])
def test_a_killed_write_leaves_the_old_file_and_nothing_that_stays(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, unnamed: bool
) -> None:
    target = write(tmp_path, "lamp.tif", b"old")
    code = (
        "import os, sys, time\nfrom pathlib import Path\nfrom dustpan.core.files import atomic\n"
        f"{'' if unnamed else 'del os.O_TMPFILE'}\n"
        "def write(file):\n    file.write(b'half')\n    file.flush()\n"
        "    print('writing', flush=True)\n    time.sleep(60)\n"
        "atomic.write_atomically(Path(sys.argv[1]), write)\n"
    )
    writer = subprocess.Popen([sys.executable, "-c", code, str(target)], stdout=subprocess.PIPE, text=True)
    try:
        assert writer.stdout is not None
        assert writer.stdout.readline() == "writing\n"
        write_bytes(tmp_path / "other.tif", b"meanwhile")  # a part whose writer lives is left alone
        parts = sorted(p.name for p in tmp_path.glob(".*.part"))
        assert len(parts) == (0 if unnamed else 1)
    finally:
        writer.kill()
        writer.communicate()
    assert target.read_bytes() == b"old"
    write_bytes(tmp_path / "other.tif", b"afterwards")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["lamp.tif", "other.tif"]


def test_a_file_system_without_unnamed_files_and_links_writes_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def no_link(*_args: object, **_more: object) -> None:
        raise OSError(errno.EXDEV, "no link")

    monkeypatch.setattr(os, "link", no_link)
    write_bytes(tmp_path / "a", b"copied")
    monkeypatch.delattr(os, "O_TMPFILE")
    write_bytes(tmp_path / "b", b"renamed")
    assert {p.name: p.read_bytes() for p in tmp_path.iterdir()} == {"a": b"copied", "b": b"renamed"}


def write_bytes(path: Path, content: bytes) -> None:
    write_atomically(path, lambda file: file.write(content))


@pytest.mark.slow
@settings(max_examples=300)
@given(st.data())
def test_any_damage_to_an_exif_block(data: st.DataObject) -> None:
    block = bytearray(exif_block(order=data.draw(st.sampled_from("<>"))))
    for _ in range(data.draw(st.integers(0, 5))):
        block[data.draw(st.integers(0, len(block) - 1))] = data.draw(st.integers(0, 255))
    try:
        parsed = ex.parse(bytes(block[: data.draw(st.integers(0, len(block)))]))
    except ex.ExifError:
        return
    kept = parsed if parsed.thumbnail else replace(parsed, thumb={})
    assert ex.parse(ex.build(parsed)) == kept
    assert parsed.orientation in range(1, 9)


def test_a_picture_with_damaged_metadata_still_opens_and_saves(tmp_path: Path) -> None:
    for block in (b"II*\0\xff\xff\xff\xff", b"nonsense", exif_block()[:40]):
        path = write(tmp_path, "a.jpg", jpeg(exif=b"Exif\0\0" + block, icc_profile=b"\0" * 200))
        picture = open_picture(path)
        for suffix in MAKERS:
            save_picture(picture, tmp_path / f"b.{suffix}")
            assert open_picture(tmp_path / f"b.{suffix}").size == picture.size
