"""The order in which a picture on screen is worked off, without a window."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled
from dustpan.core.files import save_picture
from dustpan.core.jobs import events as ev
from dustpan.core.jobs.lanes import Lane
from dustpan.core.jobs.request import Request
from dustpan.core.jobs.show import ALIKE, Show
from dustpan.core.look import look_at
from dustpan.core.looks.channels import LUMINANCE, RED
from dustpan.core.open.document import Document
from dustpan.core.open.exact import Exact
from dustpan.core.open.pyramid import Pyramid
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.screen import packed
from dustpan.core.sweep import Sweep, make_step
from tests.scenes import desk, noisy_b

pytestmark = pytest.mark.slow

NOISE = Sweep((make_step("noise", {"quality": "quick"}),))
SIZE = (288, 400)
WHOLE = Region(0, 0, *SIZE)


class Screen:
    """Paints what it is told, and remembers in which order it came."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.said: list[str] = []
        self.sides = {False: document.after, True: document.before}
        self.exact = {side: exact.copy() for side, exact in document.exact.items()}
        self.apart: list[float | None] = []
        self.probes: dict[int, ev.ProbeView] = {}
        self.first = True
        self.stop_at, self.cancel = "", Cancel()

    def hear(self, event: ev.Event) -> None:
        said = self._words(event)
        self.said.append(said)
        if said == self.stop_at:
            self.cancel.set()

    def _words(self, event: ev.Event) -> str:
        match event:
            case ev.Pixels():
                self.sides[event.other].put(event.region, event.words)
                if event.exact:
                    self.exact[event.other].mark(event.region)
                said = "other side" if event.other else "view" if self.first else "tiles"
                self.first = self.first and not event.exact
                return said if event.exact else "draft"
            case ev.ReducedPixels():
                self.sides[event.other].put_reduced(event.level, event.region, event.words, event.level)
                self.exact[event.other].forget(Region(*(v << event.level for v in event.region)))
                return "reduced other side" if event.other else "reduced"
            case ev.ProbeSeen():
                self.probes[event.number] = event.view
                return "probe" if event.view.figures else "drafted probe"
            case ev.Seen():
                self.apart.append(event.apart)
        return SAID[type(event)]

    @property
    def order(self) -> list[str]:
        """What was said, each once, in the order in which it was first said."""
        return list(dict.fromkeys(self.said))


SAID = {
    ev.Measured: "print", ev.Placed: "places", ev.Drafted: "drafted", ev.Seen: "seen", ev.Progressed: "progress",
    ev.Judged: "verdict", ev.Warned: "warnings", ev.Done: "done", ev.Found: "hits",
}  # fmt: skip


@pytest.fixture
def document(tmp_path: Path) -> Iterator[Document]:
    path = tmp_path / "lamp.tif"
    save_picture(from_array(np.rint(65535 * noisy_b(desk())[1]).astype(np.uint16)), path)
    d = Document(path, Cache())
    yield d
    d.close()


@pytest.fixture
def judging() -> Iterator[Lane]:
    lane = Lane("judge")
    yield lane
    lane.stop()


def show(document: Document, request: Request, judging: Lane, stop_at: str = "") -> Screen:
    screen = Screen(document)
    screen.stop_at = stop_at
    for other, exact in screen.exact.items():
        exact.begin(request.what(other))
    request = replace(request, step=document.before.step, seen={k: e.copy() for k, e in screen.exact.items()})
    try:
        Show(document, request, screen.hear, screen.cancel, judging).run()
    except Cancelled:
        screen.said.append("called off")
    for other, exact in screen.exact.items():
        document.exact[other] = exact
    return screen


def words(document: Document, sweep: Sweep) -> np.ndarray:
    return packed(document.renderer.render(sweep), None)


def test_a_view_comes_before_the_probes_these_before_the_verdict_and_the_rest_last(
    document: Document, judging: Lane
) -> None:
    screen = show(document, Request(NOISE, visible=Region(50, 60, 150, 200)), judging)
    assert screen.order == [
        "print", "draft", "drafted", "view", "seen", "places", "probe", "verdict", "tiles", "progress", "done",
        "warnings",
    ]  # fmt: skip
    assert np.array_equal(document.after.levels[0], words(document, NOISE))
    assert screen.exact[False].complete
    assert screen.apart == [None, None]
    assert set(screen.probes) == set(range(len(document.probes or ())))


