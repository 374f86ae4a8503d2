"""Making a recipe of an open picture: its sweep, what it did, and what it was taken with."""

from __future__ import annotations

import base64
from datetime import datetime

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice

from dustpan.core.files import exif as ex
from dustpan.core.open.document import Document
from dustpan.core.recipes.recipe import Did, MadeOn, Recipe, recipe_of
from dustpan.core.region import Region
from dustpan.ui.pixels import image_of

CROP = 120  # px, of the finest texture


def made_on(document: Document) -> MadeOn:
    """Camera and ISO, for information."""
    camera, iso = "", None
    try:
        exif = ex.parse(document.picture.metadata.exif or b"")
        camera, iso = exif.text(ex.MODEL) or exif.text(ex.MAKE) or "", exif.number(ex.ISO) or None
    except ex.ExifError:
        pass
    date = datetime.now().isoformat(timespec="seconds")
    return MadeOn(picture=document.name, camera=camera.strip(), iso=iso, date=date)


def did(document: Document) -> Did:
    """The verdict, and a crop of the finest texture from what is on screen already."""
    verdict = document.verdict.as_json() if document.verdict and document.judged == document.sweep else {}
    probes = document.probes or ()
    h, w = document.picture.size
    finest = probes[min(3, len(probes) - 1)] if probes else None
    y, x = (finest.y, finest.x) if finest else (h // 2, w // 2)
    region = Region(y - CROP // 2, x - CROP // 2, y + CROP // 2, x + CROP // 2).within((h, w))
    crops = []
    for display in (document.before, document.after):
        image = image_of(display.levels[0]).copy(region.x0, region.y0, region.width, region.height)
        held = QByteArray()
        buffer = QBuffer(held)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")
        crops.append(base64.b64encode(held.data()).decode())
    return Did(verdict=verdict, before=crops[0], after=crops[1])


def make_recipe(document: Document, name: str) -> Recipe:
    """The document's sweep as a recipe.

    Raises
    ------
    WrongUse : there is nothing in it.
    """
    return recipe_of(document.sweep, name, made_on(document), did(document))
