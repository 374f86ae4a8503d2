from __future__ import annotations

import gc
import threading
import weakref

from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot


class Looped(QWidget):
    """A widget that only the collector can find."""

    def __init__(self, ended: list[str]) -> None:
        super().__init__()
        self.itself = self
        weakref.finalize(self, lambda: ended.append(threading.current_thread().name))


def test_widgets_in_cycles_end_on_the_gui_thread_alone(qtbot: QtBot, qapp: QApplication) -> None:
    ended: list[str] = []
    Looped(ended)

    def allocate() -> None:
        kept = [[i] for i in range(200_000)]
        assert len(kept) == 200_000

    worker = threading.Thread(target=allocate, name="worker")
    worker.start()
    worker.join()
    assert not gc.isenabled()
    assert not ended
    threshold = gc.get_threshold()
    gc.set_threshold(1, 1, 0)
    try:
        qtbot.waitUntil(lambda: bool(ended), timeout=5000)
    finally:
        gc.set_threshold(*threshold)
    assert ended == ["MainThread"]
