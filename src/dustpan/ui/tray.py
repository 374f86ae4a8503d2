"""The tuning tray: the half of a step that was chosen, or what was measured.

Controls are made from the step's own description; a step that has an instrument shows it beside them.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QValidator, QWheelEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.blend import Blend
from dustpan.core.language import capital, mark
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.step import NoiseParams
from dustpan.core.step import Control
from dustpan.core.sweep import AnyStep, Step
from dustpan.ui.elided import ElidedLabel
from dustpan.ui.icons import show_icon
from dustpan.ui.instruments import Chart, EdgeInstrument, HistogramInstrument, NoiseInstrument
from dustpan.ui.sweep_line import Half

POSITIONS = 1000
ROWS = 3
OPACITY = Control(
    "opacity",
    mark("Opacity"),
    "%",
    mark("How much of this step's result is laid over its input."),
    100,
    0,
    100,
    0,
    "",
    False,
)


class NumberBox(QDoubleSpinBox):
    """Scrolled by the wheel only when it has the focus, so that scrolling past changes nothing; takes a comma too."""

    def validate(self, text: str | None, at: int) -> tuple[QValidator.State, str, int]:
        return super().validate((text or "").replace(",", "."), at)

    def valueFromText(self, text: str | None) -> float:
        return super().valueFromText((text or "").replace(",", "."))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if self.hasFocus() and event is not None:
            super().wheelEvent(event)
        elif event is not None:
            event.ignore()


class CalmSlider(QSlider):
    """Not moved by the wheel at all: the wheel beside it scrolls values by typing boxes only."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            event.ignore()


class ControlRow:
    """Label, slider, typed value with its unit, and reset, kept in step with each other."""

    def __init__(self, control: Control, changed: Callable[[str, float, bool], None], parent: QWidget) -> None:
        self.control = control
        self._changed = changed
        self.label = QLabel(parent.tr(control.label), parent)
        self.slider = CalmSlider(Qt.Orientation.Horizontal, parent)
        self.slider.setRange(0, POSITIONS)
        self.slider.setPageStep(POSITIONS // 20)
        self.slider.setMinimumWidth(28)
        self.box = NumberBox(parent)
        self.box.setRange(control.low, control.high)
        self.box.setDecimals(control.digits)
        self.box.setSingleStep((control.high - control.low) / 40 if control.digits else 5)
        unit = parent.tr(control.unit) if control.unit else ""
        self.box.setSuffix(f" {unit}" if unit else "")
        self.box.setKeyboardTracking(False)
        self.box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        room = self.box.fontMetrics().horizontalAdvance(f"{control.high:.{control.digits}f} {unit}")
        self.box.setFixedWidth(max(58, room + 18))
        self.reset = QToolButton(parent)
        show_icon(self.reset, "reset")
        self.reset.setObjectName("bare")
        back = f"{control.default:g} {unit}".strip()
        self.reset.setToolTip(parent.tr("Back to {0}").format(back))
        for w in (self.label, self.slider, self.box):
            w.setToolTip(parent.tr(control.help))
            w.setAccessibleName(
                f"{parent.tr(control.group) if control.group else ''} {parent.tr(control.label)}".strip()
            )
        self.reset.setAccessibleName(parent.tr("Reset {0}").format(parent.tr(control.label)))
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self._changed(control.name, self.box.value(), False))
        self.box.valueChanged.connect(self._typed)
        self.reset.clicked.connect(lambda: self.box.setValue(control.default))

    @property
    def widgets(self) -> tuple[QWidget, ...]:
        return self.label, self.slider, self.box, self.reset

    def show_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        span = self.control.high - self.control.low
        for w in (self.slider, self.box):
            w.blockSignals(True)
        self.box.setValue(value)
        self.slider.setValue(round((value - self.control.low) / span * POSITIONS))
        for w in (self.slider, self.box):
            w.blockSignals(False)
        self.reset.setEnabled(abs(value - self.control.default) > 1e-9)

    def _slid(self, position: int) -> None:
        span = self.control.high - self.control.low
        value = round(self.control.low + span * position / POSITIONS, self.control.digits)
        self.box.blockSignals(True)
        self.box.setValue(value)
        self.box.blockSignals(False)
        self.reset.setEnabled(abs(value - self.control.default) > 1e-9)
        self._changed(self.control.name, value, self.slider.isSliderDown())

    def _typed(self, value: float) -> None:
        self.show_value(value)
        self._changed(self.control.name, value, False)


