"""The shelf: a folder of recipes, beside those that are shipped. Whatever is taken off it can be put back."""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import platformdirs

from dustpan.core.errors import DustpanError, FileProblem, WrongUse, os_reason
from dustpan.core.language import mark, say
from dustpan.core.recipes.recipe import SUFFIX, Recipe, load_recipe, save_recipe, sweep_in
from dustpan.core.sweep import Sweep

SHIPPED = Path(__file__).resolve().parent.parent.parent / "recipes"


class SortedBy(StrEnum):
    """How recipes are sorted."""

    NAME = mark("name")
    NEWEST = mark("newest")
    CAMERA = mark("camera")


@dataclass(frozen=True)
class Shelved:
    """A recipe and its file; a shipped one cannot be changed."""

    recipe: Recipe
    path: Path

    @property
    def shipped(self) -> bool:
        return self.path.parent == SHIPPED

    @property
    def name(self) -> str:
        """As shown: shipped ones in the language of the person."""
        return say(self.recipe.name) if self.shipped else self.recipe.name

    @property
    def when(self) -> str:
        return say(self.recipe.when) if self.shipped else self.recipe.when


def shelf_folder() -> Path:
    """Where a person's own recipes are kept."""
    chosen = os.environ.get("DUSTPAN_CONFIG")
    return Path(chosen or platformdirs.user_config_dir("dustpan")) / "recipes"


class ChangedMeanwhile(FileProblem):
    """A recipe is no longer what was read."""


class Shelf:
    """Recipes of a folder and those that are shipped."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or shelf_folder()
        self.problems: list[str] = []

    def all(self) -> list[Shelved]:
        """Every recipe that can be read; what cannot is told in ``problems``."""
        self.problems = []
        found = []
        for folder in (self.folder, SHIPPED):
            for path in sorted(folder.glob(f"*{SUFFIX}")) if folder.is_dir() else ():
                try:
                    found.append(Shelved(load_recipe(path), path))
                except DustpanError as error:
                    self.problems.append(str(error))
        return found

    def found(self, text: str = "", order: SortedBy = SortedBy.NAME) -> list[Shelved]:
        """Those whose name, sentence, steps, picture or camera hold every word of ``text``, sorted."""
        words = text.casefold().split()
        hits = [s for s in self.all() if all(w in _searched(s) for w in words)]
        keys: dict[SortedBy, Callable[[Shelved], tuple]] = {
            SortedBy.NAME: lambda s: (s.name.casefold(),),
            SortedBy.NEWEST: lambda s: tuple(-ord(c) for c in s.recipe.made_on.date) or (1,),
            SortedBy.CAMERA: lambda s: (not s.recipe.made_on.camera, s.recipe.made_on.camera.casefold(), s.name),
        }
        return sorted(hits, key=keys[order])

    def named(self, name: str) -> Recipe:
        """The recipe of that name, or of the file at that path."""
        path = Path(name)
        if path.suffix == ".json" and path.exists():
            return load_recipe(path)
        known = self.all()
        wanted = name.casefold()
        for s in known:
            if wanted in (s.recipe.name.casefold(), s.name.casefold(), s.path.name.removesuffix(SUFFIX)):
                return s.recipe
        raise WrongUse("There is no recipe “{0}”; there are {1}.", name, ", ".join(s.name for s in known))

    def keep(self, recipe: Recipe) -> Shelved:
        """Put a recipe on the shelf; its file is named like it, and no other is written over."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FileProblem(self.folder, "the folder could not be made: {0}", os_reason(error)) from None
        path = self._free(recipe.name)
        save_recipe(recipe, path)
        return Shelved(recipe, path)

    def change(self, shelved: Shelved, over: bool = False, **values: object) -> Shelved:
        """Another name, sentence or description.

        Raises
        ------
        ChangedMeanwhile : the file is not what was read, and it was not said that it may be written over.
        """
        self._own(shelved)
        if not over and (not shelved.path.exists() or load_recipe(shelved.path) != shelved.recipe):
            raise ChangedMeanwhile(shelved.path, "it was changed by another window since it was read")
        recipe = shelved.recipe.changed(**values)
        save_recipe(recipe, shelved.path, own=True)
        return Shelved(recipe, shelved.path)

    def double(self, shelved: Shelved) -> Shelved:
        """A copy of one's own, also of a shipped one."""
        return self.keep(shelved.recipe.changed(name=self._unused(shelved.name), when=shelved.when))

    def remove(self, shelved: Shelved) -> Callable[[], None]:
        """Take a recipe off the shelf; calling what is given puts it back."""
        self._own(shelved)
        try:
            shelved.path.unlink()
        except OSError as error:
            raise FileProblem(shelved.path, os_reason(error)) from None

        def put_back() -> None:
            free = not os.path.lexists(shelved.path)
            save_recipe(shelved.recipe, shelved.path if free else self._free(shelved.recipe.name))

        return put_back

    def bring(self, path: Path) -> Shelved:
        """Import a recipe file."""
        recipe = load_recipe(path)
        return self.keep(recipe.changed(name=self._unused(recipe.name)))

    def _own(self, shelved: Shelved) -> None:
        if shelved.shipped:
            raise WrongUse("“{0}” came with Dustpan and stays as it is; duplicate it to change it.", shelved.name)

    def _unused(self, name: str) -> str:
        taken = {s.name for s in self.all()}
        return next(n for k in range(1, 10_000) if (n := name if k == 1 else f"{name[:190]} {k}") not in taken)

    def _free(self, name: str) -> Path:
        slug = re.sub(r"[^\w.-]+", "-", name.casefold(), flags=re.UNICODE).strip("-.")[:60] or "recipe"
        with contextlib.suppress(OSError):
            taken: Iterable[str] = {p.name for p in self.folder.iterdir()}
            return next(
                self.folder / n
                for k in range(1, 10_000)
                if (n := f"{slug}{'' if k == 1 else f'-{k}'}{SUFFIX}") not in taken
            )
        return self.folder / f"{slug}{SUFFIX}"


def sweep_named(name: str) -> Sweep:
    """What a recipe of that name, or a recipe or sweep file, says to do."""
    path = Path(name)
    if path.exists() or path.suffix == ".json" or os.sep in name:
        return sweep_in(path)
    return Shelf().named(name).steps()


def _searched(s: Shelved) -> str:
    r = s.recipe
    iso = f"iso {r.made_on.iso:.0f}" if r.made_on.iso else ""
    return " ".join((s.name, s.when, r.about, r.words(), r.made_on.picture, r.made_on.camera, iso)).casefold()
