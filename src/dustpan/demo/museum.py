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

from dustpan.core.colour import decode, encode
from dustpan.core.files import ExportOptions, save_picture
from dustpan.core.files import exif as ex
from dustpan.core.files.atomic import write_atomically
from dustpan.core.finish.levels import applied, automatic
from dustpan.core.picture import Depth, Metadata, from_array
from dustpan.core.sweep import Sweep, beside, make_step, save_sweep
from dustpan.demo import (
    catalogue_card,
    exposures,
    gallery_stair,
    keepers_desk,
    lamp_room,
    outdoors,
    shell_drawer,
    star_field,
)
from dustpan.demo.camera import develop, expose, exposure_facts, hand_held, mosaic_and_back
from dustpan.demo.dng import write_dng
from dustpan.demo.frames import write_exr, write_fits
from dustpan.demo.marks import marked
from dustpan.demo.raw_camera import Exposure, counts, seen, shot, with_hot_pixels, with_stripes

FINISHED = ("keepers-desk.tif", "keepers-desk.jpg", "shell-drawer.jpg", "catalogue-card.jpg")
SOURCES = (
    "gallery-stair.dng",
    "star-field.fits",
    "star-field-rgb.fits",
    "star-field.tif",
    "lamp-room.exr",
    "shell-drawer-moved.tif",
    "rigging.jpg",
    "harbour-mist.jpg",
    "old-card.png",
)
PICTURES = (*FINISHED, *SOURCES)
TRUTH, MADE = "truth", "made"  # folders: of clean pictures, and of what tells which scenes are there
EXPOSURES = "twelve-exposures"  # folder: of a sequence
VERSION = "9"  # raise it when a scene changes, so that old demo data is made anew
Say = Callable[[str], None]
OUTDOORS = {"height": 800, "width": 1200}  # px
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
    moved = folder / SOURCES[5]
    held = exposure_facts("Shell drawer, from the hand", datetime(2026, 10, 31, 23, 4, 2), 1600, 1 / 8, 2.8, 90)
    quiet = 0.2 * expose(hand_held(light), seed=15) + 0.8 * hand_held(light)  # five times less noise than at night
    picture = replace(from_array(develop(quiet)), depth=Depth.SIXTEEN, metadata=Metadata(exif=ex.build(held)))
    save_picture(picture, moved)
    return [jpg, moved, _truth(folder, "shell-drawer", light, facts)]


def _catalogue_card(folder: Path) -> list[Path]:
    facts = exposure_facts("Catalogue card", datetime(2026, 11, 2, 19, 30, 12), 800, 1 / 60, 4.0, 50)
    light = catalogue_card.render()
    quiet = 0.25 * expose(light, seed=31) + 0.75 * light  # four times less noise than at night
    jpg = _jpeg(folder, "catalogue-card", develop(quiet), facts, 24)
    return [jpg, _truth(folder, "catalogue-card", light, facts)]


def _old_card(folder: Path) -> list[Path]:
    """The same card as it was copied forty years ago, with what has settled on the print since."""
    rng = np.random.default_rng(81)
    print_of_it = encode(np.clip(catalogue_card.render(), 0, 1)) * np.array([0.92, 0.86, 0.76]) + 0.03
    print_of_it += rng.normal(0, 1.5 / 255, print_of_it.shape)
    scanned = folder / SOURCES[8]
    save_picture(replace(from_array(marked(print_of_it, rng, 60)[0]), depth=Depth.EIGHT), scanned)
    truth = folder / TRUTH / "old-card-truth.tif"
    save_picture(replace(from_array(np.clip(print_of_it, 0, 1)), depth=Depth.SIXTEEN), truth)
    return [scanned, truth]


def _rigging(folder: Path) -> list[Path]:
    """Masts before a bright sky, through a lens that moves and blurs red and blue."""
    facts = exposure_facts("Rigging", datetime(2026, 11, 9, 16, 20, 31), 400, 1 / 250, 2.0, 85)
    clean = outdoors.rigging(**OUTDOORS)
    jpg = _jpeg(folder, "rigging", outdoors.through_lens(clean), facts, 97)
    return [jpg, _truth(folder, "rigging", decode(clean), facts)]


def _harbour_mist(folder: Path) -> list[Path]:
    """The harbour below the lightstation, in sea mist."""
    facts = exposure_facts("Harbour mist", datetime(2026, 11, 9, 8, 2, 47), 400, 1 / 320, 8.0, 50)
    clean, depth = outdoors.harbour(**OUTDOORS)
    jpg = _jpeg(folder, "harbour-mist", outdoors.in_mist(clean, depth)[0], facts, 97)
    return [jpg, _truth(folder, "harbour-mist", decode(clean), facts)]


def _gallery_stair(folder: Path) -> list[Path]:
    """A raw, 2 EV too dark, with stripes of focus pixels and hot pixels."""
    facts = exposure_facts("Gallery stair", datetime(2026, 11, 7, 17, 41, 9), 3200, 1 / 60, 2.8, 50)
    light = gallery_stair.render()
    taken = Exposure(electrons=4000, darker=2)
    stored = with_hot_pixels(counts(with_stripes(seen(light, taken)), taken, seed=52), taken, seed=53)
    preview = np.uint8(255 * np.clip(encode(np.clip(light[::2, ::2] / 4, 0, 1)), 0, 1))
    raw = folder / SOURCES[0]
    write_dng(raw, stored, shot(taken, facts=facts, preview=preview))
    return [raw, _truth(folder, "gallery-stair", light, facts)]


