"""Damaged, hostile and extreme input by the thousand: each has to be taken right or end in one sentence, soon."""

from __future__ import annotations

import faulthandler
import json
import random
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from tests.core.batch.many import Quiet
from tests.core.files.test_bad_input import ALL

from benchmarks.common import arguments, publish, table
from dustpan.core.batch.batch import prepare, run_batch
from dustpan.core.batch.here import Here
from dustpan.core.batch.journal import NAME, Journal
from dustpan.core.batch.order import Order
from dustpan.core.errors import DustpanError, WrongUse
from dustpan.core.files import open_picture, save_picture
from dustpan.core.files.reading import parse_json
from dustpan.core.grammar import parse_step
from dustpan.core.picture import from_array
from dustpan.core.recipes.recipe import recipe_from_json
from dustpan.core.recipes.shelf import SHIPPED
from dustpan.core.render.renderer import Renderer
from dustpan.core.step import EVERY_KIND
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Sweep, make_step, sweep_from_json

SLOW, HANGS = 10.0, 120  # s from which one counts as a hang, and after which the run is ended with a trace
SIZES = ((1, 1), (1, 7), (7, 1), (1, 100_000), (100_000, 3), (2, 2), (5, 3000), (33, 33), (64, 48))
SIGNS = "\0\a\b\x1b[2J\r\n\t'\"<>&;|`$(){}[]%\\/:*?é漢🜛\u202e\u2028\ufeff=+-@"


class Tally:
    """What came of a kind of input."""

    def __init__(self) -> None:
        self.tried = self.right = self.told = self.crashed = self.hung = 0
        self.worst = 0.0

    def run(self, do: Callable[[], Any]) -> None:
        began = time.perf_counter()
        faulthandler.dump_traceback_later(HANGS, exit=True)
        try:
            do()
            self.right += 1
        except DustpanError:
            self.told += 1
        except Exception as error:
            self.crashed += 1
            print(f"crashed: {type(error).__name__}: {error}", file=sys.stderr)
        finally:
            faulthandler.cancel_dump_traceback_later()
        took = time.perf_counter() - began
        self.tried, self.worst, self.hung = self.tried + 1, max(self.worst, took), self.hung + (took > SLOW)

    def row(self, name: str) -> list[Any]:
        return [name, self.tried, self.right, self.told, self.crashed, self.hung, self.worst]


def damaged(whole: bytes, rng: random.Random) -> bytes:
    """Bytes changed, removed, put in, doubled or cut off, a few times."""
    found = bytearray(whole)
    for _ in range(rng.randint(1, 5)):
        at = rng.randrange(len(found)) if found else 0
        kind = rng.randrange(5)
        if kind == 0 and found:
            found[at] = rng.randrange(256)
        elif kind == 1:
            del found[at : at + rng.randint(1, 60)]
        elif kind == 2:
            found[at:at] = rng.randbytes(rng.randint(1, 20))
        elif kind == 3:
            found[at:at] = found[at : at + rng.randint(1, 400)]
        else:
            del found[at:]
    return bytes(found)


def files(folder: Path, rng: random.Random, each: int) -> Tally:
    """Damaged files of every format."""
    tally = Tally()
    for suffix, make in ALL.items():
        whole = make()
        for _ in range(each):
            path = folder / f"x.{suffix}"
            path.write_bytes(damaged(whole, rng))
            tally.run(lambda path=path: open_picture(path))
    return tally


def _values(data: Any) -> Iterator[tuple[Any, Any]]:
    """Every place within parsed JSON: its container, and the key in that."""
    pairs = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    for key, value in list(pairs):
        yield data, key
        yield from _values(value)


ODD: tuple[Any, ...] = (
    None, True, -1, 0, 1e308, -1e308, 2**70, "", "\ud800", "x" * 300, [], {}, [[]], {"": 0}, "0/0 1e300/1e300", "nan",
)  # fmt: skip


def twisted(text: str, rng: random.Random) -> Any:
    """Parsed JSON with a few of its values put in the place of others, or replaced by what is odd."""
    data = json.loads(text)
    for _ in range(rng.randint(1, 4)):
        places = list(_values(data))
        held, key = rng.choice(places)
        if rng.random() < 0.2 and isinstance(held, dict):
            held[rng.choice(("more", "\0", "params", "where"))] = held.pop(key)
        else:
            other, at = rng.choice(places)
            held[key] = rng.choice(ODD) if rng.random() < 0.6 else json.loads(json.dumps(other[at]))
    return data


def parsed(data: bytes) -> Any:
    """As the doors read it."""
    try:
        return parse_json(data)
    except ValueError:
        raise WrongUse("It is no JSON that makes sense.") from None


def recipes(rng: random.Random, count: int) -> Tally:
    """Damaged recipes and sweeps, as text and as values."""
    tally, texts = Tally(), [p.read_text("utf-8") for p in SHIPPED.glob("*.json")]

    def read(data: Any) -> None:
        recipe_from_json(data).words()

    for n in range(count):
        text = rng.choice(texts)
        if n % 3 == 0:
            tally.run(lambda t=text: read(parsed(damaged(t.encode(), rng))))
        elif n % 3 == 1:
            tally.run(lambda t=text: read(twisted(t, rng)))
        else:
            tally.run(lambda t=text: sweep_from_json(twisted(json.dumps(json.loads(t)["sweep"]), rng)).active)
    return tally


