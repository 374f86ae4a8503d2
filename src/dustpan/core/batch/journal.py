"""The journal of a batch, in the folder of its results: what was ordered, and what came of each picture.

One line of JSON each, flushed to the disk before anything else is begun, so that a batch that was killed at any moment
goes on where it was. Whoever writes holds a lock; a second batch into the same folder is refused.
"""

from __future__ import annotations

import fcntl
import json
import os
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import xxhash

from dustpan.core.batch.order import OWN, Order, order_from_json
from dustpan.core.errors import FileProblem, WrongUse, os_reason
from dustpan.core.jobs.one import Outcome, State
from dustpan.core.jobs.plan import make_folder
from dustpan.core.text import as_json

NAME = f"{OWN}.journal"
FORMAT = 1
AT_A_TIME = 1 << 22  # bytes
Items = list[tuple[str, str]]


def fingerprint(path: str | Path) -> str:
    """What a file holds, as a short name; empty for none that can be read."""
    digest = xxhash.xxh3_128()
    try:
        with open(path, "rb") as file:
            while part := file.read(AT_A_TIME):
                digest.update(part)
    except OSError:
        return ""
    return digest.hexdigest()


class Journal:
    """Of one folder, held while it is open.

    Attributes
    ----------
    order, items : what was ordered, and source and target of each picture; None before anything was.
    outcomes : by number of the item, what came of it. prints : fingerprints of source and target then.
    """

    def __init__(self, folder: Path) -> None:
        """Raises `FileProblem` where the folder cannot be written, or another batch is at it."""
        make_folder(folder)
        self.path = folder / NAME
        self.order: Order | None = None
        self.items: Items = []
        self.outcomes: dict[int, Outcome] = {}
        self.prints: dict[int, tuple[str, str]] = {}
        self._looked: dict[int, bool] = {}  # by item, whether it was found to be done; files are read once for that
        try:
            self._file = open(self.path, "a+b")  # noqa: SIM115 - held as long as the batch
        except OSError as error:
            raise FileProblem(folder, os_reason(error)) from None
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._file.close()
            raise FileProblem(
                folder, "another batch is writing into this folder; wait for it, or choose another"
            ) from None
        try:
            self._read()
        except BaseException:
            self.close()
            raise

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
                self._take(json.loads(line))
            except (ValueError, KeyError, TypeError, AttributeError):
                raise WrongUse("The journal of this batch is damaged.") from None
            good += len(line)
        if good < len(whole):
            self._file.truncate(good)

    def _take(self, said: Mapping[str, Any]) -> None:
        if "dustpan_batch" in said:
            if said["dustpan_batch"] > FORMAT:
                raise WrongUse("This batch was begun by a newer Dustpan; go on with that, or update this one.")
            self.order = order_from_json(said["order"])
            self.items = [(str(a), str(b)) for a, b in said["items"]]
            self.outcomes, self.prints, self._looked = {}, {}, {}
            return
        if "more" in said:
            self.items += [(str(a), str(b)) for a, b in said["more"]]
            return
        number, raw = int(said["item"]), dict(said["outcome"])
        raw = raw | {"state": State(raw["state"]), "notices": tuple(raw["notices"]), "crops": tuple(raw["crops"])}
        self.outcomes[number] = Outcome(**raw)
        self.prints[number] = str(said["source"]), str(said["target"])

    def begin(self, order: Order, items: Sequence[tuple[str, str]]) -> None:
        """Order anew; what stood here before no longer counts."""
        said = {"dustpan_batch": FORMAT, "order": order.model_dump(mode="json"), "items": list(items)}
        self._write(said)
        self._take(json.loads(as_json(said)))

    def grow(self, items: Sequence[tuple[str, str]]) -> None:
        """More items of the same order; what came of the first ones stays."""
        assert self.order is not None
        self._write({"more": [list(item) for item in items[len(self.items) :]]})
        self.items = [(a, b) for a, b in items]

    def note(self, number: int, outcome: Outcome) -> None:
        """What came of an item; on the disk when this is over."""
        prints = fingerprint(outcome.source), fingerprint(outcome.target) if outcome.state is State.DONE else ""
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
    if not (folder / NAME).is_file():
        return None
    with Journal(folder) as journal:
        told = [n for n in range(len(journal.items)) if n not in journal.outcomes]
        return (len(told), len(journal.items)) if told else None
