from __future__ import annotations

import threading

from dustpan.core.cancel import Cancel
from dustpan.core.jobs.lanes import Lane


def test_the_newest_wish_wins() -> None:
    lane, begun, done = Lane("test"), threading.Event(), []

    def endless(cancel: Cancel) -> None:
        begun.set()
        while not cancel.wanted:
            pass
        done.append("called off")

    lane.wish(endless)
    assert begun.wait(20)
    for n in range(5):
        lane.wish(lambda cancel, n=n: done.append(n))
    last = lane.add(lambda cancel: done.append("after"))
    assert last is not None
    last.result(20)
    assert done[0] == "called off"
    assert done[-2:] == [4, "after"]
    lane.stop()


def test_what_is_called_off_before_it_began_never_begins() -> None:
    lane, go_on, done = Lane("test"), threading.Event(), []
    lane.add(lambda cancel: go_on.wait(20) and None)
    flag = Cancel()
    waiting = lane.add(lambda cancel: done.append(1), flag)
    flag.set()
    go_on.set()
    assert waiting is not None
    waiting.result(20)
    assert done == []
    lane.stop()


def test_after_the_stop_nothing_is_begun() -> None:
    lane, done = Lane("test"), []
    lane.stop()
    lane.wish(lambda cancel: done.append(1))
    assert lane.add(lambda cancel: done.append(2)) is None
    assert done == []


def test_calling_off_does_not_touch_what_comes_later() -> None:
    lane, done = Lane("test"), []
    lane.call_off()
    lane.wish(lambda cancel: done.append(cancel.wanted))
    last = lane.add(lambda cancel: None)
    assert last is not None
    last.result(20)
    assert done == [False]
    lane.stop()
