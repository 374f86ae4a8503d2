"""The sweep: the ordered steps applied to a picture, and its file.

A sweep file is JSON. It outlives versions: a step that this Dustpan does not know, or whose parameters are newer than
it knows, is kept word for word and shown switched off with the reason.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cache, cached_property
from pathlib import Path
from typing import Any

from dustpan.core.blend import Blend
from dustpan.core.errors import DustpanError, FileProblem, WrongUse
from dustpan.core.fact import FactKind
from dustpan.core.files.atomic import write_atomically
from dustpan.core.files.reading import SWEEP_MOST, parse_json, read_regular
from dustpan.core.language import say
from dustpan.core.params import Params
from dustpan.core.parts import PARTS
from dustpan.core.picture import Kind
from dustpan.core.stage import Bound, bind, digest
from dustpan.core.step import StepKind
from dustpan.core.steps import STEPS, step_kind
from dustpan.core.text import as_json, plain
from dustpan.core.where.mask import EVERYWHERE, Mask, PartKind, read_mask

FORMAT = 1
SUFFIX = ".sweep.json"
FRAMES = "frames"  # what a sweep says beside its steps, of a picture that was made of many
LARGEST = SWEEP_MOST  # bytes of a file
MOST_STEPS = 200
FIELDS = {"step", "version", "on", "opacity", "blend", "params", "where", "chain"}


@dataclass(frozen=True)
class Step:
    """One step of a sweep: which, with what parameters, on or off, how opaque, in which blend, and where.

    ``part_of`` : the name of the recipe that it stands in the sweep line with as one entry; empty for none.
    """

    kind: StepKind
    params: Params
    on: bool = True
    opacity: float = 1.0
    blend: Blend = Blend.NORMAL
    where: Mask = EVERYWHERE
    part_of: str = ""

    @property
    def name(self) -> str:
        return say(self.kind.name)

    @property
    def acts(self) -> bool:
        """Whether it changes anything at all."""
        return self.on and self.opacity > 0 and not self.kind.idle(self.params)

    @property
    def summary(self) -> str:
        """What stands on its chip."""
        return self.kind.summary(self.params)

    @cached_property
    def chain(self) -> tuple[Bound, ...]:
        """Its stages, bound to its parameters."""
        return bind(self.kind.stages, self.params)

    @cached_property
    def draft_chain(self) -> tuple[Bound, ...]:
        """The same for a draft."""
        return bind(self.kind.stages, self.params, draft=True)

    @cached_property
    def facts(self) -> frozenset[FactKind]:
        """What its stages and those of its mask have to know."""
        return self.kind.facts(self.params) | self.where.facts

    @cached_property
    def key(self) -> str:
        """A digest of all that its result depends on besides its input."""
        about = (self.kind.id, str(self.kind.version), repr(self.params), repr(self.opacity), self.blend.value)
        last = self.kind.stages[-1].name  # which is another one of what is only looked at
        return digest(*about, last, *(b.key for b in self.where.chain))

    def scaled(self, factor: float) -> Step:
        """What does the same in a picture ``factor`` times as large."""
        return replace(self, params=self.params.scaled(factor), where=self.where.scaled(factor))

    def as_json(self) -> dict[str, Any]:
        said: dict[str, Any] = {
            "step": self.kind.id,
            "version": self.kind.version,
            "on": self.on,
            "opacity": self.opacity,
            "blend": self.blend.value,
            "params": self.params.as_json(),
        }
        said |= {"where": self.where.as_json()} if self.where.parts else {}
        return said | ({"chain": self.part_of} if self.part_of else {})


@dataclass(frozen=True)
class KeptStep:
    """A step that cannot run here: kept word for word, always off."""

    raw: Mapping[str, Any] = field(hash=False)
    reason: str
    on: bool = field(default=False, init=False)
    acts: bool = field(default=False, init=False)

    @property
    def name(self) -> str:
        return plain(str(self.raw.get("step", say("unknown step"))))

    def as_json(self) -> dict[str, Any]:
        return dict(self.raw)


AnyStep = Step | KeptStep


@dataclass(frozen=True)
class Sweep:
    """An ordered tuple of steps; changing one gives a new sweep.

    ``masks`` are kept under names for several steps. ``extra`` holds what a newer file said besides.

    Examples
    --------
    >>> sweep, at = suggested().added(make_step("edge-sharpen", {"amount": 0.8}))
    >>> [step.name for step in sweep.steps], at
    (['Noise', 'Edge sharpen'], 1)
    >>> sweep_from_json(sweep.as_json()) == sweep
    True
    """

    steps: tuple[AnyStep, ...] = ()
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False)
    masks: tuple[tuple[str, Mask], ...] = ()

    @cached_property
    def active(self) -> tuple[Step, ...]:
        """The steps that change something, in order; kept masks stand in the place of their names."""
        kept = dict(self.masks)
        acting = (s for s in self.steps if isinstance(s, Step) and s.acts)
        return tuple(replace(s, where=s.where.resolved(kept)) if any(s.where.names()) else s for s in acting)

    def keeping(self, name: str, mask: Mask | None) -> Sweep:
        """With a mask kept under a name, or without it."""
        others = tuple((n, m) for n, m in self.masks if n != name)
        return replace(self, masks=others if mask is None else (*others, (name, mask)))

    def added(self, step: Step) -> tuple[Sweep, int]:
        """With a step at its natural place, after others of the same place; and its index."""
        at = len(self.steps)
        while at > 0 and self._place(at - 1) > step.kind.place:
            at -= 1
        return replace(self, steps=(*self.steps[:at], step, *self.steps[at:])), at

    def _place(self, index: int) -> int:
        s = self.steps[index]
        return s.kind.place if isinstance(s, Step) else -1

    def first(self, number: int) -> Sweep:
        """Its first steps."""
        return replace(self, steps=self.steps[: max(number, 0)])

    def aside(self, index: int) -> Sweep | None:
        """What gives what a step works with, to be looked at; None for a step without it."""
        step = self.steps[index] if 0 <= index < len(self.steps) else None
        if not isinstance(step, Step) or step.kind.aside is None:
            return None
        return replace(self, steps=(*self.steps[:index], Step(_alone(step.kind), step.params)))

    def with_recipe(self, recipe: Sweep, chain: str = "") -> Sweep:
        """With the steps of a recipe, each at its natural place; as a chain, all where the first of them belongs."""
        found, masks = self, dict(self.masks)
        for name, mask in recipe.masks:
            masks.setdefault(name, mask)
        steps = [replace(s, part_of=chain) if isinstance(s, Step) else s for s in recipe.steps]
        if chain and (first := next((s for s in steps if isinstance(s, Step)), None)):
            _, at = found.added(first)
            found = replace(found, steps=(*found.steps[:at], *steps, *found.steps[at:]))
        else:
            for step in steps:
                found = found.added(step)[0] if isinstance(step, Step) else found
        return replace(found, masks=tuple(masks.items()))

    def first_of(self, id: str) -> int:
        """The number of its first step of a kind; -1 without any."""
        found = (n for n, s in enumerate(self.steps) if isinstance(s, Step) and s.kind.id == id)
        return next(found, -1)

    def chain_of(self, index: int) -> range:
        """The numbers of the steps that stand in one chain with a step; that alone where it is in none."""
        name = getattr(self.steps[index], "part_of", "")
        first = last = index
        while name and first > 0 and getattr(self.steps[first - 1], "part_of", "") == name:
            first -= 1
        while name and last + 1 < len(self.steps) and getattr(self.steps[last + 1], "part_of", "") == name:
            last += 1
        return range(first, last + 1)

    def without(self, members: range) -> Sweep:
        """With steps that stand side by side taken out."""
        return replace(self, steps=self.steps[: members[0]] + self.steps[members[-1] + 1 :])

    def doubled(self, members: range) -> Sweep:
        """With steps that stand side by side once more behind them; a chain gets a name of its own."""
        end = members[-1] + 1
        taken = self.steps[members[0] : end]
        if len(members) > 1:  # two chains side by side of one name would be one
            taken = tuple(replace(s, part_of=f"{s.part_of} 2") if isinstance(s, Step) else s for s in taken)
        return replace(self, steps=(*self.steps[:end], *taken, *self.steps[end:]))

    def moved_beyond(self, members: range, beyond: range) -> tuple[Sweep, int]:
        """With steps moved to the other side of others, both standing side by side; and the number of the first."""
        taken, rest = self.steps[members[0] : members[-1] + 1], list(self.without(members).steps)
        at = beyond[-1] + 1 - len(taken) if beyond[0] > members[0] else beyond[0]
        rest[at:at] = taken
        return replace(self, steps=tuple(rest)), at

    def switched(self, members: range, on: bool) -> Sweep:
        """With these steps on or off, those that can be changed here."""
        sweep = self
        for n in members:
            sweep = sweep.changed(n, on=on) if isinstance(self.steps[n], Step) else sweep
        return sweep

    def removed(self, index: int) -> Sweep:
        return replace(self, steps=self.steps[:index] + self.steps[index + 1 :])

    def moved(self, index: int, to: int) -> Sweep:
        steps = list(self.steps)
        steps.insert(to, steps.pop(index))
        return replace(self, steps=tuple(steps))

    def changed(self, index: int, **values: Any) -> Sweep:
        """With fields of one step replaced: on, opacity, blend or params."""
        step = self.steps[index]
        if not isinstance(step, Step):
            raise WrongUse("“{0}” cannot be changed here: {1}.", step.name, step.reason)
        return replace(self, steps=(*self.steps[:index], replace(step, **values), *self.steps[index + 1 :]))

    def changes_kind(self, kind: Kind) -> int:
        """The number of acting steps up to and with the last one that changes the kind of a picture of this kind."""
        last = 0
        for number, step in enumerate(self.active, 1):
            if kind in step.kind.gives:
                kind, last = step.kind.gives[kind], number
        return last

    def scaled(self, factor: float) -> Sweep:
        """The acting steps that mean something there, as they do the same in a picture ``factor`` times as large."""
        return Sweep(tuple(s.scaled(factor) for s in self.active if factor >= 1 or not s.kind.full_size))

    def as_json(self) -> dict[str, Any]:
        said = {**self.extra, "dustpan_sweep": FORMAT, "steps": [s.as_json() for s in self.steps]}
        masks = {name: mask.as_json() for name, mask in self.masks} | dict(self.extra.get("masks", {}))
        return said | ({"masks": masks} if masks else {})


@cache
def _alone(kind: StepKind) -> StepKind:
    """A step that gives what is aside of another one."""
    assert kind.aside is not None
    return replace(kind, stages=kind.aside.stages, idle=lambda p: False)


def make_step(id: str, values: Mapping[str, Any] | None = None) -> Step:
    """A step by id with its parameters checked; what is not given takes its default."""
    kind = step_kind(id)
    return Step(kind, kind.make(values or {}), blend=kind.blend)


def first_steps(kind: Kind) -> tuple[Step, ...]:
    """What makes a picture of what a file holds: Develop for a sensor's samples, nothing otherwise."""
    return (make_step("develop"),) if kind.of_sensor else ()


