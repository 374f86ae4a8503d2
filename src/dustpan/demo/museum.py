"""Write the demo pictures and their clean truth."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import encode
from dustpan.core.files import ExportOptions, save_picture
from dustpan.core.files import exif as ex
from dustpan.core.picture import Depth, Metadata, from_array
from dustpan.core.sweep import Sweep, beside, make_step, save_sweep
from dustpan.demo import catalogue_card, keepers_desk, shell_drawer
from dustpan.demo.camera import develop, expose, exposure_facts, mosaic_and_back

PICTURES = ("keepers-desk.tif", "keepers-desk.jpg", "shell-drawer.jpg", "catalogue-card.jpg")
TRUTH = "truth"
VERSION = "3"  # raise it when a scene changes, so that old demo data is made anew
Say = Callable[[str], None]
THUMBNAIL_WANTED = b"\xff\xd8 made on saving"


def _truth(folder: Path, name: str, light: NDArray, facts: ex.Exif) -> Path:
    path = folder / TRUTH / f"{name}-truth.tif"
    metadata = Metadata(exif=ex.build(facts))
    save_picture(replace(from_array(encode(np.clip(light, 0, 1))), depth=Depth.SIXTEEN, metadata=metadata), path)
    return path


def _jpeg(folder: Path, name: str, values: NDArray, facts: ex.Exif, quality: int) -> Path:
    path = folder / f"{name}.jpg"
    metadata = Metadata(exif=ex.build(replace(facts, thumbnail=THUMBNAIL_WANTED)))
    picture = replace(from_array(values), depth=Depth.EIGHT, metadata=metadata)
    save_picture(picture, path, ExportOptions(quality=quality))
    return path


def _keepers_desk(folder: Path) -> list[Path]:
    facts = exposure_facts("Keeper's desk", datetime(2026, 10, 31, 22, 14, 5), 12800, 1 / 15, 2.0, 35)
    light = keepers_desk.render()
    raw = expose(light, seed=1871)
    tif = folder / PICTURES[0]
    save_picture(replace(from_array(develop(raw)), depth=Depth.SIXTEEN, metadata=Metadata(exif=ex.build(facts))), tif)
    jpg = _jpeg(folder, "keepers-desk", develop(mosaic_and_back(raw)), facts, 89)
    return [tif, jpg, _truth(folder, "keepers-desk", light, facts)]


def _shell_drawer(folder: Path) -> list[Path]:
    facts = exposure_facts("Shell drawer", datetime(2026, 10, 31, 23, 2, 40), 6400, 1 / 30, 2.8, 90)
    light = shell_drawer.render()
    jpg = _jpeg(folder, "shell-drawer", develop(mosaic_and_back(expose(light, seed=14))), facts, 92)
    return [jpg, _truth(folder, "shell-drawer", light, facts)]


def _catalogue_card(folder: Path) -> list[Path]:
    facts = exposure_facts("Catalogue card", datetime(2026, 11, 2, 19, 30, 12), 800, 1 / 60, 4.0, 50)
    light = catalogue_card.render()
    quiet = 0.25 * expose(light, seed=31) + 0.75 * light  # four times less noise than at night
    jpg = _jpeg(folder, "catalogue-card", develop(quiet), facts, 24)
    return [jpg, _truth(folder, "catalogue-card", light, facts)]


SCENES = {"Keeper's desk": _keepers_desk, "Shell drawer": _shell_drawer, "Catalogue card": _catalogue_card}


def write_demo_data(folder: Path, say: Say = lambda text: None) -> list[Path]:
    """Write all demo pictures into ``folder`` and their truth into ``folder/truth``; gives the paths."""
    (folder / TRUTH).mkdir(parents=True, exist_ok=True)
    found = []
    for title, make in SCENES.items():
        say(f"Making the demo picture “{title}” …")
        found += make(folder)
    for name in PICTURES:
        save_sweep(Sweep((make_step("noise"), make_step("edge-sharpen"))), beside(folder / name), {"picture": name})
    return found


def ensure_demo_data(folder: Path, say: Say = lambda text: None) -> None:
    """Make the demo data unless it is there; a half-made folder never counts as there."""
    stamp = folder / "version"
    if stamp.is_file() and stamp.read_text() == VERSION and all((folder / n).is_file() for n in PICTURES):
        return
    folder.parent.mkdir(parents=True, exist_ok=True)
    fresh = Path(tempfile.mkdtemp(prefix="tidewrack-", dir=folder.parent))
    try:
        write_demo_data(fresh, say)
        (fresh / "version").write_text(VERSION)
        if folder.exists():
            shutil.rmtree(folder)
        os.replace(fresh, folder)
    finally:
        shutil.rmtree(fresh, ignore_errors=True)
