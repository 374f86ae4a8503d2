"""The report of a batch: a table as CSV, and one HTML page that needs nothing from outside, outliers first."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np

from dustpan import __version__
from dustpan.core.batch.journal import Journal
from dustpan.core.batch.order import OWN
from dustpan.core.files.atomic import write_atomically
from dustpan.core.jobs.one import Outcome, State
from dustpan.core.language import mark, say
from dustpan.core.text import plain

TEMPLATES = Path(__file__).resolve().parent.parent.parent / "report"
FIGURES = ("noise_left", "texture_kept", "halo_height", "edge_width_after", "mean_moved")
BAD_WAY = {"noise_left": 1, "texture_kept": -1, "halo_height": 1, "edge_width_after": 1, "mean_moved": 0}
FROM = 3.0  # robust sigmas from the others, from which a figure stands out
LEAST = {"noise_left": 8.0, "texture_kept": 8.0, "halo_height": 3.0, "edge_width_after": 0.5, "mean_moved": 3.0}


TEXTS = (  # of the page
    mark("Batch of {0}"), mark("Suggested for each picture"), mark("done"), mark("failed"), mark("left for you"),
    mark("{0} in all, {1:.0f} s"), mark("What to look at by eye stands first."), mark("before"), mark("after"),
    mark("Stands out: {0}"), mark("noise left"), mark("texture kept"), mark("halos"), mark("edges"),
    mark("halo height"), mark("edge width after"), mark("mean moved"),
)  # fmt: skip


@dataclass(frozen=True)
class Row:
    """One picture of the report. odd : how far it stands out, and why in words."""

    number: int
    outcome: Outcome
    odd: float = 0.0
    why: str = ""

    @property
    def name(self) -> str:
        return plain(Path(self.outcome.source).name)

    @property
    def target(self) -> str:
        return plain(Path(self.outcome.target).name)


def rows_of(outcomes: dict[int, Outcome]) -> list[Row]:
    """Those that failed or were left first, then those whose figures stand out from the others', then the rest."""
    told = {n: o for n, o in outcomes.items() if o.state is State.DONE}
    odd: dict[int, tuple[float, str]] = {n: (0.0, "") for n in told}
    for figure in FIGURES:
        known = {n: float(v) for n, o in told.items() if (v := o.verdict.get(figure)) is not None}
        if len(known) < 4:
            continue
        values = np.array(list(known.values()))
        middle = float(np.median(values))
        spread = max(1.4826 * float(np.median(np.abs(values - middle))), LEAST[figure] / FROM)
        for n, value in known.items():
            off = (value - middle) / spread
            off = abs(off) if BAD_WAY[figure] == 0 else off * BAD_WAY[figure]
            if off > max(FROM, odd[n][0]):
                odd[n] = off, say("{0}: {1:.1f}, others about {2:.1f}", say(figure.replace("_", " ")), value, middle)
    rows = [Row(n, o, *odd.get(n, (0.0, ""))) for n, o in outcomes.items()]
    return sorted(rows, key=lambda r: (r.outcome.state is State.DONE, -r.odd, r.number))


def as_csv(rows: Sequence[Row]) -> str:
    """One line a picture, in their order."""
    held = io.StringIO()
    writer = csv.writer(held)
    writer.writerow(["picture", "result", "state", "seconds", *FIGURES, "stands_out", "notice", "why"])
    for r in sorted(rows, key=lambda r: r.number):
        o = r.outcome
        figures = ["" if (v := o.verdict.get(f)) is None else v for f in FIGURES]
        notice = o.error or " ".join(o.notices)
        writer.writerow(
            [_cell(v) for v in (o.source, o.target, o.state.value, o.seconds, *figures, r.why, notice, o.why)]
        )
    return held.getvalue()


def _cell(value: object) -> object:
    """A text that no spreadsheet takes for a formula."""
    return f"'{value}" if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t") else value


def as_html(journal: Journal, rows: Sequence[Row]) -> str:
    """The whole page."""
    from jinja2 import Environment, FileSystemLoader, select_autoescape  # slow to import

    environment = Environment(loader=FileSystemLoader(TEMPLATES), autoescape=select_autoescape())
    order = journal.order
    assert order is not None
    counts = {state: sum(r.outcome.state is state for r in rows) for state in State}
    return environment.get_template("report.html").render(
        rows=rows, order=order, counts=counts, State=State, say=say, version=__version__,
        date=datetime.now().strftime("%Y-%m-%d %H:%M"), total=len(journal.items),
        seconds=sum(r.outcome.seconds for r in rows), plain=plain,
    )  # fmt: skip


def write_report(journal: Journal) -> tuple[Path, ...]:
    """Write both beside the results; gives their paths, the page last."""
    rows = rows_of(journal.outcomes)
    table, page = (journal.path.parent / f"{OWN}.{ending}" for ending in ("csv", "html"))
    for path, text in ((table, as_csv(rows)), (page, as_html(journal, rows))):
        _write(path, text.encode("utf-8", "surrogateescape"))
    return table, page


def _write(path: Path, text: bytes) -> None:
    write_atomically(path, lambda file: file.write(text))
