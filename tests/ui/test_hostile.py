"""What an attack found in the window: work and originals stay, and text from files stays text."""

from __future__ import annotations

import errno
import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QLabel, QWidget
from pytestqt.qtbot import QtBot

from dustpan.core.files import exif as ex
from dustpan.core.files import open_picture, save_picture
from dustpan.core.jobs import events as ev
from dustpan.core.picture import Metadata, from_array
from dustpan.core.sweep import beside, make_step
from dustpan.ui import safety
from dustpan.ui.dialogs.preferences import load_preferences
from dustpan.ui.faults import FaultHook
from tests.core.files.make import exif_block
from tests.ui.conftest import Bench
from tests.ui.test_window import CTRL, begin_export, export

pytestmark = pytest.mark.slow
SHIFT = Qt.KeyboardModifier.ShiftModifier
MARKUP = '<img src="/etc/passwd"><b>x'


# ---------------------------------------------------------------- paths and text of any kind


@pytest.fixture
def odd(tmp_path: Path, noisy: np.ndarray) -> Path:
    """A name that is legal and no UTF-8, with a newline and markup in it."""
    path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/m\xff\n<i>&.tif"))
    plain_path = tmp_path / "plain.tif"
    save_picture(from_array(np.rint(noisy[:160, :200] * 255).astype(np.uint8)), plain_path)
    os.rename(plain_path, path)
    return path


def test_a_picture_of_any_legal_name_works_to_the_end(bench: Bench, odd: Path, tmp_path: Path) -> None:
    bench.window.preferences.taught = False
    bench.open(odd)
    w = bench.window
    assert "m\\udcff\\n<i>&.tif" in w.windowTitle()
    bench.type_value("luminance", "0.4")
    w.files.keep_safe()
    assert len(list(safety.safety_folder().glob("*.sweep.json"))) == 1
    bench.key(Qt.Key.Key_S, CTRL)
    assert json.loads(beside(odd).read_text("utf-8"))["steps"][0]["params"]["luminance"] == 0.4
    bench.wait()
    bench.click(w.bench.top.next) if w.bench.top.next.isVisible() else w.export_and_next()
    bench.bot.waitUntil(lambda: any("clean" in p.name for p in tmp_path.iterdir()), timeout=30_000)
    bench.wait()
    from dustpan.ui.dialogs.preferences import save_preferences

    save_preferences(w.preferences)
    assert load_preferences().recent[0] == str(odd)
    bench.key(Qt.Key.Key_W, CTRL)
    bench.open(odd)
    assert w.document is not None
    assert w.document.sweep.steps[0].params.luminance == 0.4


def test_a_sweep_with_what_is_no_letter_is_shown_and_saved_again(bench: Bench, lamp: Path) -> None:
    raw = {"step": "moon\ud800dust", "craters": ["\ud800", MARKUP]}
    beside(lamp).write_text(json.dumps({"dustpan_sweep": 1, "steps": [raw, make_step("noise").as_json()]}))
    bench.open(lamp)
    bench.click(bench.window.bench.sweep_line.chips[0])
    bench.type_value("luminance", "0.5") if "luminance" in bench.window.bench.tray.rows else None
    bench.window.bench.editing.choose(1)
    bench.type_value("luminance", "0.5")
    bench.key(Qt.Key.Key_S, CTRL)
    saved = json.loads(beside(lamp).read_text("utf-8"))
    assert saved["steps"][0] == raw
    assert saved["steps"][1]["params"]["luminance"] == 0.5


def widgets(app: QApplication) -> list[QWidget]:
    return [w for top in app.topLevelWidgets() for w in (top, *top.findChildren(QWidget))]


def test_text_from_files_is_never_taken_for_markup(
    bench: Bench, tmp_path: Path, noisy: np.ndarray, qapp: QApplication
) -> None:
    """All labels, tooltips and menus of the window, with markup wherever a file could have put some."""
    model = ex.Entry(2, len(MARKUP) + 1, MARKUP.encode() + b"\0")
    exif = ex.parse(exif_block())
    block = ex.build(ex.Exif(exif.order, {**exif.main, ex.MODEL: model}, exif.photo))
    path = tmp_path / "<b>lamp<img src=x>.tif"
    picture = from_array(np.rint(noisy[:160, :200] * 255).astype(np.uint8))
    from dataclasses import replace

    save_picture(replace(picture, metadata=Metadata(exif=block)), path)
    raw = {"step": MARKUP, "why": MARKUP}
    beside(path).write_text(json.dumps({"dustpan_sweep": 1, "steps": [raw, make_step("noise").as_json()]}))
    bench.open(path)
    w = bench.window
    w.bench.editing.choose(0)
    seen = []
    for chosen in (0, 1, -1):
        w.bench.editing.choose(chosen)
        w.bench.notice.tell(MARKUP)
        w.export()
        w.export_dialog.note.setText(MARKUP)
        w.show_pictures()
        for widget in widgets(qapp):
            if isinstance(widget, QLabel) and "<img" in widget.text():
                seen.append(widget)
                assert widget.textFormat() is Qt.TextFormat.PlainText, widget.text()
            assert "<img" not in widget.toolTip(), widget.toolTip()
        w.popup.hide()
        w.export_dialog.reject()
    assert len(seen) > 4
    assert "&lt;img" in w.bench.tray.scales.text()
    for action in (*w.menus.recent_menu.actions(), *w.menus._picture_actions):
        assert "<img" not in action.toolTip()


