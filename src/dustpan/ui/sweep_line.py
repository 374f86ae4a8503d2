"""The sweep line: the steps as chips, left to right in the order they are applied."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QLabel, QMenu, QToolButton, QVBoxLayout, QWidget

from dustpan.core.step import step_kinds
from dustpan.core.sweep import AnyStep, Step, Sweep

CHIP_WIDTH = 134


class Chip(QFrame):
    """One step: on/off, its name, what it does in figures. Dragged or moved by Ctrl and an arrow key to reorder."""

    chosen = pyqtSignal(int)
    toggled = pyqtSignal(int, bool)
    remove_wanted = pyqtSignal(int)
    move_wanted = pyqtSignal(int, int)
    dropped = pyqtSignal(int, QPoint)

    def __init__(self, index: int, step: AnyStep, parent: QWidget) -> None:
        super().__init__(parent)
        self.index = index
        self.setObjectName("chip")
        self.setFixedSize(CHIP_WIDTH, 40)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.switch = QCheckBox(self)
        self.switch.setFixedWidth(20)
        self.name = QLabel(self)
        self.name.setObjectName("heading")
        self.summary = QLabel(self)
        self.summary.setObjectName("summary")
        remove = QToolButton(self)
        remove.setText("×")
        remove.setToolTip(self.tr("Take this step out of the sweep (Delete)"))
        remove.setAccessibleName(self.tr("Remove step"))
        remove.setStyleSheet("border: none; background: transparent; padding: 0; min-height: 14px;")
        remove.setFixedSize(16, 16)
        remove.clicked.connect(lambda: self.remove_wanted.emit(self.index))
        self.remove_button = remove
        top = QHBoxLayout()
        top.setSpacing(3)
        top.addWidget(self.switch)
        top.addWidget(self.name, 1)
        top.addWidget(remove)
        box = QVBoxLayout(self)
        box.setContentsMargins(6, 2, 2, 3)
        box.setSpacing(0)
        box.addLayout(top)
        box.addWidget(self.summary)
        self._pressed: QPoint | None = None
        self.show_step(step)
        self.switch.toggled.connect(lambda on: self.toggled.emit(self.index, on))

    def show_step(self, step: AnyStep) -> None:
        self.switch.blockSignals(True)
        self.switch.setChecked(step.on)
        self.switch.blockSignals(False)
        self.name.setText(step.name)
        self.setAccessibleName(self.tr("Step {0}").format(step.name))
        if isinstance(step, Step):
            self.switch.setEnabled(True)
            self.switch.setToolTip(self.tr("Apply this step, or leave it out for now"))
            self.summary.setText(step.kind.summary(step.params) if step.acts or step.on else self.tr("off"))
            self.setToolTip(f"{step.kind.help}\n" + self.tr("Drag to change the order, or Ctrl and an arrow key."))
        else:
            self.switch.setEnabled(False)
            self.summary.setText(self.tr("kept, not applied"))
            self.setToolTip(self.tr("Kept as it is in the file: {0}.").format(step.reason))
        self.setProperty("off", not step.acts)
        self._polish()

    def set_chosen(self, on: bool) -> None:
        self.setProperty("chosen", on)
        self._polish()

    def _polish(self) -> None:
        style = self.style()
        assert style is not None
        for w in (self, self.name, self.summary):
            style.unpolish(w)
            style.polish(w)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position().toPoint()
            self.chosen.emit(self.index)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._pressed is not None:
            moved = event.position().toPoint() - self._pressed
            if abs(moved.x()) > 8:
                self.raise_()
                self.move(self.x() + moved.x(), self.y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._pressed is not None:
            self._pressed = None
            self.dropped.emit(self.index, self.geometry().center())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.key() == Qt.Key.Key_Delete:
            self.remove_wanted.emit(self.index)
        elif ctrl and event.key() == Qt.Key.Key_Left:
            self.move_wanted.emit(self.index, self.index - 1)
        elif ctrl and event.key() == Qt.Key.Key_Right:
            self.move_wanted.emit(self.index, self.index + 1)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(self.index)
        elif event.key() == Qt.Key.Key_Space:
            self.switch.toggle()
        else:
            super().keyPressEvent(event)


class SweepLine(QWidget):
    """Shows a sweep and tells what the person wants done with it; it changes nothing itself."""

    chosen = pyqtSignal(int)
    toggled = pyqtSignal(int, bool)
    remove_wanted = pyqtSignal(int)
    move_wanted = pyqtSignal(int, int)
    add_wanted = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(46)
        self.chips: list[Chip] = []
        self.measured = QLabel(self.tr("measuring …"))
        self.measured.setObjectName("faint")
        self.add_button = QToolButton()
        self.add_button.setText("+ " + self.tr("Step"))
        self.add_button.setToolTip(self.tr("Add a step at its natural place"))
        self.add_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.add_menu = QMenu(self.add_button)
        for kind in step_kinds():
            action = QAction(kind.name, self.add_menu)
            action.setToolTip(kind.help)
            action.triggered.connect(lambda _=False, id=kind.id: self.add_wanted.emit(id))
            self.add_menu.addAction(action)
        self.add_menu.setToolTipsVisible(True)
        self.add_button.setMenu(self.add_menu)
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(10, 3, 10, 3)
        self.row.setSpacing(8)
        self.row.addWidget(self.measured)
        self.row.addWidget(self.add_button)
        self.row.addStretch(1)

    def show_sweep(self, sweep: Sweep, chosen: int) -> None:
        """Show these steps; chips are reused, so that focus and tooltips stay."""
        while len(self.chips) > len(sweep.steps):
            chip = self.chips.pop()
            self.row.removeWidget(chip)
            chip.hide()
            chip.deleteLater()
        for i, step in enumerate(sweep.steps):
            if i < len(self.chips):
                self.chips[i].show_step(step)
            else:
                chip = Chip(i, step, self)
                chip.chosen.connect(self.chosen)
                chip.toggled.connect(self.toggled)
                chip.remove_wanted.connect(self.remove_wanted)
                chip.move_wanted.connect(self.move_wanted)
                chip.dropped.connect(self._dropped)
                self.chips.append(chip)
                self.row.insertWidget(1 + i, chip)
                chip.show()
            self.chips[i].set_chosen(i == chosen)
        self.row.activate()

    def _dropped(self, index: int, centre: QPoint) -> None:
        to = sum(c.geometry().center().x() < centre.x() for i, c in enumerate(self.chips) if i != index)
        if to != index:
            self.move_wanted.emit(index, to)
        self.row.invalidate()
        self.row.activate()
