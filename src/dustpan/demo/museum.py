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

from dustpan.core.colour import encode
from dustpan.core.files import ExportOptions, save_picture
from dustpan.core.files import exif as ex
from dustpan.core.picture import Depth, Metadata, from_array
from dustpan.core.sweep import Sweep, beside, make_step, save_sweep
from dustpan.demo.camera import develop, expose, exposure_facts, mosaic_and_back

PICTURES = ("keepers-desk.tif", "keepers-desk.jpg")
TRUTH = "truth"
VERSION = "2"  # raise it when a scene changes, so that old demo data is made anew
Say = Callable[[str], None]


def write_demo_data(folder: Path, say: Say = lambda text: None) -> list[Path]:
    """Write all demo pictures into ``folder`` and their truth into ``folder/truth``; gives the paths."""
    from dustpan.demo.keepers_desk import render

    say("Making the demo picture “Keeper's desk” (half a minute) …")
    light = render()
    (folder / TRUTH).mkdir(parents=True, exist_ok=True)
    facts = exposure_facts("Keeper's desk", datetime(2026, 10, 31, 22, 14, 5), 12800, 1 / 15, 2.0, 35)
    raw = expose(light, seed=1871)
    truth = folder / TRUTH / "keepers-desk-truth.tif"
    tif, jpg = (folder / name for name in PICTURES)
    metadata = Metadata(exif=ex.build(facts))
    for path, values in ((truth, encode(np.clip(light, 0, 1))), (tif, develop(raw))):
        save_picture(replace(from_array(values), depth=Depth.SIXTEEN, metadata=metadata), path)
    with_thumb = Metadata(exif=ex.build(replace(facts, thumbnail=b"\xff\xd8 made on saving")))
    jpeg = replace(from_array(develop(mosaic_and_back(raw))), depth=Depth.EIGHT, metadata=with_thumb)
    save_picture(jpeg, jpg, ExportOptions(quality=89))
    for path in (tif, jpg):
        save_sweep(Sweep((make_step("noise"), make_step("edge-sharpen"))), beside(path), {"picture": path.name})
    return [tif, jpg, truth]


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