def _star_field(folder: Path) -> list[Path]:
    """Frames of a camera on a mount: one through a grey filter, one in colour, and that one stretched."""
    sky = star_field.render()
    mono, rgb, stretched = (folder / name for name in SOURCES[1:4])
    about = {"OBJECT": "Star field", "TELESCOP": "Tidewrack", "EXPTIME": 120.0, "DATE-OBS": "2026-11-08T22:10:00"}
    grey = sky.electrons @ np.array([0.3, 0.5, 0.2])
    write_fits(mono, star_field.counts(grey, seed=61)[0], about)
    colour, _ = star_field.counts(sky.electrons, seed=62)
    write_fits(rgb, np.moveaxis(colour, -1, 0), about)
    clean = sky.electrons + star_field.PEDESTAL
    levels = automatic((clean / star_field.FULL).astype(np.float32))
    shown = [np.clip(applied((v / star_field.FULL).astype(np.float32), levels), 0, 1) for v in (colour, clean)]
    save_picture(replace(from_array(shown[0]), depth=Depth.SIXTEEN), stretched)
    truth = folder / TRUTH / "star-field-truth.tif"
    save_picture(replace(from_array(shown[1]), depth=Depth.SIXTEEN), truth)
    true_mono = folder / TRUTH / "star-field-truth.fits"
    write_fits(true_mono, np.rint(grey + star_field.PEDESTAL).astype(np.uint16), about)
    return [mono, rgb, stretched, truth, true_mono]


def _lamp_room(folder: Path) -> list[Path]:
    """A render with too few samples, and what it is with many."""
    few, many = lamp_room.render(samples=12), lamp_room.render(samples=200, seed=2)
    render, truth = folder / SOURCES[4], folder / TRUTH / "lamp-room-truth.exr"
    write_exr(render, few.beauty, {"albedo": few.albedo, "normal": few.normal})
    write_exr(truth, many.beauty, {})
    return [render, truth]


def _twelve_exposures(folder: Path) -> list[Path]:
    """A sequence over the lightstation, with one of another size and one whose copying was cut off."""
    night = exposures.Night()
    taken = exposures.take(night)
    own = folder / EXPOSURES
    own.mkdir(exist_ok=True)
    for n, seen_by_it in enumerate(taken.counts):
        write_fits(own / f"exposure-{n + 1:02d}.fits", seen_by_it, exposures.about(night, n))
    write_fits(own / "exposure-13-small.fits", taken.counts[0][:240, :320], exposures.about(night, 12))
    half = (own / "exposure-12.fits").read_bytes()[:250_000]
    write_atomically(own / "exposure-14-cut.fits", lambda file: file.write(half))
    truth = folder / TRUTH / "twelve-exposures-truth.fits"
    write_fits(truth, (taken.sky + exposures.PEDESTAL).astype(np.float32), exposures.about(night, 0))
    return [truth]


SCENES = {
    "Keeper's desk": _keepers_desk,
    "Shell drawer": _shell_drawer,
    "Catalogue card": _catalogue_card,
    "Gallery stair": _gallery_stair,
    "Star field": _star_field,
    "Lamp room": _lamp_room,
    "Old card": _old_card,
    "Rigging": _rigging,
    "Harbour mist": _harbour_mist,
    "Twelve exposures": _twelve_exposures,
}


def write_demo_data(folder: Path, say: Say = lambda text: None) -> list[Path]:
    """Write all demo pictures into ``folder`` and their truth into ``folder/truth``; gives the paths."""
    return [path for title in SCENES for path in _write_scene(folder, title, say)]


def _write_scene(folder: Path, title: str, say: Say) -> list[Path]:
    (folder / TRUTH).mkdir(parents=True, exist_ok=True)
    say(f"Making the demo picture “{title}” …")
    found = SCENES[title](folder)
    for name in {path.name for path in found} & set(FINISHED):
        save_sweep(Sweep((make_step("noise"), make_step("edge-sharpen"))), beside(folder / name), {"picture": name})
    return found


def ensure_scene(folder: Path, title: str, say: Say = lambda text: None) -> list[Path]:
    """The demo pictures of one scene, made unless they are there; a half-made one never counts as there."""
    stamp = folder / MADE / title
    if _current(folder) and stamp.is_file():
        found = [folder / name for name in stamp.read_text().split("\n")]
        if all(path.is_file() for path in found):
            return found
    folder.mkdir(parents=True, exist_ok=True)
    if not _current(folder):  # of a version before
        shutil.rmtree(folder / MADE, ignore_errors=True)
        write_atomically(folder / "version", lambda file: file.write(VERSION.encode()))
    fresh = Path(tempfile.mkdtemp(prefix="tidewrack-", dir=folder.parent))
    try:
        made = _write_scene(fresh, title, say)
        for path in fresh.rglob("*"):
            if path.is_file():
                target = folder / path.relative_to(fresh)
                target.parent.mkdir(exist_ok=True)
                os.replace(path, target)
    finally:
        shutil.rmtree(fresh, ignore_errors=True)
    names = [path.name for path in made if path.parent == fresh]
    stamp.parent.mkdir(exist_ok=True)
    write_atomically(stamp, lambda file: file.write("\n".join(names).encode()))
    return [folder / name for name in names]


def _current(folder: Path) -> bool:
    version = folder / "version"
    return version.is_file() and version.read_text() == VERSION


def ensure_demo_data(
    folder: Path, say: Say = lambda text: None, made: Callable[[list[Path]], None] = lambda pictures: None
) -> None:
    """Make the demo data unless it is there; ``made`` gets the pictures of one scene after the other."""
    for title in SCENES:
        made(ensure_scene(folder, title, say))
