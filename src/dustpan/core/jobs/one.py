"""One picture from file to file, told in plain values: what the command line, the window's export and every batch run.

A `Task` can be written down as JSON and read elsewhere. Whatever goes wrong with a file ends in its `Outcome` and
never in the end of the run.
"""

from __future__ import annotations

import base64
import io
import logging
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields, replace
from enum import StrEnum
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from dustpan import __version__
from dustpan.core.cancel import Cancel
from dustpan.core.defects.defect_map import load_map
from dustpan.core.errors import Cancelled, DustpanError, FileProblem
from dustpan.core.files import ExportOptions, format_of, open_picture, opening_from_json, save_picture
from dustpan.core.files.atomic import TargetTaken
from dustpan.core.files.registry import keeps_samples
from dustpan.core.finish.output import Output, made_for, output_from_json
from dustpan.core.jobs.find import found_by_steps
from dustpan.core.jobs.mapped import with_map
from dustpan.core.judge.suggest import suggest
from dustpan.core.judge.whole import judge_and_worst
from dustpan.core.judge.worst import FigureName
from dustpan.core.language import mark, say
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.picture import Depth, Metadata, Picture
from dustpan.core.region import Region
from dustpan.core.render.renderer import Progress, Renderer
from dustpan.core.sweep import Sweep, sweep_from_json, with_first_steps
from dustpan.core.text import name_of

log = logging.getLogger(__name__)
STRIP, APART = 512, 4  # px that noise is asked for at a time, and between the places that are taken
CROP = 160  # px, of what a report shows


class State(StrEnum):
    """How a task ended."""

    DONE = mark("done")
    FAILED = mark("failed")
    CANCELLED = mark("cancelled")
    SKIPPED = mark("left for you")


@dataclass(frozen=True)
class Task:
    """What is to be done with one file.

    Attributes
    ----------
    source, target : paths. sweep : as a sweep file holds it; None for what is suggested for this picture.
    depth : of the result, as `Depth`; empty for the picture's own. quality : of lossy formats, 1 to 100.
    replace_source : whether the target may be the source itself. threads : 0 for as many as the machine has.
    opening : what was chosen about how the source is opened, as a sweep keeps it; what its sweep says goes first.
    defects : path of a defect map whose places Hot pixels fill as well; empty for none.
    output : how large the result is and what it is made for, as `Output` keeps it; empty for as it is.
    unattended : nobody is there to be asked, so that a file that a step would ask about is left as it is.
    reported : the outcome tells the verdict, and shows a place before and after.
    as_shown : whether values of a sky are written as they are seen, and not in proportion to light; None for as the
        sweep has it, which may have stretched them (`stretched`).
    metadata : whether the result keeps exposure facts and the like; its colour profile it always has.
    expects : what a file at the target has to hold to be written over, see `write_atomically`.
    """

    source: str
    target: str
    sweep: Mapping[str, Any] | None = None
    depth: str = ""
    quality: int = 92
    replace_source: bool = False
    threads: int = 0
    opening: Mapping[str, Any] = field(default_factory=dict)
    defects: str = ""
    output: Mapping[str, Any] = field(default_factory=dict)
    unattended: bool = False
    reported: bool = False
    metadata: bool = True
    expects: str | None = None
    as_shown: bool | None = None

    @property
    def options(self) -> ExportOptions:
        return ExportOptions(Depth(self.depth) if self.depth else None, self.quality)


@dataclass(frozen=True)
class Outcome:
    """What came of a task: the steps that were applied, and why these where they were suggested; or what went wrong.

    ``taken`` : it failed because another file is at its target by now. Of a reported one also ``verdict``, as `Verdict`
    gives it, and ``crops``: JPEG in Base64, before and after.
    """

    source: str
    target: str
    state: State
    seconds: float = 0.0
    error: str = ""
    why: str = ""
    notices: tuple[str, ...] = ()
    sweep: Mapping[str, Any] = field(default_factory=dict)
    verdict: Mapping[str, float | None] = field(default_factory=dict)
    crops: tuple[str, ...] = ()
    taken: bool = False

    def as_json(self) -> dict[str, Any]:
        """One result of ``dustpan clean --json``."""
        if self.state is not State.DONE:
            return {"file": self.source, "error": self.error}
        told = {"steps": self.sweep["steps"], "why": self.why} if self.why else {}
        return {"file": self.source, "out": self.target, "seconds": self.seconds, **told}


def task_from_json(raw: Any) -> Task:
    """A task from plain values, such as a scheduler hands on; ValueError when they make none."""
    kinds = {f.name: type(f.default) for f in fields(Task) if isinstance(f.default, str | int | bool)}
    kinds |= {"source": str, "target": str}
    if not isinstance(raw, Mapping) or not {"source", "target"} <= set(raw) <= {f.name for f in fields(Task)}:
        raise ValueError("no task")
    for name, value in raw.items():
        if name in kinds and type(value) is not kinds[name]:
            raise ValueError(name)
        if name in ("opening", "output") and not isinstance(value, Mapping):
            raise ValueError(name)
    if not isinstance(raw.get("as_shown"), bool | None):
        raise ValueError("as_shown")
    if not isinstance(raw.get("sweep"), Mapping | None) or not isinstance(raw.get("expects"), str | None):
        raise ValueError("no task")
    return Task(**raw)