def suggested(kind: Kind = Kind.RGB) -> Sweep:
    """What is done when nothing was asked for: Noise at exactly what was measured, of a developed picture."""
    return Sweep((*first_steps(kind), make_step("noise")))


def with_first_steps(sweep: Sweep, kind: Kind) -> Sweep:
    """A sweep that has what makes a picture of a sensor's samples; put at its natural place where it was left out."""
    for step in first_steps(kind):
        kept = {s.raw.get("step") for s in sweep.steps if isinstance(s, KeptStep)}  # a newer one of its kind, as it was
        if not any(isinstance(s, Step) and s.kind.id == step.kind.id for s in sweep.steps) and step.kind.id not in kept:
            sweep, _ = sweep.added(step)
    return sweep


def _read_step(raw: Any) -> AnyStep:
    if not isinstance(raw, dict) or not isinstance(raw.get("step"), str):
        raise WrongUse("a step in it has no name")
    kind = next((k for k in STEPS if k.id == raw["step"]), None)
    if kind is None:
        return KeptStep(raw, say("this Dustpan does not know it"))
    version, params = raw.get("version", 1), raw.get("params", {})
    if not isinstance(version, int) or not isinstance(params, dict):
        raise WrongUse("the step {0} in it is damaged", say(kind.name))
    if version > kind.version:
        return KeptStep(raw, say("it was made by a newer Dustpan"))
    if unknown := sorted(set(raw) - FIELDS):
        return KeptStep(raw, say("a newer Dustpan gave it {0}", ", ".join(unknown)))
    if version < kind.version:
        params = kind.migrate(params, version)
    opacity, on = raw.get("opacity", 1.0), raw.get("on", True)
    if (
        isinstance(opacity, bool)
        or not isinstance(opacity, int | float)
        or not 0 <= opacity <= 1
        or not isinstance(on, bool)
    ):
        raise WrongUse("the step {0} in it is damaged", say(kind.name))
    try:
        blend = Blend(raw.get("blend", "normal"))
    except ValueError:
        return KeptStep(raw, say("this Dustpan does not know the blend “{0}”", raw.get("blend")))
    where = _read_mask(raw.get("where", []))
    if where is None:
        return KeptStep(raw, say("a newer Dustpan gave it {0}", "where"))
    return Step(kind, kind.make(params), on, float(opacity), blend, where, str(raw.get("chain", ""))[:200])


