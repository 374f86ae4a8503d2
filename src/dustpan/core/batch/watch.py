"""Watching folders: what appears there is done once it is complete.

A camera writes its files slowly, and in pieces. One is taken for complete when its size and time stood still between
several looks and it can be opened; until it can be, it is looked at again.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from pathlib import Path

from dustpan.core.batch.batch import Listener, run_batch
from dustpan.core.batch.doers import Doer
from dustpan.core.batch.journal import Items, Journal
from dustpan.core.batch.order import Order, Taken, pictures_in, target_of
from dustpan.core.batch.report import write_report
from dustpan.core.cancel import Cancel
from dustpan.core.errors import DustpanError, WrongUse
from dustpan.core.files import open_picture
from dustpan.core.files.guard import identity
from dustpan.core.language import say

EVERY, STILL = 0.5, 3  # s between looks, and looks for which a file has to stand still
REPORTED_EVERY = 60.0  # s between two reports, which are of all pictures
GIVEN_UP = 120.0  # s after which one that stands still and cannot be opened is a failure


class Watcher:
    """Which files of some folders are complete.

    Parameters
    ----------
    folders : that are watched. out : of the results. before : files that were done already, which do not count unless
        another one is put in their place. results : what files are that the batch has written.
    """

    def __init__(
        self,
        folders: list[str],
        out: Path,
        before: Iterable[Path],
        results: Callable[[], frozenset[tuple[int, int]]] = frozenset,
    ) -> None:
        self.folders, self.out, self.results = folders, out, results
        self._done = {path: told for path in before if (told := _about(path)) is not None}
        self._seen: dict[
            Path, tuple[tuple[int, int], int, float]
        ] = {}  # size and time, looks it stood still, since when

    def look(self, now: float) -> list[Path]:
        """Files that have become complete since the last look."""
        ready = []
        for path in pictures_in(self.folders, self.out, self.results()):
            told = _about(path)
            if told is None or self._done.get(path) == told:
                continue
            known, still, since = self._seen.get(path, (None, 0, now))
            still, since = (still + 1, since) if known == told else (0, now)
            self._seen[path] = told, still, since
            if still >= STILL and told[0] and (self._opens(path) or now - since > GIVEN_UP):
                self._done[path] = told
                del self._seen[path]
                ready.append(path)
        return ready

    def pass_over(self, paths: Iterable[str]) -> None:
        """These have had their turn, as they are now."""
        self._done |= {Path(path): told for path in paths if (told := _about(Path(path))) is not None}

    @staticmethod
    def _opens(path: Path) -> bool:
        try:
            open_picture(path)
        except DustpanError:
            return False
        return True


def _about(path: Path) -> tuple[int, int] | None:
    """Size and time of a file, by which it is told from another one of its name."""
    try:
        about = path.stat()
    except OSError:
        return None
    return about.st_size, about.st_mtime_ns


def watch_folders(
    journal: Journal,
    order: Order,
    doer: Doer,
    told: Listener,
    cancel: Cancel,
    tell: Callable[[str], None] = lambda text: None,
    every: float = EVERY,
    grown: Callable[[Items], None] = lambda items: None,
) -> None:
    """Do what comes into the folders of an order until it is called off; what is there already is done first.

    ``grown`` is told source and target of all pictures whenever there are more.
    """
    if not all(Path(s).is_dir() for s in order.sources) or not order.sources:
        raise WrongUse("Only folders can be watched.")
    out = Path(order.out)
    if journal.order is None or journal.order.key != order.key:
        journal.begin(order, [])
    tell(say("Watching {0}.", ", ".join(order.sources)))
    done = [Path(source) for n, (source, _) in enumerate(journal.items) if journal.is_done(n)]
    watcher = Watcher(list(order.sources), out, done, lambda: journal.results)
    reported = time.monotonic()
    if journal.left:
        run_batch(journal, doer, told, cancel)
    watcher.pass_over(source for source, _ in journal.items)
    while not cancel.wanted:
        ready = watcher.look(time.monotonic())
        if ready:
            items, known = list(journal.items), len(journal.items)
            held = {identity(path) for path in (*map(str, ready), *(source for source, _ in items))} - {None}
            for path in ready:
                # another picture that came in the place of an earlier one is a newer one of its name
                used = {Path(target).name for source, target in items if target and not _replaced(order, source, path)}
                items.append((str(path), str(target_of(order, path, len(items) + 1, used, held) or "")))
            journal.grow(items)
            grown(items)
            due = time.monotonic() - reported > REPORTED_EVERY
            reported = time.monotonic() if due else reported
            run_batch(journal, doer, told, cancel, only=range(known, len(items)), report=due)
        for _ in range(10):
            if cancel.wanted:
                break
            time.sleep(every / 10)
    write_report(journal)


def _replaced(order: Order, source: str, path: Path) -> bool:
    """Whether the result of an earlier picture may be written over by that of one that came in its place."""
    return order.taken is Taken.REPLACE and source == str(path)
