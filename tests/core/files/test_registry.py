"""The doors of the file formats: the most specific first, by content and ending, read-only where that is so."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from dustpan.core.curve import SRGB, Scale
from dustpan.core.errors import FileProblem
from dustpan.core.files import format_of, open_picture, registry, save_picture, writable
from dustpan.core.files.format import Decoded, FileFormat, Opening
from dustpan.core.picture import Depth, Kind, Metadata, Sensor, from_array

BAYER = Sensor(((0, 1), (1, 2)), ("red", "green", "blue"), (64.0,) * 3, (4095.0,) * 3, (2.0, 1.0, 1.5))


def read_plate(data: bytes, wish: Opening) -> Decoded:
    """A made sensor format: a head, then 8 x 8 samples of two bytes, some of which do not count."""
    samples = np.frombuffer(data[4:132], "<u2").reshape(8, 8, 1).astype(np.uint16)
    valid = np.ones((8, 8), bool)
    valid[0, 0] = False
    planes = {"depth": np.zeros((8, 8), np.float32)}
    return Decoded(
        samples, Depth.SIXTEEN, Metadata(), scale=Scale(), kind=Kind.MOSAIC, sensor=BAYER, planes=planes, valid=valid
    )


def is_plate(head: bytes, suffix: str) -> bool:
    return head[:4] == b"II*\0" and suffix == ".plate"


PLATE = FileFormat("Plate", (".plate",), (Depth.SIXTEEN,), is_plate, read_plate)


@pytest.fixture
def with_plates(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(registry, "FORMATS", (PLATE, *registry.FORMATS))


def plate(folder: Path, name: str) -> Path:
    path = folder / name
    path.write_bytes(b"II*\0" + np.arange(64, dtype="<u2").tobytes())
    return path


def test_a_format_is_told_by_content_and_ending_the_most_specific_first(with_plates: None, tmp_path: Path) -> None:
    assert open_picture(plate(tmp_path, "a.plate")).source.format == "Plate"
    with pytest.raises(FileProblem, match="the TIFF file is damaged"):
        open_picture(plate(tmp_path, "a.tif"))  # the same head, another ending
    save_picture(from_array(np.zeros((9, 9), np.uint8)), tmp_path / "b.png")
    (tmp_path / "b.png").rename(tmp_path / "b.plate")
    assert open_picture(tmp_path / "b.plate").source.format == "PNG"  # the ending alone decides nothing


def test_what_a_format_knows_of_its_samples_arrives_with_the_picture(with_plates: None, tmp_path: Path) -> None:
    picture = open_picture(plate(tmp_path, "a.plate"))
    assert (picture.kind, picture.sensor, picture.scale, picture.curve) == (Kind.MOSAIC, BAYER, Scale(), SRGB)
    assert picture.valid is not None
    assert picture.valid.sum() == 63
    assert set(picture.planes) == {"depth"}
    for array in (picture.pixels, picture.valid, picture.planes["depth"]):
        with pytest.raises(ValueError, match="read-only"):
            array[0, 0] = 1


def test_a_read_only_format_is_never_offered_for_writing(with_plates: None, tmp_path: Path) -> None:
    assert "Plate" not in {f.name for f in writable()}
    with pytest.raises(FileProblem, match="its ending says no format that can be written"):
        format_of(tmp_path / "a.plate")
    before = plate(tmp_path, "a.plate").read_bytes()
    with pytest.raises(FileProblem):
        save_picture(open_picture(tmp_path / "a.plate"), tmp_path / "a.plate")
    assert (tmp_path / "a.plate").read_bytes() == before


def test_names_and_endings_are_their_own() -> None:
    names: list[Any] = [f.name for f in registry.FORMATS]
    endings = [s for f in registry.FORMATS for s in f.suffixes]
    assert len(set(names)) == len(names)
    assert len(set(endings)) == len(endings)
