"""A number: a slider, a typed value with its unit, and reset."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QValidator, QWheelEvent
from PyQt6.QtWidgets import QDoubleSpinBox, QGridLayout, QSlider, QToolButton, QWidget

from dustpan.core.params import Number
from dustpan.ui.controls.row import Changed, Row
from dustpan.ui.look.icons import show_icon

POSITIONS = 1000


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


class NumberRow(Row):
    """Label, slider, typed value with its unit, and reset, kept in step with each other."""

    def __init__(self, control: Number, changed: Changed, parent: QWidget) -> None:
        super().__init__(control, changed, parent)
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
        self.describe(parent, self.slider, self.box)
        self.reset.setAccessibleName(parent.tr("Reset {0}").format(parent.tr(control.label)))
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self.changed(control.name, self.box.value(), False))
        self.box.valueChanged.connect(self._typed)
        self.reset.clicked.connect(lambda: self.box.setValue(control.default))

    def place(self, grid: QGridLayout, row: int, column: int) -> None:
        for k, w in enumerate((self.label, self.slider, self.box, self.reset)):
            grid.addWidget(w, row, column + k)

    def show_value(self, value: float) -> None:
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
        self.changed(self.control.name, value, self.slider.isSliderDown())

    def _typed(self, value: float) -> None:
        self.show_value(value)
        self.changed(self.control.name, value, False)