def _read_mask(raw: Any) -> Mask | None:
    """A mask from parsed JSON; None when it holds anything that this Dustpan does not know."""
    return read_mask(raw, {k.id: k for k in PARTS})


def _read_masks(raw: Any) -> tuple[dict[str, Mask], dict[str, Any]]:
    """The kept masks of a sweep by name, and those that this Dustpan does not know, as they are."""
    if not isinstance(raw, dict):
        raise WrongUse("the masks in it are damaged")
    found = {str(name): _read_mask(mask) for name, mask in raw.items()}
    known = {name: mask for name, mask in found.items() if mask is not None}
    return known, {name: raw[name] for name in found if name not in known}


def sweep_from_json(data: Any) -> Sweep:
    """A sweep from parsed JSON; `WrongUse` tells what is wrong with it."""
    if not isinstance(data, dict) or "dustpan_sweep" not in data or not isinstance(data.get("steps"), list):
        raise WrongUse("it is not a sweep file")
    version = data["dustpan_sweep"]
    if isinstance(version, bool) or not isinstance(version, int) or version < 1:
        raise WrongUse("its version is damaged")
    if version > FORMAT:
        raise WrongUse("it was written by a newer Dustpan; open it there, or update this one")
    if len(data["steps"]) > MOST_STEPS:
        raise WrongUse("it has {0} steps; at most {1} can be used", len(data["steps"]), MOST_STEPS)
    extra = {k: v for k, v in data.items() if k not in ("dustpan_sweep", "steps", "masks")}
    masks, unknown = _read_masks(data.get("masks", {}))
    if unknown:
        extra["masks"] = unknown
    found = Sweep(tuple(_read_step(s) for s in data["steps"]), extra, tuple(masks.items()))
    for step in found.steps:
        if isinstance(step, Step):
            step.where.resolved(masks)  # which refuses what could never be computed
    return found


