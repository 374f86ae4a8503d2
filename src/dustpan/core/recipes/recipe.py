"""A recipe: a sweep without its picture, with what it did to its first one.

Strengths in × noise carry over by themselves, and so do parts of masks that find their own place. What belongs to one
picture (strokes, shapes that were put somewhere, hits that were taken or spared) is left out and named. A recipe file
is JSON; its schema is published in ``docs/recipe.schema.json``.
"""

from __future__ import annotations

import base64
import io
import warnings
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.files.atomic import write_atomically
from dustpan.core.files.reading import JSON_MOST, SWEEP_MOST, read_json
from dustpan.core.language import say
from dustpan.core.params import Number, Params, Places
from dustpan.core.sweep import MOST_STEPS, AnyStep, Step, Sweep, load_sweep, sweep_from_json
from dustpan.core.text import as_json
from dustpan.core.where.mask import How, Mask

FORMAT = 1
SUFFIX = ".recipe.json"
CROP_MOST, CROP_SIDE = 2_000_000, 1024  # characters, and px a side, of a crop
LONGEST = 4000  # characters of a name or a description
RELATIVE = "×%σ°"  # one of them stands in the unit of what carries over by itself


class MadeOn(BaseModel):
    """Where a recipe comes from; for information, and never used to choose."""

    model_config = ConfigDict(frozen=True, extra="allow")

    picture: str = Field(default="", max_length=LONGEST, description="Name of the picture's file.")
    camera: str = Field(default="", max_length=LONGEST)
    iso: float | None = Field(default=None, ge=0)
    date: str = Field(default="", max_length=40, description="ISO 8601, of making the recipe.")


class Did(BaseModel):
    """What a recipe did to its first picture."""

    model_config = ConfigDict(frozen=True, extra="allow")

    verdict: dict[str, float | None] = Field(default_factory=dict, description="As `dustpan verdict --json` gives it.")
    before: str = Field(default="", description="A crop as PNG, Base64.")
    after: str = Field(default="", description="The same crop of the result.")


class Recipe(BaseModel):
    """A sweep without its picture.

    Attributes
    ----------
    name : as shown. when : one sentence on when to use it. about : as long as one likes.
    sweep : as a sweep file holds it. chain : whether it stands in the sweep line as one entry.
    made_on, did : see `MadeOn`, `Did`. left_out : what belonged to the first picture, in words.
    """

    model_config = ConfigDict(frozen=True, extra="allow")

    dustpan_recipe: Literal[1] = 1
    name: str = Field(min_length=1, max_length=200)
    when: str = Field(default="", max_length=LONGEST)
    about: str = Field(default="", max_length=LONGEST)
    sweep: dict[str, Any]
    chain: bool = False
    made_on: MadeOn = Field(default_factory=MadeOn)
    did: Did = Field(default_factory=Did)
    left_out: tuple[str, ...] = ()

    def changed(self, **values: Any) -> Recipe:
        """With some fields replaced; checked like a new one."""
        return _checked({**self.model_dump(), **values})

    def steps(self) -> Sweep:
        """What it does, as a sweep."""
        return sweep_from_json(self.sweep)

    def words(self) -> str:
        """What it holds: each step with what stands on its chip, * where that was typed absolutely, and where."""
        return " → ".join(_words_of(s) for s in self.steps().steps)

    def fixed(self) -> list[str]:
        """Settings that were typed in units of the first picture, and may not suit others."""
        found = []
        for step in self.steps().steps:
            if isinstance(step, Step):
                found += [f"{step.name}: {words}" for words in _fixed(step.params)]
                found += [f"{step.name} · {p.name}: {words}" for p in step.where.parts for words in _fixed(p.params)]
        return found


def _words_of(step: AnyStep) -> str:
    if not isinstance(step, Step):
        return step.name
    words = f"{step.name} {step.summary}".strip() + (" *" if any(_fixed(step.params)) else "")
    parts = [say("not {0}", p.name) if p.inverted or p.how is How.EXCEPT else p.name for p in step.where.acting]
    return f"{words} ({', '.join(parts)})" if parts else words


def _fixed(params: Params) -> Iterator[str]:
    for c in params.controls():
        value = getattr(params, c.name)
        absolute = c.unit and not any(sign in c.unit for sign in RELATIVE)
        if isinstance(c, Number) and absolute and value != c.default:
            yield f"{say(c.label)} {value:g} {say(c.unit)}"


