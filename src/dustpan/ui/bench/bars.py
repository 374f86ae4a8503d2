"""The top bar (pictures, export, comparing, inspecting, zoom) and the bottom line (verdict, values, progress)."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QProgressBar, QPushButton, QToolButton, QWidget

from dustpan.core.judge.verdict import Verdict
from dustpan.core.judge.worst import FigureName
from dustpan.ui.bench.panes import Arrangement
from dustpan.ui.look.elided import ElidedLabel
from dustpan.ui.look.icons import show_icon
from dustpan.ui.look.plain import Label

ZOOMS = (0.25, 0.5, 1.0, 2.0, 4.0, 8.0)


class _Strip(QWidget):
    def __init__(self, height: int) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(height)
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(8, 0, 8, 0)
        self.row.setSpacing(6)


class TopBar(_Strip):
    """What is done with the whole picture and how it is looked at."""

    view_chosen = pyqtSignal(str)
    other_chosen = pyqtSignal(int)
    zoom_chosen = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__(36)
        tr = self.tr
        self.pictures = self._button("pictures", tr("Pictures"), tr("The open pictures; a dot marks unsaved work"))
        self.export = self._button("export", tr("Export …"), tr("Write the result to a new file"))
        self.next = self._button(
            "next", tr("Export and next"), tr("Write the result beside the picture, then show the next one")
        )
        self.hand_back = self._button(
            "hand-back", tr("Hand back"), tr("Return the result to the program that handed the picture over")
        )
        self.hand_back.hide()
        self.other = QComboBox()
        self.other.setMinimumWidth(96)
        self.other.setMaximumWidth(190)
        self.other.setToolTip(tr("What the result is compared with; C held shows it"))
        self.other.setAccessibleName(tr("Compare with"))
        self.other.activated.connect(self.other_chosen)
        self.keep = self._button(
            "keep", tr("Keep"), tr("Remember this state of the sweep, to compare with and to return to")
        )
        self.back = self._button("return", "", tr("Make the state that is compared with the current one"))
        self.views: dict[Arrangement, QPushButton] = {}
        for view, text, tip in (
            (Arrangement.SINGLE, tr("Single"), tr("Show the result alone")),
            (Arrangement.DIVIDER, tr("Divider"), tr("Show the other side on the left of a line that can be dragged")),
            (Arrangement.PAIR, tr("Pair"), tr("Show both sides beside each other, panned and zoomed together")),
        ):
            button = self._button(view.value, "", f"{text}: {tip}")
            button.setAccessibleName(text)
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.clicked.connect(lambda _=False, v=view: self.view_chosen.emit(v.value))
            self.views[view] = button
        self.views[Arrangement.SINGLE].setChecked(True)
        self.inspect = self._button(
            "inspect", tr("Inspect"), tr("Special views: luminance, channels, shadows, removed … (I)")
        )
        self.inspect.setCheckable(True)
        self.zoom = QComboBox()
        self.zoom.setMinimumWidth(76)
        self.zoom.setToolTip(tr("Zoom; 100 % shows one picture pixel on one screen pixel"))
        self.zoom.setAccessibleName(tr("Zoom"))
        self.zoom.addItem(tr("Fit"), 0.0)
        for z in ZOOMS:
            self.zoom.addItem(f"{100 * z:.0f} %", z)
        self.zoom.activated.connect(lambda i: self.zoom_chosen.emit(float(self.zoom.itemData(i))))
        for w in (self.pictures, self.export, self.next, self.hand_back):
            self.row.addWidget(w)
        self.row.addStretch(1)
        self.row.addWidget(Label(tr("Compare with")))
        for part in (self.other, self.keep, self.back, *self.views.values()):
            self.row.addWidget(part)
        self.row.addStretch(1)
        self.row.addWidget(self.inspect)
        self.row.addWidget(self.zoom)

    def _button(self, drawing: str, text: str, tip: str) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        show_icon(button, drawing)
        return button

    def set_enabled(self, on: bool) -> None:
        """Whether there is a picture that all this could be done with."""
        for w in (self.export, self.next, self.other, self.keep, self.inspect, self.zoom, *self.views.values()):
            w.setEnabled(on)
        if not on:
            self.back.setEnabled(False)

    def show_others(self, names: Sequence[str], chosen: int) -> None:
        """The sides to compare with; the first two are the original and the state before the chosen step."""
        self.other.clear()
        self.other.addItems(list(names))
        self.other.setCurrentIndex(chosen)
        self.back.setEnabled(chosen >= 2)

    def show_zoom(self, zoom: float, fit: float, fitting: bool) -> None:
        """Show the zoom, as one of those offered or as one more."""
        self.zoom.setItemText(0, self.tr("Fit ({0:.0f} %)").format(100 * fit))
        at = 0 if fitting else self.zoom.findData(zoom)
        if at < 0:
            at = self.zoom.findData(-1.0)
            if at < 0:
                self.zoom.addItem("", -1.0)
                at = self.zoom.count() - 1
            self.zoom.setItemText(at, f"{100 * zoom:.0f} %")
        self.zoom.setCurrentIndex(at)


class BottomLine(_Strip):
    """The four figures, each a button to its worst places; the pixel under the pointer; what is being done."""

    figure_clicked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(24)
        self.figures: dict[FigureName, QToolButton] = {}
        tips = {
            FigureName.NOISE_LEFT: self.tr("Noise in flat parts, after against before"),
            FigureName.TEXTURE_KEPT: self.tr("Share of the texture above the noise that is still there"),
            FigureName.HALO_HEIGHT: self.tr("How far rims leave the local range, in percent of it"),
            FigureName.EDGE_WIDTH: self.tr("How wide the strongest edges rise, before → after"),
        }
        for name, tip in tips.items():
            button = QToolButton()
            button.setObjectName("figure")
            button.setToolTip(tip + ". " + self.tr("Click to see the worst place, again for the next."))
            button.clicked.connect(lambda _=False, n=name: self.figure_clicked.emit(n.value))
            button.hide()
            self.figures[name] = button
            self.row.addWidget(button)
        self.grain, self.brightness = Label(), Label()
        for label in (self.grain, self.brightness):
            label.hide()
            self.row.addWidget(label)
        self.pixel, self.facts, self.state = ElidedLabel(), Label(), Label()
        for label in (self.pixel, self.facts, self.state, self.grain, self.brightness):
            label.setObjectName("faint")
        self.progress = QProgressBar()
        self.progress.setFixedSize(90, 6)
        self.progress.setTextVisible(False)
        self.stop = QToolButton()
        self.stop.setObjectName("bare")
        self.stop.setToolTip(self.tr("Stop computing; what is shown stays"))
        show_icon(self.stop, "stop")
        self.row.addWidget(self.pixel, 1)
        for w in (self.facts, self.state, self.progress, self.stop):
            self.row.addWidget(w)
        self._before = ""  # what the state was before something had to be compiled

    def show_compiling(self, name: str) -> None:
        """Tell that a kernel has to be compiled before the work goes on; "" when it is there."""
        words = self.tr("compiling a part of Dustpan, only this once …")
        if name and self.state.text() != words:
            self._before = self.state.text()
            self.state.setText(words)
        elif not name and self.state.text() == words:
            self.state.setText(self._before)

    def show_verdict(self, verdict: Verdict | None) -> None:
        """Write the figures; a dash for what cannot be measured."""
        for label, told in (
            (self.grain, verdict.grain() if verdict else ""), (self.brightness, verdict.brightness() if verdict else "")
        ):  # fmt: skip
            label.setText(told.partition(":")[0])
            label.setToolTip(told)
            label.setVisible(bool(told))
        parts = verdict.phrases() if verdict else ("", "", "", "")
        for button, text in zip(self.figures.values(), parts, strict=True):
            button.setText(text)
            button.setVisible(bool(text))

    def sentence(self) -> str:
        return " · ".join(b.text() for b in self.figures.values() if not b.isHidden())
