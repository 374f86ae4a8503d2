"""The canvas's geometry: what is under the pointer stays there, nothing leaves the picture."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt
from pytestqt.qtbot import QtBot

from dustpan.core.judge.probes import Probe, Role
from dustpan.core.open.pyramid import Pyramid
from dustpan.core.picture import from_array
from dustpan.ui.bench.canvas import LARGEST, Canvas
from dustpan.ui.bench.panes import Arrangement
from dustpan.ui.bench.tools import ProbesTool


@pytest.fixture
def canvas(qtbot: QtBot) -> Canvas:
    c = Canvas()
    qtbot.addWidget(c)
    c.resize(600, 400)
    c.show()
    display = Pyramid((900, 1500))
    display.fill(from_array(np.random.default_rng(1).random((900, 1500, 3)).astype(np.float32)))
    c.show_displays(display, display.copy(), (900, 1500))
    return c


@settings(max_examples=40)
@given(st.floats(0.5, 8), st.floats(200, 1300), st.floats(150, 750), st.integers(0, 599), st.integers(0, 399))
def test_zooming_keeps_the_place_under_the_pointer(
    canvas: Canvas, zoom: float, cx: float, cy: float, x: int, y: int
) -> None:
    canvas.go_to(450, 750, 1.0)
    at = QPointF(x, y)
    before = canvas.to_picture(at)
    canvas.set_zoom(zoom, at)
    after = canvas.to_picture(at)
    if zoom >= 1:  # farther out the picture's edge may push it
        assert abs(after.x() - before.x()) <= 1 / zoom + 0.51
        assert abs(after.y() - before.y()) <= 1 / zoom + 0.51


@settings(max_examples=40)
@given(st.floats(0.05, 8), st.floats(-5000, 5000), st.floats(-5000, 5000), st.sampled_from(list(Arrangement)))
def test_the_view_never_leaves_the_picture(canvas: Canvas, zoom: float, x: float, y: float, view: Arrangement) -> None:
    canvas.set_view(view)
    canvas.go_to(y, x, zoom)
    v = canvas.visible_region()
    assert 0 <= v.y0 < v.y1 <= 900
    assert 0 <= v.x0 < v.x1 <= 1500
    assert canvas.zoom <= LARGEST


def test_panes_share_the_canvas(canvas: Canvas) -> None:
    canvas.set_view(Arrangement.PAIR)
    left, right = canvas.panes()
    assert (left.other, right.other) == (True, False)
    assert left.clip.right() < right.clip.left()
    canvas.go_to(450, 750, 2.0)
    a = canvas.to_picture(QPointF(100, 200))
    b = canvas.to_picture(QPointF(100 + right.clip.left(), 200))
    assert (a.x(), a.y()) == pytest.approx((b.x(), b.y()), abs=1.1)


def test_arrow_keys_pan_and_a_double_click_fits_and_returns(canvas: Canvas, qtbot: QtBot) -> None:
    canvas.go_to(450, 750, 2.0)
    qtbot.keyClick(canvas, Qt.Key.Key_Right)
    assert canvas.centre.x() == 790
    qtbot.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(300, 200))
    assert canvas.fitting
    qtbot.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(300, 200))
    assert canvas.zoom == 1.0


def test_a_probe_is_held_by_its_frame_and_not_by_its_middle(canvas: Canvas, qtbot: QtBot) -> None:
    tool = ProbesTool()
    tool.probes = (Probe(Role.OWN, 450, 750),)
    canvas.tools.insert(0, tool)
    canvas.go_to(450, 750, 4.0)
    moved: list[tuple] = []
    tool.moved.connect(lambda *place: moved.append(place))
    middle = canvas.centre
    for inside in (True, False):
        frame = tool.frame(canvas, tool.probes[0], canvas.panes()[0])
        start = frame.center().toPoint() if inside else frame.topLeft().toPoint() + QPoint(2, 100)
        qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
        for step in (10, 20, 30):
            qtbot.mouseMove(canvas, start + QPoint(step, 0))
        qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=start + QPoint(30, 0))
        assert bool(moved) is not inside
    assert canvas.centre != middle  # the first drag panned