# ---------------------------------------------------------------- faults of our own


def test_a_fault_in_a_slot_is_told_and_keeps_the_work(
    bench: Bench, lamp: Path, caplog: pytest.LogCaptureFixture
) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "0.4")
    w = bench.window
    hook = FaultHook(w.files.keep_safe, w)
    hook.told.connect(w.bench.notice.tell)
    try:
        raise KeyError("unforeseen")
    except KeyError as error:
        hook.caught(type(error), error, error.__traceback__)
    assert "KeyError" in w.bench.notice.text.text()
    assert "your work is not lost" in w.bench.notice.text.text()
    assert "unforeseen" in caplog.text
    assert len(list(safety.safety_folder().glob("*.sweep.json"))) == 1


FAULTY = """
import sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from dustpan.ui import app, safety
from dustpan.ui.window import Window
safety.safety_folder = lambda: Path(sys.argv[2])
def go():
    window = next(w for w in app.QApplication.topLevelWidgets() if isinstance(w, Window))
    if window.document is None:
        return QTimer.singleShot(50, go)
    window.bench.editing.set_values({"luminance": 0.3}, False)
    QTimer.singleShot(0, fault)
def fault():
    QTimer.singleShot(200, end)
    raise RuntimeError("in a slot")
def end():
    window = next(w for w in app.QApplication.topLevelWidgets() if isinstance(w, Window))
    print(window.bench.notice.text.text(), len(list(safety.safety_folder().glob("*.sweep.json"))), flush=True)
    window.document.history.mark_saved()
    window.close()
made = app.make_app
def make_app():
    ready = made()
    QTimer.singleShot(50, go)
    return ready
app.make_app = make_app
sys.exit(app.run([Path(sys.argv[1])]))
"""


def test_the_running_application_outlives_a_fault(lamp: Path, tmp_path: Path) -> None:
    run = subprocess.run(
        [sys.executable, "-c", FAULTY, str(lamp), str(tmp_path / "unsaved")],
        capture_output=True, text=True, timeout=120, check=False,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen", "DUSTPAN_CONFIG": str(tmp_path)},
    )  # fmt: skip
    assert run.returncode == 0, run.stderr
    assert "RuntimeError" in run.stdout
    assert run.stdout.strip().endswith(" 1")


def test_what_arrives_after_closing_is_let_go(bench: Bench, lamp: Path) -> None:
    bench.window.open_files([lamp])
    assert bench.window.close()
    bench.window.jobs.tell(ev.DemoMade(lamp))
    bench.bot.wait(50)
    assert bench.window.files.documents == []


STAGES = (ev.Opened, ev.Measured, ev.Drafted, ev.Placed, ev.ProbeSeen, ev.Pixels, ev.Judged, ev.Done)


@pytest.mark.slow
@pytest.mark.parametrize("stage", STAGES)
def test_a_bench_is_rebuilt_at_every_stage_of_an_opening(bench: Bench, lamp: Path, stage: type) -> None:
    """What the old one still waited for arrives at the new one, and nowhere else."""
    window, rebuilt = bench.window, []

    def rebuild(event: object) -> None:
        if not rebuilt:
            rebuilt.append(window.bench)
            window.rebuild()

    window.jobs.hear(stage, rebuild)
    window.open_files([lamp])
    bench.bot.waitUntil(lambda: bool(rebuilt), timeout=60_000)
    bench.wait()
    assert window.bench is not rebuilt[0]
    bench.bot.waitUntil(lambda: window.bench.bottom.state.text() == "exact", timeout=60_000)
    assert window.document.verdict is not None


@pytest.mark.slow
@pytest.mark.parametrize("stage", STAGES)
def test_a_window_is_closed_at_every_stage_of_an_opening(bench: Bench, lamp: Path, stage: type) -> None:
    window, closed = bench.window, []
    window.jobs.hear(stage, lambda event: closed or closed.append(window.close()))
    window.open_files([lamp])
    bench.bot.waitUntil(lambda: bool(closed), timeout=60_000)
    bench.bot.wait(50)  # what is on its way arrives at nobody
    assert closed == [True]


