"""The tuning tray: controls of the chosen step, made from its own description."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QWheelEvent
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
from dustpan.core.step import Control
from dustpan.core.sweep import AnyStep, Step

POSITIONS = 1000
ROWS = 3
OPACITY = Control(
    "opacity",
    "Opacity",
    "%",
    "How much of this step's result is laid over its input.",
    100,
    0,
    100,
    0,
    "",
    False,
)


class NumberBox(QDoubleSpinBox):
    """Scrolled by the wheel only when it has the focus, so that scrolling past changes nothing."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if self.hasFocus() and event is not None:
            super().wheelEvent(event)
        elif event is not None:
            event.ignore()


class ControlRow:
    """Label, slider, typed value with its unit, and reset, kept in step with each other."""

    def __init__(self, control: Control, changed: Callable[[str, float, bool], None], parent: QWidget) -> None:
        self.control = control
        self._changed = changed
        self.label = QLabel(control.label, parent)
        self.slider = QSlider(Qt.Orientation.Horizontal, parent)
        self.slider.setRange(0, POSITIONS)
        self.slider.setPageStep(POSITIONS // 20)
        self.box = NumberBox(parent)
        self.box.setRange(control.low, control.high)
        self.box.setDecimals(control.digits)
        self.box.setSingleStep((control.high - control.low) / 40 if control.digits else 5)
        self.box.setSuffix(f" {control.unit}" if control.unit else "")
        self.box.setKeyboardTracking(False)
        self.box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        room = self.box.fontMetrics().horizontalAdvance(f"{control.high:.{control.digits}f} {control.unit}")
        self.box.setFixedWidth(max(86, room + 22))
        self.reset = QToolButton(parent)
        self.reset.setText("↺")
        self.reset.setStyleSheet("border: none; background: transparent; padding: 0;")
        back = f"{control.default:g} {control.unit}".strip()
        self.reset.setToolTip(parent.tr("Back to {0}").format(back))
        for w in (self.label, self.slider, self.box):
            w.setToolTip(control.help)
            w.setAccessibleName(f"{control.group} {control.label}".strip())
        self.reset.setAccessibleName(parent.tr("Reset {0}").format(control.label))
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self._changed(control.name, self.box.value(), False))
        self.box.valueChanged.connect(self._typed)
        self.reset.clicked.connect(lambda: self.box.setValue(control.default))

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


class Tray(QWidget):
    """Shows one step. ``changed`` carries the field, the value, and whether a drag is still going on."""

    changed = pyqtSignal(str, float, bool)
    blend_changed = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(148)
        self.rows: dict[str, ControlRow] = {}
        self.more_wanted = False
        self._shown: str | None = None
        self.title = QLabel()
        self.title.setObjectName("heading")
        self.help = QLabel()
        self.help.setObjectName("faint")
        self.more = QToolButton()
        self.more.setCheckable(True)
        self.more.setText(self.tr("More"))
        self.more.setToolTip(self.tr("Show the controls that are needed less often"))
        self.more.toggled.connect(self._toggle_more)
        self.blend = QComboBox()
        for b in Blend:
            self.blend.addItem(b.value.capitalize(), b.value)
        self.blend.setToolTip(self.tr("How this step's result is laid over its input"))
        self.blend.setAccessibleName(self.tr("Blend"))
        self.blend.activated.connect(lambda _: self.blend_changed.emit(self.blend.currentData()))
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addWidget(self.help, 1)
        head.addWidget(self.more)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(6)
        self.grid.setVerticalSpacing(4)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 6, 12, 6)
        box.setSpacing(4)
        box.addLayout(head)
        box.addLayout(self.grid)
        box.addStretch(1)
        self._step: AnyStep | None = None
        self.show_step(None)

    def show_step(self, step: AnyStep | None) -> None:
        """Show a step's controls; rebuilt only when it is another kind of step."""
        self._step = step
        key = None
        if isinstance(step, Step):
            key = f"{step.kind.id}/{self.more_wanted}"
        if key != self._shown or key is None:
            self._rebuild(step)
            self._shown = key
        if isinstance(step, Step):
            for name, row in self.rows.items():
                row.show_value(step.opacity * 100 if name == "opacity" else getattr(step.params, name))
            self.blend.setCurrentIndex(self.blend.findData(step.blend.value))

    def _toggle_more(self, on: bool) -> None:
        self.more_wanted = on
        self.show_step(self._step)

    def _rebuild(self, step: AnyStep | None) -> None:
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
        self.rows = {}
        self.more.setVisible(isinstance(step, Step) and any(c.deeper for c in step.kind.controls()))
        if not isinstance(step, Step):
            self.title.setText(step.name if step else self.tr("No step chosen"))
            self.help.setText(
                self.tr("Kept as it is in the file: {0}.").format(step.reason)
                if step
                else self.tr("Choose a step above, or add one with +.")
            )
            return
        self.title.setText(step.kind.name)
        self.help.setText(step.kind.help)
        for column, controls in enumerate(self._columns(step)):
            for r, control in enumerate(controls):
                row = ControlRow(control, self.changed.emit, self)
                self.rows[control.name] = row
                for k, w in enumerate((row.label, row.slider, row.box, row.reset)):
                    self.grid.addWidget(w, r, 5 * column + k)
            self.grid.setColumnStretch(5 * column + 1, 1)
            self.grid.setColumnMinimumWidth(5 * column + 4, 14)
        column = 5 * len(self._columns(step))
        row = ControlRow(OPACITY, self.changed.emit, self)
        self.rows["opacity"] = row
        for k, w in enumerate((row.label, row.slider, row.box, row.reset)):
            self.grid.addWidget(w, 0, column + k)
        self.grid.setColumnStretch(column + 1, 1)
        blend_label = QLabel(self.tr("Blend"), self)
        self.grid.addWidget(blend_label, 1, column)
        self.grid.addWidget(self.blend, 1, column + 1, 1, 2)
        self.blend.show()

    def _columns(self, step: Step) -> list[list[Control]]:
        """Controls in columns of at most ROWS; a group begins a column of its own."""
        columns: list[list[Control]] = []
        group: str | None = None
        for c in step.kind.controls():
            if c.deeper and not self.more_wanted:
                continue
            if not columns or len(columns[-1]) == ROWS or c.group != group:
                columns.append([])
            group = c.group
            columns[-1].append(c)
        return columns