def crop_of(text: str) -> NDArray[np.uint8] | None:
    """A recipe's crop (h, w, 3); None for what is no PNG or JPEG of a size that a crop has."""
    try:
        data = base64.b64decode(text[:CROP_MOST], validate=True)
        if not data.startswith((b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff")):
            return None
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as image:
                if max(image.size) > CROP_SIDE:
                    return None
                return np.asarray(image.convert("RGB"))
    except Exception:  # decoders report damage in a hundred ways
        return None


def without_picture(sweep: Sweep) -> tuple[Sweep, tuple[str, ...]]:
    """A sweep with nothing in it that belongs to one picture, and what that was, in words."""
    told: list[str] = []
    steps = tuple(_freed(s, told) if isinstance(s, Step) else s for s in sweep.steps)
    masks = []
    for name, mask in sweep.masks:
        free = _free_mask(mask, say("mask “{0}”", name), told)
        masks.append((name, free))
    known = {k: v for k, v in sweep.extra.items() if k not in ("opening", "probes", "picture", "kept")}
    return Sweep(steps, known, tuple(masks)), tuple(told)


def _freed(step: Step, told: list[str]) -> Step:
    own = {c.name: () for c in step.params.controls() if isinstance(c, Places) and getattr(step.params, c.name)}
    for name in own:
        told.append(say("{0}: {1}, {2} of them", step.name, say(step.kind.params.control(name).label),
                        len(getattr(step.params, name))))  # fmt: skip
    params = step.params.model_copy(update=own) if own else step.params
    return replace(step, params=params, where=_free_mask(step.where, step.name, told))


def _free_mask(mask: Mask, owner: str, told: list[str]) -> Mask:
    kept = tuple(p for p in mask.parts if not p.kind.placed)
    told += [say("{0}: {1}, which has its place in that picture", owner, p.name) for p in mask.parts if p.kind.placed]
    if mask.parts and not any(p.on for p in kept):
        told.append(say("{0}: it counts everywhere now", owner))
    return replace(mask, parts=kept)


def recipe_of(sweep: Sweep, name: str, made_on: MadeOn = MadeOn(), did: Did = Did(), **about: Any) -> Recipe:
    """A sweep as a recipe; what belongs to its picture is left out and named."""
    free, left_out = without_picture(sweep)
    if not free.steps:
        raise WrongUse("A recipe has at least one step.")
    return Recipe(name=name, sweep=free.as_json(), made_on=made_on, did=did, left_out=left_out, **about)


# ---------------------------------------------------------------- files


def _checked(data: Mapping[str, Any]) -> Recipe:
    try:
        found = Recipe(**data)
    except ValidationError as error:
        first = error.errors()[0]
        raise WrongUse("{0} in it is damaged", ".".join(map(str, first["loc"])) or "something") from None
    sweep = found.steps()
    if len(sweep.steps) > MOST_STEPS or not sweep.steps:
        raise WrongUse("it has no steps")
    return found


def recipe_from_json(data: Any) -> Recipe:
    """A recipe from parsed JSON; `WrongUse` tells what is wrong with it."""
    if not isinstance(data, dict) or "dustpan_recipe" not in data:
        raise WrongUse("it is not a recipe")
    version = data["dustpan_recipe"]
    if isinstance(version, int) and not isinstance(version, bool) and version > FORMAT:
        raise WrongUse("it was written by a newer Dustpan; open it there, or update this one")
    return _checked(data)


def _read(path: Path, most: int = JSON_MOST) -> Any:
    try:
        return read_json(path, "it is too large for a recipe", most)
    except ValueError:
        raise FileProblem(path, "it is not a recipe: it is damaged, or something else") from None


def load_recipe(path: Path) -> Recipe:
    """Read a recipe; `FileProblem` names the file and the reason."""
    data = _read(path)
    try:
        return recipe_from_json(data)
    except WrongUse as error:
        raise FileProblem(path, str(error).rstrip(".")) from None


def save_recipe(recipe: Recipe, path: Path, own: bool = False) -> None:
    """Write a recipe atomically; ``own`` as of `write_atomically`."""
    text = as_json(recipe.model_dump(mode="json"), indent=2)
    write_atomically(path, lambda file: file.write(text.encode("utf-8")), own=own)


def sweep_in(path: Path) -> Sweep:
    """What a sweep file or a recipe says to do."""
    try:
        data = _read(path, SWEEP_MOST)
    except FileProblem:
        data = None
    is_recipe = isinstance(data, dict) and "dustpan_recipe" in data
    return load_recipe(path).steps() if is_recipe else load_sweep(path)


def _own_names(part: Any, owner: str) -> Any:
    """A schema whose definitions are told apart from those of others."""
    if isinstance(part, dict):
        return {
            k: v.replace("#/$defs/", f"#/$defs/{owner}.") if k == "$ref" else _own_names(v, owner)
            for k, v in part.items()
        }
    return [_own_names(v, owner) for v in part] if isinstance(part, list) else part


def schema(describe: Callable[[], list[dict[str, Any]]]) -> dict[str, Any]:
    """JSON Schema (2020-12) of recipe files, with the parameters of every step; ``describe`` lists the steps."""
    found = Recipe.model_json_schema()
    kinds = []
    for step in describe():
        params = _own_names(step["params"], step["id"])
        for name, definition in params.pop("$defs", {}).items():
            found.setdefault("$defs", {})[f"{step['id']}.{name}"] = definition
        kinds.append({
            "type": "object",
            "required": ["step"],
            "properties": {
                "step": {"const": step["id"]}, "version": {"type": "integer", "minimum": 1}, "on": {"type": "boolean"},
                "opacity": {"type": "number", "minimum": 0, "maximum": 1}, "blend": {"type": "string"},
                "params": params, "where": {"type": "array", "items": {"type": "object"}}, "chain": {"type": "string"},
            },
            "additionalProperties": False,
        })  # fmt: skip
    found["properties"]["sweep"] = {
        "type": "object",
        "required": ["dustpan_sweep", "steps"],
        "properties": {
            "dustpan_sweep": {"const": 1},
            "steps": {"type": "array", "minItems": 1, "maxItems": MOST_STEPS, "items": {"oneOf": kinds}},
            "masks": {"type": "object"},
        },
    }
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Dustpan recipe", **found}