def test_a_picture_that_is_on_its_way_is_opened_once(bench: Bench, lamp: Path) -> None:
    """The helper tells demo pictures that are being opened already."""
    files = bench.window.files
    files.making_demo = True
    bench.window.open_files([lamp])
    bench.window.jobs.tell(ev.DemoMade(lamp))
    bench.wait()
    bench.window.jobs.tell(ev.DemoMade(lamp))
    bench.wait()
    assert [d.path for d in files.documents] == [lamp]


# ---------------------------------------------------------------- kept work


def test_another_sessions_work_is_never_removed_and_is_offered_once_its_lock_is_free(
    bench: Bench, lamp: Path, tmp_path: Path
) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "0.35")
    bench.window.files.keep_safe()
    folder = safety.safety_folder()
    (kept,) = folder.glob("*.sweep.json")
    assert (folder / f"{safety.SESSION.name}.lock").exists()
    hold = (
        "import fcntl,sys,time\nf=open(sys.argv[1],'wb')\nfcntl.flock(f,fcntl.LOCK_EX)\n"
        "print('held',flush=True)\ntime.sleep(60)"
    )
    other = subprocess.Popen(
        [sys.executable, "-c", hold, str(folder / "otherone.lock")], stdout=subprocess.PIPE, text=True
    )
    assert other.stdout is not None
    other.stdout.readline()
    theirs = folder / kept.name.replace(safety.SESSION.name, "otherone")
    theirs.write_bytes(kept.read_bytes())
    safety._picture_file(theirs).write_bytes(os.fsencode(tmp_path / "theirs.tif"))
    try:
        assert safety.left_by_crashes() == []
        safety.drop(theirs)
        assert theirs.exists()
    finally:
        other.kill()
        other.communicate()
    assert [w.file for w in safety.left_by_crashes()] == [theirs]


def test_what_cannot_be_read_is_set_aside(bench: Bench) -> None:
    folder = safety.safety_folder()
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "gone-aa.sweep.json").write_text("{")
    (folder / "gone-aa.picture").write_text("/nowhere/lamp.tif")
    assert safety.left_by_crashes() == []
    assert (folder / safety.ASIDE / "gone-aa.sweep.json").read_text() == "{"
    assert safety.left_by_crashes() == []


# ---------------------------------------------------------------- saving over what somebody else wrote


def test_the_first_save_sets_a_sweep_aside_that_could_not_be_read(bench: Bench, lamp: Path) -> None:
    newer = '{"dustpan_sweep": 99, "steps": []}'
    beside(lamp).write_text(newer)
    bench.open(lamp)
    bench.type_value("luminance", "0.3")
    bench.key(Qt.Key.Key_S, CTRL)
    aside = beside(lamp).with_name(beside(lamp).name + ".old-1")
    assert aside.read_text() == newer
    assert aside.name in bench.window.bench.notice.text.text()
    assert json.loads(beside(lamp).read_text())["steps"][0]["params"]["luminance"] == 0.3
    bench.type_value("luminance", "0.2")
    bench.key(Qt.Key.Key_S, CTRL)
    assert not aside.with_name(beside(lamp).name + ".old-2").exists()


@pytest.mark.parametrize("button", ["Keep both", "Write over it", "Cancel"])
def test_a_sweep_that_another_window_saved_is_not_thrown_away_unasked(
    bench: Bench, lamp: Path, answer: Callable, button: str
) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "0.3")
    bench.key(Qt.Key.Key_S, CTRL)
    theirs = json.dumps({"dustpan_sweep": 1, "steps": []})
    beside(lamp).write_text(theirs)
    bench.type_value("luminance", "0.2")
    asked = answer(button)
    bench.key(Qt.Key.Key_S, CTRL)
    assert "has been changed by another window" in asked[0]
    mine = json.loads(beside(lamp).read_text())["steps"]
    aside = beside(lamp).with_name(beside(lamp).name + ".old-1")
    assert (mine != []) is (button != "Cancel")
    assert aside.exists() is (button == "Keep both")
    assert bench.window.document.history.dirty is (button == "Cancel")


def test_a_sweep_that_is_gone_or_was_set_aside_in_vain_is_not_asked_about(
    bench: Bench, lamp: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_S, CTRL)
    beside(lamp).unlink()
    assert not bench.window.document.saved.changed
    bench.key(Qt.Key.Key_S, CTRL)
    assert beside(lamp).exists()
    bench.window.document.saved.set_aside()
    with monkeypatch.context() as full:
        full.setattr("dustpan.core.files.atomic.os.fsync", lambda _file: _disk_full())
        assert not bench.window.files.save()
    assert not bench.window.document.saved.changed
    assert bench.window.files.save()