class ChoiceRow:
    """Label and a list of the ways to choose from."""

    def __init__(self, control: Control, chosen: Callable[[str, str], None], parent: QWidget) -> None:
        self.control = control
        self.label = QLabel(parent.tr(control.label), parent)
        self.box = QComboBox(parent)
        self._names = [parent.tr(option) for option in control.options]
        for name, option in zip(self._names, control.options, strict=True):
            self.box.addItem(name, option)
        for w in (self.label, self.box):
            w.setToolTip(parent.tr(control.help))
            w.setAccessibleName(parent.tr(control.label))
        self.box.activated.connect(lambda _: chosen(control.name, self.box.currentData()))

    @property
    def widgets(self) -> tuple[QWidget, ...]:
        return self.label, self.box

    def note(self, words: dict[str, str]) -> None:
        """Say something about each option beside its name."""
        for n, option in enumerate(self.control.options):
            name = self._names[n]
            self.box.setItemText(n, f"{name} · {words[option]}" if option in words else name)

    def show_value(self, value: str) -> None:
        """Show what is chosen."""
        self.box.setCurrentIndex(self.box.findData(str(value)))


class Tray(QWidget):
    """``changed`` carries the field, the value, and whether a drag is still going on; ``option_chosen`` an option."""

    changed = pyqtSignal(str, float, bool)
    option_chosen = pyqtSignal(str, str)
    blend_changed = pyqtSignal(str)
    remove_wanted = pyqtSignal()
    suggestion_wanted = pyqtSignal()
    strip_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(150)
        self.rows: dict[str, ControlRow] = {}
        self.choices: dict[str, ChoiceRow] = {}
        self.more_wanted = False
        self._shown: str | None = None
        self._step: AnyStep | None = None
        self._half = Half.WHAT
        self.noise_chart, self.edge_chart, self.histogram = NoiseInstrument(), EdgeInstrument(), HistogramInstrument()
        self.charts: dict[str, Chart] = {"noise": self.noise_chart, "edge-sharpen": self.edge_chart}
        self.title, self.help, self.scales = QLabel(), ElidedLabel(), QLabel()
        self.title.setObjectName("heading")
        self.help.setObjectName("faint")
        self.scales.setTextFormat(Qt.TextFormat.RichText)
        self._build()
        self.show_step(None)

    def _button(self, drawing: str, text: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        show_icon(button, drawing)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        return button

    def _build(self) -> None:
        self.suggest = self._button(
            "measured", self.tr("Suggest"), self.tr("Find the lowest strengths that leave a fifth of the noise")
        )
        self.suggest.clicked.connect(self.suggestion_wanted)
        self.strip = self._button(
            "pictures", self.tr("Test strip"), self.tr("Show the middle of the view at several strengths, to pick from")
        )
        self.strip.clicked.connect(self.strip_wanted)
        self.more = self._button("more", self.tr("More"), self.tr("Show the controls that are needed less often"))
        self.more.setCheckable(True)
        self.more.toggled.connect(self._toggle_more)
        self.copy = self._button("copy", self.tr("Copy figures"), self.tr("Copy the chart's figures as text"))
        self.copy.clicked.connect(self._copy)
        self.remove = self._button("remove", self.tr("Remove"), self.tr("Take this step out of the sweep"))
        self.remove.clicked.connect(self.remove_wanted)
        self.blend = QComboBox()
        for b in Blend:
            self.blend.addItem(capital(self.tr(b.value)), b.value)
        self.blend.setToolTip(self.tr("How this step's result is laid over its input"))
        self.blend.setAccessibleName(self.tr("Blend"))
        self.blend.activated.connect(lambda _: self.blend_changed.emit(self.blend.currentData()))
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.title)
        head.addWidget(self.help, 1)
        for button in (self.suggest, self.strip, self.more, self.copy, self.remove):
            head.addWidget(button)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(5)
        self.grid.setVerticalSpacing(4)
        side = QVBoxLayout()
        side.addLayout(self.grid)
        side.addStretch(1)
        body = QHBoxLayout()
        body.setSpacing(12)
        for chart in (*self.charts.values(), self.histogram):
            chart.hide()
            chart.changed.connect(self.changed)
            body.addWidget(chart, 3, Qt.AlignmentFlag.AlignTop)
        body.addWidget(self.scales, 0, Qt.AlignmentFlag.AlignTop)
        body.addLayout(side, 7)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 3, 10, 3)
        box.setSpacing(2)
        box.addLayout(head)
        box.addLayout(body, 1)

    # -------------------------------------------------------------- what is shown

    def show_step(self, step: AnyStep | None, half: Half = Half.WHAT) -> None:
        """Show a half of a step; rebuilt only when it is another one."""
        self._step, self._half = step, half
        key = f"{step.kind.id}/{self.more_wanted}/{half}" if isinstance(step, Step) else None
        if key != self._shown or key is None:
            self._rebuild(step, half)
            self._shown = key
        if isinstance(step, Step):
            for name, row in self.rows.items():
                row.show_value(step.opacity * 100 if name == "opacity" else getattr(step.params, name))
            for name, choice in self.choices.items():
                choice.show_value(getattr(step.params, name))
            self.blend.setCurrentIndex(self.blend.findData(step.blend.value))

    def show_measured(self, found: NoisePrint | None, facts: str) -> None:
        """Show what was measured of the picture instead of a step."""
        self._step, self._shown = None, None
        self._rebuild(None, Half.WHAT)
        self.title.setText(self.tr("Measured"))
        self.help.setText(found.sentence() if found else self.tr("Measuring …"))
        self.noise_chart.locked = True
        self.noise_chart.show_state(found, NoiseParams(luminance=0, colour=0), ())
        self._show_charts(self.noise_chart, self.histogram)
        self.copy.setVisible(True)
        rows = "".join(
            f"<tr><td>{self.tr(s.name)} ({s.period[0]:g}–{s.period[1]:g} px)&nbsp;</td>"
            f"<td align='right'>&nbsp;{255 * s.luminance:.1f}</td>"
            f"<td align='right'>&nbsp;&nbsp;{255 * s.colour:.1f}</td></tr>"
            for s in (found.scales if found else ())
        )
        words = (self.tr("σ of 255"), self.tr("lum."), self.tr("col."))
        head = "<tr>" + "".join(f"<td>{w}&nbsp;&nbsp;</td>" for w in words) + "</tr>"
        self.scales.setText((f"<table>{head}{rows}</table>" if rows else "") + facts.replace("\n", "<br>"))
        self.scales.show()

    def _show_charts(self, *shown: Chart) -> None:
        for chart in (*self.charts.values(), self.histogram):
            chart.setVisible(chart in shown)
            chart.setEnabled(True)

    def _toggle_more(self, on: bool) -> None:
        self.more_wanted = on
        self.show_step(self._step, self._half)

    def _copy(self) -> None:
        for chart in (*self.charts.values(), self.histogram):
            if not chart.isHidden():
                chart.copy()
                return

    def _clear(self) -> None:
        while self.grid.count():
            item = self.grid.takeAt(0)
            widget = item.widget() if item else None
            if widget is self.blend:
                self.blend.setParent(None)
            elif widget is not None:
                widget.setParent(None)
                widget.deleteLater()
        for i in range(self.grid.columnCount()):
            self.grid.setColumnStretch(i, 0)
            self.grid.setColumnMinimumWidth(i, 0)
        self.rows, self.choices = {}, {}
        self.scales.hide()

    def _rebuild(self, step: AnyStep | None, half: Half) -> None:
        self._clear()
        what = isinstance(step, Step) and half is Half.WHAT
        self.more.setVisible(isinstance(step, Step) and what and any(c.deeper for c in step.kind.controls()))
        self.remove.setVisible(step is not None)
        for button in (self.suggest, self.strip):
            button.setVisible(isinstance(step, Step) and what and step.kind.id == "noise")
        self.copy.setVisible(isinstance(step, Step) and what and step.kind.id in self.charts)
        self._show_charts()
        if not isinstance(step, Step):
            self.title.setText(step.name if step else self.tr("No step chosen"))
            kept = self.tr("Kept as it is in the file: {0}.")
            self.help.setText(
                kept.format(step.reason) if step else self.tr("Choose a step above, or add one with + Step.")
            )
            return
        self.title.setText(self.tr(step.kind.name))
        if not what:
            self.help.setText(self.tr("Where: everywhere. Masks made of parts come with a later version of Dustpan."))
            return
        self.help.setText(self.tr(step.kind.help))
        if chart := self.charts.get(step.kind.id):
            chart.locked = False
            self._show_charts(chart)
        self._fill(step)

    def _fill(self, step: Step) -> None:
        columns = self._columns(step)
        if len(columns[-1]) == 1:
            columns[-1].append(OPACITY)
        else:
            columns.append([OPACITY])
        for column, controls in enumerate(columns):
            for r, control in enumerate(controls):
                if control.options:
                    choice = ChoiceRow(control, self.option_chosen.emit, self)
                    self.choices[control.name] = choice
                    self.grid.addWidget(choice.label, r, 5 * column)
                    self.grid.addWidget(choice.box, r, 5 * column + 1, 1, 2)
                    continue
                row = ControlRow(control, self.changed.emit, self)
                self.rows[control.name] = row
                for k, w in enumerate(row.widgets):
                    self.grid.addWidget(w, r, 5 * column + k)
            self.grid.setColumnStretch(5 * column + 1, 1)
            self.grid.setColumnMinimumWidth(5 * column + 4, 8)
        column, r = 5 * (len(columns) - 1), len(columns[-1])
        self.grid.addWidget(QLabel(self.tr("Blend"), self), r, column)
        self.grid.addWidget(self.blend, r, column + 1, 1, 2)
        self.blend.show()

    def _columns(self, step: Step) -> list[list[Control]]:
        """Controls in columns of at most ROWS; a group begins a column of its own."""
        columns: list[list[Control]] = []
        group: str | None = None
        for c in step.kind.controls():
            if c.deeper != self.more_wanted and (c.deeper or self._has_deeper(step)):
                continue
            if not columns or len(columns[-1]) == ROWS or c.group != group:
                columns.append([])
            group = c.group
            columns[-1].append(c)
        return columns or [[]]

    @staticmethod
    def _has_deeper(step: Step) -> bool:
        return any(c.deeper for c in step.kind.controls())