def outcome_from_json(raw: Any) -> Outcome:
    """An outcome from plain values, such as a journal or a worker gives; ValueError when they make none."""
    if not isinstance(raw, Mapping):
        raise ValueError("no outcome")
    texts = {n: raw.get(n, "") for n in ("source", "target", "error", "why")}
    lists = {n: raw.get(n, ()) for n in ("notices", "crops")}
    tables = {n: raw.get(n, {}) for n in ("sweep", "verdict")}
    seconds = raw.get("seconds", 0.0)
    sound = (
        all(isinstance(t, str) for t in texts.values())
        and all(isinstance(v, list | tuple) and all(isinstance(t, str) for t in v) for v in lists.values())
        and all(isinstance(t, Mapping) for t in tables.values())
        and isinstance(seconds, int | float)
        and all(v is None or isinstance(v, int | float) for v in tables["verdict"].values())
    )
    if not sound:
        raise ValueError("no outcome")
    held: dict[str, Any] = {n: tuple(v) for n, v in lists.items()}
    held |= {"state": State(raw["state"]), "seconds": float(seconds), "taken": bool(raw.get("taken"))}
    return Outcome(**texts, **tables, **held)


def run(
    task: Task,
    cancel: Cancel | None = None,
    progress: Progress | None = None,
    tell: Callable[[str], None] = lambda text: None,
    renderer: Renderer | None = None,
) -> Outcome:
    """Do a task.

    Parameters
    ----------
    cancel : ends it early. progress : is told parts done and parts in all. tell : gets sentences on the way.
    renderer : of the source where it is open already; otherwise the file is read.

    Returns
    -------
    Outcome, of every failure as well; nothing but the end of the process is raised.
    """
    began, said = time.monotonic(), dict[str, Any](source=task.source, target=task.target)
    try:
        found = _run(task, cancel or Cancel(), progress, tell, renderer)
        return Outcome(**said, state=State.DONE, seconds=round(time.monotonic() - began, 3), **found)
    except Cancelled:
        return Outcome(**said, state=State.CANCELLED)
    except _WouldAsk as why:
        return Outcome(**said, state=State.SKIPPED, error=str(why))
    except TargetTaken as error:
        return Outcome(**said, state=State.FAILED, error=str(error), taken=True)
    except Exception as error:
        return Outcome(**said, state=State.FAILED, error=sentence(error, Path(task.source)))


def _run(
    task: Task,
    cancel: Cancel,
    progress: Progress | None,
    tell: Callable[[str], None],
    renderer: Renderer | None,
) -> dict[str, Any]:
    target = Path(task.target)
    format_of(target)
    if renderer is not None:
        return _written(renderer, task, cancel, progress, tell)
    kept = (task.sweep or {}).get("opening")
    opening = {**(kept if isinstance(kept, Mapping) else {}), **task.opening}
    picture = open_picture(Path(task.source), opening_from_json(opening))
    for notice in picture.notices:
        tell(notice)
    with Renderer(picture, task.threads or None) as own:
        return _written(own, task, cancel, progress, tell) | {"notices": picture.notices}


def _written(
    renderer: Renderer, task: Task, cancel: Cancel, progress: Progress | None, tell: Callable[[str], None]
) -> dict[str, Any]:
    why = ""
    if task.sweep is None:
        found = suggest(renderer, cancel=cancel)
        sweep, why = found.sweep, found.why
        tell(f"{name_of(Path(task.source))}: {why}")
    else:
        given = sweep_from_json(task.sweep)
        only_repairs = stays_samples(given, renderer.picture, Path(task.target))
        sweep = given if only_repairs else with_first_steps(given, renderer.picture.kind)
        if sweep is not given:
            tell(
                say("{0}: Develop was added, for a sensor's samples have to be developed.", name_of(Path(task.source)))
            )
    if task.defects:
        sweep = with_map(sweep, load_map(Path(task.defects)), renderer.picture.size)
    sweep = renderer.settled(sweep, cancel)
    if task.unattended:
        _ask_nothing(renderer, sweep, cancel)
    as_shown = stretched(sweep) if task.as_shown is None else task.as_shown
    options = replace(task.options, history=history_of(sweep), as_shown=as_shown)
    made = output_from_json(task.output)
    target = Path(task.target)
    export(renderer, sweep, target, options, cancel, progress, task.replace_source, made, task.metadata, task.expects)
    told = {"why": why, "sweep": sweep.as_json()}
    return told | (_reported(renderer, sweep, cancel) if task.reported else {})


def stretched(sweep: Sweep) -> bool:
    """Whether a sweep has made values brighter or darker than the light was."""
    return any(step.kind.finishing for step in sweep.active)