def _disk_full() -> None:
    raise OSError(errno.ENOSPC, "full")


# ---------------------------------------------------------------- exporting over what is there


@pytest.mark.parametrize("button", ["Replace", "Cancel"])
def test_export_asks_before_it_replaces(bench: Bench, lamp: Path, answer: Callable, button: str) -> None:
    target = lamp.with_name("lamp-clean.tif")
    target.write_bytes(b"precious")
    bench.open(lamp)
    for begin in (bench.window.export_and_next, lambda: export_dialog(bench, target)):
        target.write_bytes(b"precious")
        asked = answer(button)
        begin()
        assert asked == ["There is already a file lamp-clean.tif."]
        if button == "Replace":
            bench.bot.waitUntil(lambda: target.read_bytes() != b"precious", timeout=30_000)
        else:
            assert target.read_bytes() == b"precious"


def export_dialog(bench: Bench, target: Path) -> None:
    bench.window.export()
    export(bench, target)
    if bench.window.export_dialog.isVisible():
        bench.window.export_dialog.reject()


def test_the_file_of_an_open_picture_is_never_written_over(
    bench: Bench, lamp: Path, answer: Callable, noisy: np.ndarray
) -> None:
    other = lamp.with_name("lamp-clean.tif")
    save_picture(from_array(np.rint(noisy[:100, :120] * 255).astype(np.uint8)), other)
    bench.open(lamp, other)
    bench.bot.waitUntil(lambda: len(bench.window.files.documents) == 2, timeout=20_000)
    before = other.read_bytes()
    asked = answer("Back")
    bench.window.export_and_next()
    assert "is the file of an open picture" in asked[0]
    bench.wait()
    assert other.read_bytes() == before


def test_esc_in_the_export_dialog_cancels_and_says_so(bench: Bench, lamp: Path, tmp_path: Path) -> None:
    dialog = begin_export(bench, lamp, tmp_path / "out.tif")
    bench.bot.keyClick(dialog, Qt.Key.Key_Escape)
    assert dialog.isVisible()
    bench.bot.waitUntil(lambda: not dialog.working, timeout=30_000)
    written = (tmp_path / "out.tif").exists()
    assert ("nothing was written" in dialog.note.text()) is not written
    if not written:
        bench.click(dialog.start_button)
        bench.bot.waitUntil(lambda: (tmp_path / "out.tif").exists() and not dialog.working, timeout=30_000)
    bench.wait()


# ---------------------------------------------------------------- handing back


def test_only_the_picture_that_was_handed_over_goes_back_and_the_others_are_asked_about(
    qtbot: QtBot, qapp: QApplication, lamp: Path, tmp_path: Path, noisy: np.ndarray, answer: Callable
) -> None:
    other = tmp_path / "other.tif"
    save_picture(from_array(np.rint(noisy[:100, :120] * 255).astype(np.uint8)), other)
    bench = Bench(qtbot, tmp_path / "back.tif")
    w = bench.window
    w.open_files([lamp], handed_over=True)
    bench.bot.waitUntil(lambda: w.document is not None, timeout=20_000)
    w.open_files([other])
    bench.bot.waitUntil(lambda: len(w.files.documents) == 2, timeout=20_000)
    w.files.show_number(1)
    bench.wait()
    bench.type_value("luminance", "0.3")
    asked = answer("Cancel")
    bench.click(w.bench.top.hand_back)
    bench.bot.waitUntil(lambda: w.handed_back and bool(asked), timeout=30_000)
    assert asked == ["The sweep of other.tif has not been saved."]
    assert w.isVisible()
    assert open_picture(tmp_path / "back.tif").size == (288, 400)
    w.files.documents[1].history.mark_saved()
    w.close()
    QTimer.singleShot(0, w.deleteLater)


def test_what_is_changed_while_it_is_handed_back_is_asked_about(
    qtbot: QtBot, lamp: Path, tmp_path: Path, answer: Callable
) -> None:
    bench = Bench(qtbot, tmp_path / "back.tif")
    w = bench.window
    w.open_files([lamp], handed_over=True)
    bench.bot.waitUntil(lambda: w.document is not None, timeout=20_000)
    bench.wait()
    asked = answer("Cancel")
    w.hand_back()
    w.bench.editing.set_values({"luminance": 0.2}, False)
    bench.bot.waitUntil(lambda: w.handed_back and bool(asked), timeout=30_000)
    assert asked == ["The sweep of lamp.tif has not been saved."]
    w.document.history.mark_saved()
    w.files.close_current()
    w.hand_back()
    assert "is not open" in w.bench.notice.text.text()
    w.close()
    QTimer.singleShot(0, w.deleteLater)
