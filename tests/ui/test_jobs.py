"""What background work tells goes to whoever wants to hear it, and to nobody who is gone."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from threading import Event as Gate

import numpy as np
import pytest
from PyQt6 import sip
from PyQt6.QtCore import QObject
from pytestqt.qtbot import QtBot

from dustpan.core.cancel import Cancel
from dustpan.core.errors import WrongUse
from dustpan.core.files import save_picture
from dustpan.core.jobs import events as ev
from dustpan.core.open.document import Document
from dustpan.core.picture import from_array
from dustpan.ui.jobs import Jobs


class Listener(QObject):
    """Remembers what it hears."""

    def __init__(self) -> None:
        super().__init__()
        self.heard: list[object] = []

    def hear(self, event: object) -> None:
        self.heard.append(event)


@pytest.fixture
def jobs(qapp: object) -> Iterator[Jobs]:
    found = Jobs(threads=1)
    yield found
    found.stop()


@pytest.fixture
def document(tmp_path: Path, jobs: Jobs) -> Iterator[Document]:
    path = tmp_path / "grey.tif"
    save_picture(from_array(np.full((40, 60, 3), 128, np.uint8)), path)
    found = Document(path, jobs.cache)
    yield found
    found.close()


def test_an_event_goes_to_whoever_hears_its_class_until_that_is_ended(jobs: Jobs) -> None:
    one, other = Listener(), Listener()
    end = jobs.hear(ev.DemoOver, one.hear)
    jobs.hear(ev.Compiling, other.hear)
    jobs.tell(ev.DemoOver("why"))
    assert [type(e) for e in one.heard] == [ev.DemoOver]
    assert other.heard == []
    end()
    end()
    jobs.tell(ev.DemoOver("again"))
    assert len(one.heard) == 1


def test_nobody_who_is_gone_is_told_anything(jobs: Jobs) -> None:
    gone, living = Listener(), Listener()
    for listener in (gone, living):
        jobs.hear(ev.DemoOver, listener.hear)
    sip.delete(gone)
    jobs.tell(ev.DemoOver("why"))
    assert gone.heard == []
    assert len(living.heard) == 1
    del living
    jobs.tell(ev.DemoOver("again"))


def test_the_newest_question_of_a_name_calls_the_older_one_off(jobs: Jobs, document: Document, qtbot: QtBot) -> None:
    begun, listener, ended = Gate(), Listener(), []
    jobs.hear(ev.CostsFound, listener.hear)

    def slow(cancel: Cancel) -> Iterator[ev.Event]:
        begun.set()
        try:
            while True:
                cancel.pause(0.01)
        finally:
            ended.append("slow")
        yield ev.CostsFound(document, {"slow": 1.0})

    jobs.ask("costs", document, slow)
    assert begun.wait(10)
    assert jobs.asking
    jobs.ask("costs", document, lambda cancel: [ev.CostsFound(document, {"quick": 1.0})])
    qtbot.waitUntil(lambda: not jobs.asking and bool(listener.heard), timeout=10_000)
    assert ended == ["slow"]
    assert [e.seconds for e in listener.heard if isinstance(e, ev.CostsFound)] == [{"quick": 1.0}]


def test_a_question_that_fails_says_so_in_a_sentence_and_lets_the_showing_be(
    jobs: Jobs, document: Document, qtbot: QtBot
) -> None:
    listener = Listener()
    jobs.hear(ev.Failed, listener.hear)

    def bad(cancel: Cancel) -> Iterator[ev.Event]:
        raise WrongUse("This cannot be.")
        yield

    jobs.ask("bad", document, bad)
    qtbot.waitUntil(lambda: bool(listener.heard), timeout=10_000)
    (failed,) = listener.heard
    assert isinstance(failed, ev.Failed)
    assert (failed.why, failed.request) == ("This cannot be.", None)
