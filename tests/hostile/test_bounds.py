"""What never ends, feeds on itself, or takes all memory, is bounded."""

from __future__ import annotations

import base64
import io
import json
import os
import struct
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from dustpan.core.batch.order import pictures_in
from dustpan.core.batch.watch import STILL, Watcher
from dustpan.core.errors import Cancelled, DustpanError, FileProblem, WrongUse
from dustpan.core.files import exif as ex
from dustpan.core.files import open_picture
from dustpan.core.files.reading import parse_json, read_regular
from dustpan.core.params import Stroke
from dustpan.core.recipes.recipe import crop_of, load_recipe
from dustpan.core.sweep import load_sweep, sweep_from_json
from dustpan.core.where.brush import painted
from tests.hostile.conftest import Run, child, picture, pipe, sweep_file

BRUSH = {"part": "brush", "version": 1, "how": "add", "params": {}}


def masked(strokes: list[dict]) -> dict:
    where = [BRUSH | {"params": {"strokes": strokes}}]
    return {"dustpan_sweep": 1, "steps": [{"step": "soften", "params": {}, "where": where}]}


def nested(levels: int, parts: int) -> dict:
    """Kept masks that use each other."""
    masks = {
        f"m{k}": [
            {"part": "kept", "version": 1, "how": "add", "params": {"name": f"m{k + 1}"}}
            if k + 1 < levels
            else {"part": "edges", "version": 1, "how": "add", "params": {}}
        ]
        * parts
        for k in range(levels)
    }
    where = [{"part": "kept", "version": 1, "how": "add", "params": {"name": "m0"}}]
    return {"dustpan_sweep": 1, "steps": [{"step": "soften", "params": {}, "where": where}], "masks": masks}


def test_masks_that_use_each_other_without_end_are_refused() -> None:
    began = time.monotonic()
    with pytest.raises(WrongUse, match="so often"):
        sweep_from_json(nested(4, 60))
    assert time.monotonic() - began < 5
    assert sweep_from_json(nested(3, 4)).active[0].where.acting


@pytest.mark.parametrize("points", ["0/0 1e300/1e300", "0/0 1e9/1e9", "0/0 nan/1", "0/0 inf/1"])
def test_a_stroke_that_leaves_every_picture_is_refused(points: str) -> None:
    with pytest.raises(WrongUse):
        sweep_from_json(masked([{"size": 10, "points": points}]))


def test_a_stroke_far_beyond_the_picture_costs_nothing() -> None:
    zigzag = tuple((299_000.0 * (-1) ** n, 1000.0 * n % 290_000, 1.0) for n in range(3000))
    stroke, began = Stroke(size=1.0, points=zigzag), time.monotonic()
    found = painted([stroke], 0, 0, 64, 64)
    assert time.monotonic() - began < 10
    assert found.shape == (64, 64)


def test_painting_can_be_called_off() -> None:
    def stop() -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        painted([Stroke(size=9, points=((0, 0, 1), (50, 50, 1)))], 0, 0, 64, 64, stop)


def test_a_part_of_strokes_is_that_of_the_whole() -> None:
    strokes = [
        Stroke(size=30, soft=0.7, flow=0.4, points=((-200, -100, 1), (300, 260, 0.5), (40, 700, 1))),
        Stroke(size=12, erase=True, points=((90, 10, 1), (90, 400, 1))),
    ]
    whole = painted(strokes, 0, 0, 200, 300)
    assert np.array_equal(painted(strokes, 60, 100, 90, 130), whole[60:150, 100:230])


# ---------------------------------------------------------------- files that are none


@pytest.mark.parametrize("what", ["pipe", "/dev/zero", "/dev/null", "folder"])
def test_only_regular_files_are_read(tmp_path: Path, what: str) -> None:
    path = pipe(tmp_path / "p.json") if what == "pipe" else tmp_path if what == "folder" else Path(what)
    for read in (open_picture, load_recipe, load_sweep, lambda p: read_regular(p, 100)):
        with pytest.raises(FileProblem):
            read(path)


def test_a_pipe_beside_a_picture_stops_nobody(run: Run, shot: Path, tmp_path: Path) -> None:
    pipe(tmp_path / "map.json")
    pipe(tmp_path / "mask.png")
    words = ("clean", shot, "--out", tmp_path / "b.tif")
    assert run(*words, "--step", "hot-pixels", "--map", tmp_path / "map.json")[0] == 1
    assert run(*words, "--step", f"soften @picture:file={tmp_path / 'mask.png'}")[0] == 1
    assert run(*words, "--recipe", tmp_path / "map.json")[0] == 1


@pytest.mark.slow
@pytest.mark.parametrize(
    "text", ["[" * 100_000, "[]" * 5, "[" + "[]," * 1_100_000 + "0]", '{"a":' * 100, "1" * 400, "\x00", '"' * 99_999]
)
def test_json_that_makes_no_sense_is_refused(text: str) -> None:
    with pytest.raises(ValueError):
        parse_json(text)


def test_json_that_makes_sense_is_read() -> None:
    told = {"a[": ['"]\\"[', {"b": 1e5}], "c": "\\"}
    assert parse_json(json.dumps(told)) == told
    with pytest.raises(ValueError):
        parse_json(json.dumps("x" * 5_000_000))


@pytest.mark.slow
def test_a_sweep_of_brackets_takes_no_memory(shot: Path, tmp_path: Path) -> None:
    hungry = tmp_path / "hungry.json"
    hungry.write_text('{"dustpan_sweep": 1, "steps": [' + "[]," * 8_000_000 + "0]}")
    found = child("clean", shot, "--recipe", hungry, "--out", tmp_path / "b.tif", seconds=30)
    assert found.returncode == 1
    assert "damaged" in found.stderr
    assert "Traceback" not in found.stderr