def test_of_a_wide_view_the_probes_and_the_verdict_come_first_and_it_is_said_how_far_it_is_from_exact(
    document: Document, judging: Lane, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("dustpan.core.jobs.show.AT_ONCE_MOST", 1000)
    screen = show(document, Request(NOISE, visible=WHOLE, level=1), judging)
    assert screen.order == [
        "print", "reduced", "drafted", "places", "probe", "verdict", "seen", "warnings", "view", "tiles", "progress",
        "done",
    ]  # fmt: skip
    assert screen.said.count("reduced") == 2
    assert screen.apart == [0.0, None]  # a picture of this size was judged, and so computed, as a whole
    assert np.array_equal(document.after.levels[0], words(document, NOISE))


def test_a_quiet_picture_looks_exact_at_its_size_at_once(
    tmp_path: Path, judging: Lane, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("dustpan.core.jobs.show.AT_ONCE_MOST", 1000)
    quiet = desk() + np.random.default_rng(1).normal(0, 4 / 255, (*SIZE, 3))
    path = tmp_path / "quiet.tif"
    save_picture(from_array(np.rint(65535 * np.clip(quiet, 0, 1)).astype(np.uint16)), path)
    document = Document(path, Cache())
    screen = show(document, Request(NOISE, visible=WHOLE, level=2), judging, stop_at="seen")
    assert screen.apart[0] is not None
    assert screen.apart[0] <= ALIKE
    document.close()


def test_after_the_view_has_moved_only_what_came_into_it_is_computed(document: Document, judging: Lane) -> None:
    show(document, Request(NOISE, visible=Region(0, 0, 160, 160)), judging, stop_at="seen")
    seen = document.exact[False]
    assert seen.missing(Region(0, 0, 160, 160)) is None
    assert seen.missing(Region(0, 0, 160, 320)) == Region(0, 160, 160, 320)
    screen = Screen(document)
    told: list[Region] = []

    def hear(event: ev.Event) -> None:
        if isinstance(event, ev.Pixels):
            told.append(event.region)
        screen.hear(event)

    request = Request(NOISE, visible=Region(0, 100, 160, 260), seen={False: seen.copy()}, step=1)
    screen.stop_at = "seen"
    with pytest.raises(Cancelled):
        Show(document, request, hear, screen.cancel, judging).run()
    assert set(told) == {Region(0, 160, 160, 272)}


def test_what_is_known_is_not_done_again(document: Document, judging: Lane) -> None:
    show(document, Request(NOISE, visible=WHOLE), judging)
    again = show(document, Request(NOISE, visible=Region(10, 10, 90, 90)), judging)
    assert again.order == ["seen", "verdict", "done", "warnings"]


def test_the_other_side_comes_with_the_view_where_it_is_on_screen(document: Document, judging: Lane) -> None:
    weak = Sweep((make_step("noise", {"quality": "quick", "luminance": 0.3}),))
    request = Request(NOISE, weak, look_at(LUMINANCE), Region(0, 0, 100, 100), both=True)
    screen = show(document, request, judging)
    assert screen.order.index("other side") < screen.order.index("places")
    expected = look_at(LUMINANCE).view(document.picture.pixels, document.renderer.render(weak))
    assert np.array_equal(document.before.levels[0], packed(expected, None))


@pytest.mark.parametrize("stop_at", ["print", "drafted", "view", "probe", "verdict", "tiles"])
def test_it_can_be_called_off_anywhere_and_goes_on_from_there(document: Document, judging: Lane, stop_at: str) -> None:
    request = Request(NOISE, visible=Region(50, 60, 150, 200))
    first = show(document, request, judging, stop_at)
    assert first.said[-1] == "called off"
    assert first.said.count(stop_at) == 1
    assert first.said.index(stop_at) >= len(first.said) - 3  # it is noticed at once
    second = show(document, request, judging)
    assert "done" in second.said
    for known in ("print", "verdict"):
        assert (known in first.said[:-2]) <= (known not in second.said or known == "verdict")
    assert np.array_equal(document.after.levels[0], words(document, NOISE))


def test_another_look_begins_anew(document: Document, judging: Lane) -> None:
    show(document, Request(NOISE, visible=WHOLE), judging)
    show(document, Request(NOISE, look=look_at(RED), visible=WHOLE), judging)
    expected = look_at(RED).view(document.picture.pixels, document.renderer.render(NOISE))
    assert np.array_equal(document.after.levels[0], packed(expected, None))


def test_a_fault_while_judging_is_not_lost(document: Document, judging: Lane, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dustpan.core.jobs.show.judge_sweep", lambda *a: 1 / 0)
    with pytest.raises(ZeroDivisionError):
        show(document, Request(NOISE, visible=Region(50, 60, 150, 200)), judging)


def test_a_pyramid_and_a_map_of_what_is_exact_fit_each_other(document: Document) -> None:
    assert isinstance(document.after, Pyramid)
    for exact in document.exact.values():
        assert isinstance(exact, Exact)
        assert exact.side % document.before.step == 0
