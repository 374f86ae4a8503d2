"""The journal of a batch, in the folder of its results: what was ordered, and what came of each picture.

One line of JSON each, flushed to the disk before anything else is begun, so that a batch that was killed at any moment
goes on where it was. Whoever writes holds a lock; a second batch into the same folder is refused.
"""

from __future__ import annotations

import fcntl
import os
import stat
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from types import TracebackType
from typing import Any, BinaryIO, Self

from dustpan.core.batch.order import OWN, Order, Taken, numbered, order_from_json
from dustpan.core.errors import FileProblem, WrongUse, os_reason
from dustpan.core.files.guard import identity
from dustpan.core.files.reading import fingerprint, parse_json
from dustpan.core.jobs.one import Outcome, State, outcome_from_json
from dustpan.core.jobs.plan import make_folder
from dustpan.core.text import as_json

NAME = f"{OWN}.journal"
FORMAT = 1
OURS = b'{"dustpan_batch"'  # how a journal begins
LINE_MOST = 64 << 20  # bytes
Items = list[tuple[str, str]]


class Journal:
    """Of one folder, held while it is open.

    Attributes
    ----------
    order, items : what was ordered, and source and target of each picture; None before anything was.
    outcomes : by number of the item, what came of it. prints : fingerprints of source and target then.
    """

    def __init__(self, folder: Path, anew: bool = False, resume: bool = False, looked_at: bool = False) -> None:
        """Open it, and make it where there is none.

        Parameters
        ----------
        anew : one that is damaged is set aside. resume : there has to be one. looked_at : nothing is changed.

        Raises
        ------
        FileProblem : the folder cannot be written, another batch is at it, or what stands there is no journal of ours.
        WrongUse : it is damaged.
        """
        if not (resume or looked_at):
            make_folder(folder)
        self.path, self.folder, self._looked_at = folder / NAME, folder, looked_at
        self.order: Order | None = None
        self.items: Items = []
        self.outcomes: dict[int, Outcome] = {}
        self.prints: dict[int, tuple[str, str]] = {}
        self._looked: dict[int, bool] = {}  # by item, whether it was found to be done; files are read once for that
        self._file = self._opened(make=not (resume or looked_at))
        try:
            self._read()
        except WrongUse:
            self.close()
            if not anew:
                raise
            self._set_aside()
            self.order, self.items, self.outcomes, self.prints, self._looked = None, [], {}, {}, {}
            self._file = self._opened(make=True)
        except BaseException:
            self.close()
            raise

    def _opened(self, make: bool) -> BinaryIO:
        """The file, locked. Links are not followed, and what is not a journal is not touched."""
        flags = os.O_RDWR | os.O_APPEND | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC | (os.O_CREAT if make else 0)
        try:
            handle = os.open(self.path, flags, 0o666)
        except FileNotFoundError:
            raise WrongUse("There is no batch in {0} to go on with.", self.folder) from None
        except OSError as error:
            if os.path.islink(self.path):
                raise FileProblem(self.path, "it is a link, and no journal of a batch; it is left as it is") from None
            raise FileProblem(self.folder, os_reason(error)) from None
        file = os.fdopen(handle, "a+b")
        try:
            about = os.fstat(handle)
            file.seek(0)
            begin = file.read(len(OURS)) if stat.S_ISREG(about.st_mode) else b"no file"
            if about.st_nlink > 1 or not OURS.startswith(begin[: len(OURS)]):
                raise FileProblem(self.path, "it is no journal of a batch; it is left as it is")
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                words = "another batch is writing into this folder; wait for it, or choose another"
                raise FileProblem(self.folder, words) from None
        except BaseException:
            file.close()
            raise
        return file

    def _set_aside(self) -> None:
        """Give a damaged journal another name."""
        free = (self.path.with_name(f"{NAME}.damaged-{k}") for k in range(1, 1_000_000))
        try:
            os.rename(self.path, next(p for p in free if not os.path.lexists(p)))
        except OSError as error:
            raise FileProblem(self.path, os_reason(error)) from None

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        self._file.close()  # which lets go of the lock

    def _read(self) -> None:
        self._file.seek(0)
        whole, good = self._file.read(), 0
        for line in whole.splitlines(keepends=True):
            if not line.endswith(b"\n"):
                break  # it was being written when the batch was killed
            try:
                self._take(parse_json(line, LINE_MOST))
            except (ValueError, KeyError, TypeError, AttributeError, IndexError, OverflowError):
                raise WrongUse("The journal of this batch is damaged; --anew sets it aside and begins again.") from None
            good += len(line)
        if good < len(whole) and not self._looked_at:
            self._file.truncate(good)

    def _take(self, said: Mapping[str, Any]) -> None:
        if "dustpan_batch" in said:
            if said["dustpan_batch"] > FORMAT:
                raise WrongUse("This batch was begun by a newer Dustpan; go on with that, or update this one.")
            self.order = order_from_json(said["order"])
            self.items = self._checked(said["items"])
            self.outcomes, self.prints, self._looked = {}, {}, {}
            return
        if "more" in said:
            self.items += self._checked(said["more"])
            return
        number = int(said["item"])
        source, _ = self.items[number]
        if "target" in said and "outcome" not in said:
            self.items[number] = self._checked([(source, said["target"])])[0]
            return
        self.outcomes[number] = outcome_from_json(said["outcome"])
        self.prints[number] = str(said["source"]), str(said["target"])

    def _checked(self, items: Any) -> Items:
        """Items whose names can be names, and whose results lie in this folder and nowhere else."""
        found = [(str(a), str(b)) for a, b in items]
        for source, target in found:
            (source + target).encode("utf-8", "surrogateescape")
            if "\0" in source + target:
                raise ValueError("a name with a zero in it")
            inside = not target or os.path.realpath(os.path.dirname(target)) == os.path.realpath(self.folder)
            if not inside or os.path.basename(target) in (".", ".."):
                raise WrongUse("A batch in {0} would write outside of it; it is left as it is.", self.folder)
        return found

    @property
    def results(self) -> frozenset[tuple[int, int]]:
        """What files are that were written here."""
        return frozenset(i for _, target in self.items if target and (i := identity(target)) is not None)

    def expects(self, number: int) -> str | None:
        """What may stand at an item's target and be written over, see `write_atomically`."""
        if self.order is not None and self.order.taken is Taken.REPLACE:
            return None
        found = self.outcomes.get(number)
        return self.prints[number][1] if found is not None and found.state is State.DONE else ""

    def retarget(self, number: int) -> None:
        """Give an item another name, because somebody has put a file at its own."""
        source, target = self.items[number]
        used = {Path(t).name for _, t in self.items}
        other = str(numbered(Path(target), used, Taken.NUMBER))
        self._write({"item": number, "target": other})
        self.items[number] = source, other
        self.outcomes.pop(number, None)
        self.prints.pop(number, None)

    def begin(self, order: Order, items: Sequence[tuple[str, str]]) -> None:
        """Order anew; what stood here before no longer counts."""
        said = {"dustpan_batch": FORMAT, "order": order.model_dump(mode="json"), "items": list(items)}
        self._write(said)
        self._take(parse_json(as_json(said), LINE_MOST))

    def grow(self, items: Sequence[tuple[str, str]]) -> None:
        """More items of the same order; what came of the first ones stays."""
        assert self.order is not None
        self._write({"more": [list(item) for item in items[len(self.items) :]]})
        self.items = [(a, b) for a, b in items]

    def written(self, outcomes: Mapping[int, Outcome], prints: Mapping[int, tuple[str, str]]) -> None:
        """What was written here for an order before, which may be written over: it is the batch's own."""
        for number, outcome in outcomes.items():
            if outcome.state is State.DONE and number < len(self.items):
                self._write({"item": number, "outcome": asdict(outcome), "source": "", "target": prints[number][1]})
                self.outcomes[number], self.prints[number] = outcome, ("", prints[number][1])

    def note(self, number: int, outcome: Outcome, source: str = "") -> None:
        """What came of an item; on the disk when this is over. ``source`` : its fingerprint while it was worked on."""
        prints = (
            source or fingerprint(outcome.source),
            fingerprint(outcome.target) if outcome.state is State.DONE else "",
        )
        self._write({"item": number, "outcome": asdict(outcome), "source": prints[0], "target": prints[1]})
        self.outcomes[number], self.prints[number] = outcome, prints
        self._looked[number] = outcome.state is State.DONE and "" not in prints

    def is_done(self, number: int) -> bool:
        """Whether an item need not be done again: its source and its result are what they were."""
        if number not in self._looked:
            found, prints = self.outcomes.get(number), self.prints.get(number, ("", ""))
            self._looked[number] = (
                found is not None
                and found.state is State.DONE
                and "" not in prints
                and (fingerprint(found.source), fingerprint(found.target)) == prints
            )
        return self._looked[number]

    def sources_of(self, order: Order | None) -> tuple[str, ...]:
        """The files and folders that an order says; where it says none, those of the batch that stands here."""
        found = order.sources if order is not None else ()
        return found or (self.order.sources if self.order is not None else ())

    @property
    def left(self) -> list[int]:
        """The items that are not done, or no longer."""
        return [n for n in range(len(self.items)) if not self.is_done(n)]

    def _write(self, said: Mapping[str, Any]) -> None:
        try:
            self._file.write(as_json(said).encode() + b"\n")
            self._file.flush()
            os.fsync(self._file.fileno())
        except OSError as error:
            raise FileProblem(self.path, "it could not be written: {0}", os_reason(error)) from None


def unfinished(folder: Path) -> tuple[int, int] | None:
    """How many pictures of an unfinished batch in a folder are left, and of how many; None where there is none.

    Raises
    ------
    FileProblem : another batch is at it.
    """
    if not os.path.lexists(folder / NAME):
        return None
    with Journal(folder, looked_at=True) as journal:
        told = [n for n in range(len(journal.items)) if n not in journal.outcomes]
        return (len(told), len(journal.items)) if told else None
