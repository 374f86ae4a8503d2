"""Running a batch: tasks are given out, and what came of each is in the journal before the next is begun."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Sequence
from concurrent.futures import FIRST_COMPLETED, Future, wait
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Protocol

from dustpan.core.batch.doers import Doer, WorkerDied
from dustpan.core.batch.journal import Journal
from dustpan.core.batch.order import Order, Taken, planned
from dustpan.core.batch.report import write_report
from dustpan.core.cancel import Cancel
from dustpan.core.errors import DustpanError, FileProblem, WrongUse
from dustpan.core.files.guard import GUARD
from dustpan.core.files.reading import fingerprint
from dustpan.core.jobs.one import Outcome, State, sentence
from dustpan.core.language import say

TRIES = 3  # of a task whose worker died
LOOK = 0.1  # s between two looks at whether it was called off or paused


class Listener(Protocol):
    """Who is told what goes on, from the thread that runs the batch."""

    def began(self, number: int) -> None: ...
    def progressed(self, number: int, done: int, total: int) -> None: ...
    def ended(self, number: int, outcome: Outcome) -> None: ...


@dataclass
class Summary:
    """How a batch ended. seconds : that this run took. done : in this run."""

    done: int = 0
    failed: int = 0
    skipped: int = 0
    left: int = 0
    seconds: float = 0.0
    report: tuple[Path, ...] = ()

    def words(self) -> str:
        parts = [say("{0} done", self.done)]
        parts += [say("{0} failed", self.failed)] if self.failed else []
        parts += [say("{0} left for you", self.skipped)] if self.skipped else []
        parts += [say("{0} not begun", self.left)] if self.left else []
        return ", ".join(parts) + "."


@dataclass
class Pause:
    """A wish that nothing new is begun; what is going on ends."""

    wanted: bool = field(default=False)


def prepare(journal: Journal, order: Order | None, resume: bool, anew: bool = False) -> list[str]:
    """Make the journal ready for an order; gives sentences about what was noticed.

    Parameters
    ----------
    order : None to go on with the one that the journal holds. resume : go on where it was. anew : forget what was.

    Raises
    ------
    WrongUse : there is nothing to go on with, or an unfinished batch would be forgotten.
    """
    if resume and journal.order is None:
        raise WrongUse("There is no batch in {0} to go on with.", journal.path.parent)
    if not resume:
        if order is None:
            raise WrongUse("Say what is to be done.")
        open_ = [n for n in range(len(journal.items)) if n not in journal.outcomes]
        if open_ and not anew:
            words = (
                "There is an unfinished batch in {0} ({1} of {2} left): go on with --resume, or forget it with --anew."
            )
            raise WrongUse(words, journal.path.parent, len(open_), len(journal.items))
        journal.begin(order, planned(order, journal.results))
        return []
    assert journal.order is not None
    if order is not None:
        _fits(order, journal.order)
    if order is not None and order.key != journal.order.key:
        merged = order.model_copy(update={"sources": journal.sources_of(order)})
        done, prints = dict(journal.outcomes), dict(journal.prints)
        journal.begin(merged, journal.items)
        journal.written(done, prints)
        return [say("The recipe has changed since: all pictures are done anew.")]
    changed = [
        Path(journal.items[n][0]).name
        for n, outcome in journal.outcomes.items()
        if outcome.state is State.DONE and not journal.is_done(n)
    ]
    if not changed:
        return []
    return [say("Changed since they were done, and done anew: {0}.", ", ".join(changed[:20]))]


def _fits(order: Order, begun: Order) -> None:
    """Refuse what a batch that was begun cannot become."""
    if order.sources and set(order.sources) != set(begun.sources):
        raise WrongUse("This batch was begun with other pictures; go on without naming any, or begin anew (--anew).")
    for name, words in (("ending", say("format")), ("name", say("names")), ("taken", say("rule for taken names"))):
        default = Order.model_fields[name].default
        if getattr(order, name) not in (default, getattr(begun, name)):
            raise WrongUse("This batch was begun with another {0}; go on without it, or begin anew (--anew).", words)


def run_batch(
    journal: Journal,
    doer: Doer,
    told: Listener,
    cancel: Cancel | None = None,
    pause: Pause | None = None,
    only: Sequence[int] | None = None,
    report: bool = True,
) -> Summary:
    """Do what is left of a journal.

    Parameters
    ----------
    only : items to do, of those that are left; all when left out. report : whether table and page are written.

    Raises
    ------
    FileProblem : the journal could not be written. What was done until then is noted.
    """
    cancel, pause = cancel or Cancel(), pause or Pause()
    began, summary = time.monotonic(), Summary()
    assert journal.order is not None
    release = GUARD.hold(*(source for source, _ in journal.items))  # no result goes over any of them
    seen: dict[int, str] = {}  # fingerprints of sources when they were begun
    wrote: dict[int, str] = {}  # and of results whose source changed meanwhile
    todo = deque(n for n in (range(len(journal.items)) if only is None else only) if not journal.is_done(n))
    flying: dict[Future[Outcome], int] = {}
    tries: dict[int, int] = {}
    try:
        while (todo or flying) and not cancel.wanted:
            while todo and len(flying) < doer.width and not pause.wanted:
                number = todo.popleft()
                source, target = journal.items[number]
                if not target:
                    taken = Outcome(source, "", State.SKIPPED, error=say("Its name is taken already."))
                    _end(journal, number, taken, told, summary, "")
                    continue
                told.began(number)
                seen[number] = fingerprint(source)
                task = replace(journal.order.task(source, target), expects=journal.expects(number))
                if number in wrote and task.expects is not None:
                    task = replace(task, expects=wrote[number])
                flying[doer.submit(task, partial(told.progressed, number))] = number
            done, _ = wait(flying, LOOK, FIRST_COMPLETED)
            if not flying:
                time.sleep(LOOK)
            for future in done:
                number = flying.pop(future)
                outcome = _outcome(future, journal.items[number])
                if outcome is None:
                    tries[number] = tries.get(number, 0) + 1
                    if tries[number] < TRIES:
                        todo.appendleft(number)
                        continue
                    words = say("its worker ended {0} times while it was at it", TRIES)
                    problem = str(FileProblem(journal.items[number][0], words))
                    outcome = Outcome(*journal.items[number], State.FAILED, error=problem)
                if outcome.taken and journal.order.taken is Taken.NUMBER:
                    journal.retarget(number)
                    todo.appendleft(number)
                    continue
                if outcome.taken:
                    outcome = replace(outcome, state=State.SKIPPED)
                if outcome.state is State.DONE and fingerprint(outcome.source) != seen[number]:
                    tries[number] = tries.get(number, 0) + 1
                    wrote[number] = fingerprint(outcome.target)
                    if tries[number] < TRIES:
                        todo.appendleft(number)
                        continue
                    problem = str(FileProblem(outcome.source, "it changed again and again while it was worked on"))
                    outcome = replace(outcome, state=State.FAILED, error=problem)
                if outcome.state is not State.CANCELLED:
                    _end(journal, number, outcome, told, summary, seen[number])
    finally:
        release()
        if flying:
            doer.call_off()
    summary.left = len(todo) + len(flying)
    summary.seconds = time.monotonic() - began
    if report and not cancel.wanted:
        summary.report = write_report(journal)
    return summary


def _end(journal: Journal, number: int, outcome: Outcome, told: Listener, summary: Summary, source: str) -> None:
    journal.note(number, outcome, source)
    summary.done += outcome.state is State.DONE
    summary.failed += outcome.state is State.FAILED
    summary.skipped += outcome.state is State.SKIPPED
    told.ended(number, outcome)


def _outcome(future: Future[Outcome], item: tuple[str, str]) -> Outcome | None:
    """What came of a task; None when its worker died."""
    try:
        return future.result()
    except WorkerDied:
        return None
    except DustpanError as error:
        return Outcome(*item, State.FAILED, error=str(error))
    except Exception as error:
        return Outcome(*item, State.FAILED, error=sentence(error, Path(item[0])))