def beside(picture_path: Path) -> Path:
    """Where a picture's sweep is saved: its full name plus the suffix."""
    return picture_path.with_name(picture_path.name + SUFFIX)


def load_sweep(path: Path) -> Sweep:
    """Read a sweep file; `FileProblem` names the file and the reason."""
    data = read_regular(path, LARGEST, "it is too large for a sweep file")
    try:
        return sweep_from_json(parse_json(data, LARGEST))
    except UnicodeDecodeError:
        raise FileProblem(path, "it is not a sweep file: it holds no text") from None
    except ValueError:
        raise FileProblem(path, "the sweep file is damaged; the picture itself is not affected") from None
    except FileProblem:
        raise
    except DustpanError as error:
        raise FileProblem(path, str(error).rstrip(".")) from None


def save_sweep(sweep: Sweep, path: Path, about: Mapping[str, Any] | None = None) -> None:
    """Write a sweep file atomically; ``about`` (the picture's name, for information) is kept beside the steps."""
    text = as_json({**sweep.as_json(), **(about or {})}, indent=2)
    write_atomically(path, lambda file: file.write(text.encode("utf-8")), own=True)


def describe(steps: Iterable[StepKind]) -> list[dict[str, Any]]:
    """Every step with its parameters as JSON Schema, for ``dustpan steps --json``."""
    return [
        {
            "id": k.id,
            "name": k.name,
            "help": k.help,
            "version": k.version,
            "takes": sorted(x.value for x in k.takes),
            "params": k.params.model_json_schema(),
        }
        for k in steps
    ]


def describe_parts(parts: Iterable[PartKind]) -> list[dict[str, Any]]:
    """Every part of a mask with its parameters as JSON Schema."""
    return [
        {"id": k.id, "name": k.name, "help": k.help, "version": k.version, "params": k.params.model_json_schema()}
        for k in parts
    ]