def texts(rng: random.Random, count: int) -> Tally:
    """Steps as they are typed, with letters changed."""
    tally = Tally()
    whole = (
        "noise:luminance=0.8 @texture:inverted=1 -ellipse:x=900,y=500", "soften @brush:strokes=9@0/0>10/10;5!@3/3",
        "edge-sharpen:amount=2,opacity=0.5 @tones:from=0.1,to=0.9,faded=20 &edges", "tone @gradient:ends=0/0;9/9",
    )  # fmt: skip
    for _ in range(count):
        letters = list(rng.choice(whole))
        for _ in range(rng.randint(1, 4)):
            at = rng.randrange(len(letters))
            sign = rng.choice(SIGNS)
            letters[at : at + rng.randint(0, 3)] = rng.choice((sign, "1e999", "..", "²", ""))
        tally.run(lambda t="".join(letters): parse_step(t))
    return tally


def filled(kind: str, size: tuple[int, int]) -> np.ndarray:
    """(h, w, C) of noise, of nothing, or of values that no picture has."""
    rng = np.random.default_rng(1)
    if kind == "zeros":
        return np.zeros((*size, 1), np.float32)
    if kind == "wild":
        return rng.choice([0, 1, -5, 1e6, 1e-30], (*size, 3)).astype(np.float32)
    return rng.normal(0.5, 0.2, (*size, 3)).astype(np.float32)


def pictures() -> Tally:
    """Extreme pictures through every step."""
    tally = Tally()
    for size in SIZES:
        for fill in ("noise", "zeros", "wild"):
            pixels = filled(fill, size)
            with Renderer(from_array(pixels)) as renderer:
                for kind in STEPS:
                    if kind.takes & EVERY_KIND:
                        tally.run(lambda k=kind, r=renderer: r.render(Sweep((make_step(k.id),))))
    return tally


def names(folder: Path, rng: random.Random, count: int) -> Tally:
    """Pictures with hostile names, in a batch: none is left out of its table and its page."""
    tally, source = Tally(), folder / "in"
    source.mkdir()
    made = set()
    while len(made) < count:
        name = "".join(rng.choice(SIGNS) for _ in range(rng.randint(1, 40))).replace("/", "").replace("\0", "")
        name = name.strip(".") + ".png"
        try:
            save_picture(from_array(np.zeros((8, 8, 3), np.uint8)), source / name)
        except (DustpanError, ValueError):
            continue
        made.add(name)
    sweep = Sweep((make_step("soften"),)).as_json()
    order = Order(sources=(str(source),), out=str(folder / "out"), sweep=sweep)

    def batch() -> None:
        doer = Here()
        try:
            with Journal(folder / "out") as journal:
                prepare(journal, order, False)
                summary = run_batch(journal, doer, Quiet())
        finally:
            doer.close()
        if summary.failed or len(list((folder / "out").glob("*.png"))) < len(list(source.iterdir())):
            raise RuntimeError("pictures were left out")

    tally.run(batch)
    tally.tried = tally.right = count if not tally.crashed else 0
    return tally


def journals(folder: Path, rng: random.Random, count: int) -> Tally:
    """Damaged journals: told, or read; and nothing outside of the folder is named by them."""
    tally, out = Tally(), folder / "kept"
    order = Order(sources=(str(folder),), out=str(out), sweep=Sweep((make_step("soften"),)).as_json())
    out.mkdir()
    with Journal(out) as journal:
        journal.begin(order, [(str(folder / f"{n}.png"), str(out / f"{n}.png")) for n in range(6)])
    whole = (out / NAME).read_bytes()

    def read() -> None:
        with Journal(out) as journal:
            for _, target in journal.items:
                if target and Path(target).parent.resolve() != out.resolve():
                    raise RuntimeError(target)

    for _ in range(count):
        (out / NAME).write_bytes(damaged(whole, rng))
        tally.run(read)
    return tally


def main() -> None:
    options = arguments(__doc__, seed="1", share="1.0")
    share, rng = float(options.share), random.Random(int(options.seed))
    with TemporaryDirectory() as name:
        folder = Path(name)
        rows = [
            files(folder, rng, int(140 * share)).row("damaged files of every format"),
            recipes(rng, int(18_000 * share)).row("damaged recipes and sweeps"),
            texts(rng, int(4_000 * share)).row("steps as they are typed"),
            journals(folder, rng, int(2_000 * share)).row("damaged journals"),
            pictures().row("extreme pictures, through every step"),
            names(folder, rng, 30).row("hostile names, in a batch"),
        ]
    head = ["input", "tried", "taken as right", "told in a sentence", "crashed", f"over {SLOW:.0f} s", "longest, s"]
    publish("fuzz", "Damaged and hostile input", table(head, rows), options.write)


if __name__ == "__main__":
    main()