def stays_samples(sweep: Sweep, picture: Picture, target: Path) -> bool:
    """Whether a sensor's samples stay samples: they are only repaired, and the target can hold them."""
    kind = picture.kind
    repairs = [step.kind.repairs and kind in step.kind.takes and not step.kind.gives for step in sweep.active]
    return kind.of_sensor and bool(repairs) and all(repairs) and keeps_samples(picture, target)


class _WouldAsk(Exception):
    """A step has found what only a person can decide."""


def _ask_nothing(renderer: Renderer, sweep: Sweep, cancel: Cancel) -> None:
    """Stop at a step that would ask."""
    for _, step, hits in found_by_steps(renderer, Sweep(sweep.active), cancel):
        if hits.asks:
            raise _WouldAsk(say("{0} would ask: {1}.", step.name, say(hits.asks)))


def _reported(renderer: Renderer, sweep: Sweep, cancel: Cancel) -> dict[str, Any]:
    """The verdict, and the place that lost most texture, or the middle, before and after."""
    found, places = judge_and_worst(renderer, sweep, FigureName.TEXTURE_KEPT, cancel)
    h, w = renderer.size
    y, x = places[0] if places else (h // 2, w // 2)
    side = CROP // 2
    region = Region(y - side, x - side, y + side, x + side).within((h, w))
    shown = [renderer.at_once(s, region, cancel) for s in (renderer.reference(sweep), sweep)]
    return {
        "verdict": found.as_json(),
        "crops": tuple(_jpeg(renderer.for_screen(sweep, pixels)) for pixels in shown),
    }


def _jpeg(words: NDArray[np.uint32]) -> str:
    """Packed pixels as a JPEG in Base64."""
    rgb = np.stack([(words >> shift & 255).astype(np.uint8) for shift in (16, 8, 0)], -1)
    held = io.BytesIO()
    Image.fromarray(rgb).save(held, "JPEG", quality=88)
    return base64.b64encode(held.getvalue()).decode()


def history_of(sweep: Sweep) -> str:
    """What was done, in one line, as it is written into files that keep a history."""
    said = [f"{s.kind.id}:{','.join(f'{k}={v}' for k, v in s.params.as_json().items())}" for s in sweep.active]
    return f"dustpan {__version__}: {' '.join(said) or 'nothing'}"


def export(
    renderer: Renderer,
    sweep: Sweep,
    path: Path,
    options: ExportOptions | None = None,
    cancel: Cancel | None = None,
    progress: Progress | None = None,
    replace_source: bool = False,
    output: Output = Output(),
    metadata: bool = True,
    expects: str | None = None,
) -> Picture:
    """Render the whole picture and write it.

    Raises
    ------
    FileProblem : also when ``path`` is the picture's own file and ``replace_source`` is false.
    """
    picture = renderer.picture
    if not replace_source and picture.source.path and same_file(picture.source.path, path):
        raise FileProblem(path, "it is the picture itself; choose another name or allow replacing it (--in-place)")
    pixels = renderer.render(sweep, None, cancel, progress)
    if cancel:
        cancel.check()
    result = renderer.result(sweep, pixels)
    if output.changes:
        noise = renderer.fact(NOISE_PRINT, sweep, cancel=cancel)
        factor = _noise_by_place(renderer, sweep, cancel or Cancel())
        result = made_for(result, output, noise, cancel.check if cancel else lambda: None, factor)
    if not metadata:
        result = replace(result, metadata=Metadata(icc=result.metadata.icc))
    replaces = (picture.source.path,) if replace_source and picture.source.path else ()
    save_picture(result, path, options, cancel.check if cancel else None, replaces, expects)
    return result


def _noise_by_place(renderer: Renderer, sweep: Sweep, cancel: Cancel) -> NDArray[np.float32] | None:
    """How much stronger than its print a result's luminance noise is, at every `APART`-th px; None for 1."""
    (h, w), found = renderer.size, []
    for y in range(0, h, STRIP):
        factor = renderer.by_place(sweep, Region(y, 0, min(y + STRIP, h), w), cancel)
        if factor is None:
            return None
        found.append(factor[0, ::APART, ::APART])
    return np.concatenate(found)


def same_file(a: Path, b: Path) -> bool:
    """Whether two paths lead to one file that is there."""
    try:
        return a.exists() and b.exists() and a.samefile(b)
    except OSError:
        return False


def sentence(error: Exception, path: Path | None = None) -> str:
    """A sentence for any failure; what the person cannot act on goes to the log."""
    if isinstance(error, FileProblem):
        return str(error)
    name = f"{name_of(path)}: " if path else ""
    if isinstance(error, DustpanError):
        return f"{name}{error}"
    if isinstance(error, MemoryError):
        if path:
            return name + say("there is not enough memory for it.")
        return say("There is not enough memory for this; your work is not lost. Close other pictures and try again.")
    log.error("unexpected failure", exc_info=error)
    if path:
        return name + say("something went wrong inside Dustpan ({0}).", type(error).__name__)
    return say("Something went wrong inside Dustpan ({0}); your work is not lost.", type(error).__name__)