# ---------------------------------------------------------------- pictures within files


def test_a_crop_is_a_small_png_or_jpeg_or_none() -> None:
    def encoded(data: bytes) -> str:
        return base64.b64encode(data).decode()

    def image(kind: str, side: int = 40) -> bytes:
        held = io.BytesIO()
        Image.new("RGB", (side, side)).save(held, kind)
        return held.getvalue()

    assert crop_of(encoded(image("PNG"))).shape == (40, 40, 3)  # type: ignore[union-attr]
    assert crop_of(encoded(image("JPEG"))) is not None
    svg = b'<svg xmlns="http://www.w3.org/2000/svg"><image href="/dev/zero"/></svg>'
    for data in (svg, image("GIF"), image("PNG", 3000), image("PNG")[:40], b"", b"\x89PNG\r\n\x1a\n" + svg):
        assert crop_of(encoded(data)) is None
    assert crop_of("%%%") is None


def test_directories_that_share_their_values_have_a_budget() -> None:
    """A thousand entries in each of five directories, all of which point to the same megabyte."""
    value, count = b"\0" * 1_000_000, 900
    entries = b"".join(struct.pack("<HHII", 40000 + n, 7, len(value), 8) for n in range(count))
    directory = struct.pack("<H", count) + entries + struct.pack("<I", 0)
    block = struct.pack("<2sHI", b"II", 42, 8 + len(value)) + value + directory
    found = ex.parse(block)
    assert sum(len(e.data) for e in found.main.values()) <= 2 * len(block)


def test_a_tiff_of_a_hundred_thousand_pages_is_opened_at_once(tmp_path: Path) -> None:
    path, pages = tmp_path / "pages.tif", 100_000
    out = bytearray(struct.pack("<2sHI", b"II", 42, 8))
    for n in range(pages):
        after = 8 + 30 * (n + 1) if n + 1 < pages else 0
        out += struct.pack("<H", 2) + struct.pack("<HHIIHHII", 256, 3, 1, 1, 257, 3, 1, 1) + struct.pack("<I", after)
    path.write_bytes(out)
    began = time.monotonic()
    with pytest.raises(DustpanError):
        open_picture(path)
    assert time.monotonic() - began < 10


# ---------------------------------------------------------------- folders


@pytest.mark.parametrize("spelled", ["{0}/out", "{0}/x/../out", "{0}/./out/", "{0}/link"])
def test_results_are_never_sources(tmp_path: Path, spelled: str) -> None:
    folder = tmp_path / "in"
    picture(folder / "a.tif")
    picture(folder / "out" / "a.tif")
    (folder / "x").mkdir()
    (folder / "link").symlink_to(folder / "out")
    assert [p.name for p in pictures_in([folder], Path(spelled.format(folder)))] == ["a.tif"]


@pytest.mark.slow
def test_watching_the_folder_of_the_results_ends(tmp_path: Path) -> None:
    from dustpan.core.batch.here import Here
    from dustpan.core.batch.journal import Journal
    from dustpan.core.batch.watch import watch_folders
    from dustpan.core.cancel import Cancel
    from tests.core.batch.many import Quiet
    from tests.hostile.test_originals import order

    folder, cancel = tmp_path / "in", Cancel()
    picture(folder / "a.tif")
    began = time.monotonic()

    def stop(number: int, outcome: object) -> None:
        if number > 0:
            cancel.set()

    class Timed(Quiet):
        pass

    told = Timed(stop)
    with Journal(folder) as journal:
        import threading

        threading.Timer(4, cancel.set).start()
        watch_folders(journal, order(folder, folder), Here(), told, cancel, every=0.05)
    assert told.over == [0]
    assert time.monotonic() - began < 30


def test_another_picture_of_the_same_name_is_done_as_well(tmp_path: Path) -> None:
    """A camera that counts anew."""
    folder = tmp_path / "in"
    path = picture(folder / "a.tif", 1)
    watcher = Watcher([str(folder)], tmp_path / "out", [])
    for k in range(STILL + 2):
        first = watcher.look(float(k))
        if first:
            break
    assert first == [path]
    assert watcher.look(20.0) == []
    path.unlink()
    assert watcher.look(21.0) == []
    picture(path, 2)
    os.utime(path, ns=(1, 10**18))
    found = [p for k in range(STILL + 2) for p in watcher.look(30.0 + k)]
    assert found == [path]


def test_a_folder_that_goes_while_it_is_looked_at_is_passed_over(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    picture(tmp_path / "in" / "sub" / "a.tif")
    picture(tmp_path / "in" / "b.tif")
    walk = os.walk

    def going(folder: Path) -> object:
        for here, folders, names in walk(folder):
            yield here, folders, [*names, "gone.tif"]

    monkeypatch.setattr("dustpan.core.batch.order.os.walk", going)
    assert [p.name for p in pictures_in([tmp_path / "in"], tmp_path / "out")] == ["b.tif", "a.tif"]


@pytest.mark.slow
def test_a_sweep_of_the_window_can_be_as_large_as_painting_makes_it(tmp_path: Path) -> None:
    points = " ".join(f"{n % 900}/{n % 700}" for n in range(90_000))
    path = sweep_file(tmp_path / "painted.json", masked([{"size": 20, "points": points}] * 8)["steps"])
    assert path.stat().st_size > 4 << 20
    assert len(load_sweep(path).steps[0].where.parts[0].params.strokes) == 8  # type: ignore[union-attr]
