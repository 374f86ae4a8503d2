"""The sweep line: what was measured, then the steps as chips, left to right in the order they are applied."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from PyQt6.QtCore import QEvent, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QContextMenuEvent, QEnterEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from dustpan.core.hits import Hits
from dustpan.core.steps import STEPS
from dustpan.core.sweep import AnyStep, Step, Sweep
from dustpan.core.where.mask import Mask
from dustpan.ui.bench.state import MEASURED, Half
from dustpan.ui.look.elided import ElidedLabel
from dustpan.ui.look.icons import show_icon
from dustpan.ui.look.plain import tip

CHIP_WIDTH, WIDEST, BESIDE_NAME = 128, 184, 30  # px: of most chips, of those with long names, of switch and sides


class Chip(QFrame):
    """One step: on/off, its name, what it does in figures, and where. Dragged, or moved by Ctrl and an arrow key."""

    chosen = pyqtSignal(int, str)
    toggled = pyqtSignal(int, bool)
    remove_wanted = pyqtSignal(int)
    duplicate_wanted = pyqtSignal(int)
    move_wanted = pyqtSignal(int, int)
    dropped = pyqtSignal(int, QPoint)
    entered = pyqtSignal(int)
    left = pyqtSignal()
    open_wanted = pyqtSignal(int)

    def __init__(self, index: int, step: AnyStep, parent: QWidget) -> None:
        super().__init__(parent)
        self.index = index
        self.setObjectName("chip")
        self.setFixedHeight(40)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.switch = QCheckBox(self)
        self.switch.setFixedWidth(18)
        self.name, self.summary = ElidedLabel(self), ElidedLabel(self)
        self.name.setObjectName("heading")
        self.summary.setObjectName("summary")
        self.where = QToolButton(self)
        self.where.setObjectName("bare")
        self.where.clicked.connect(self._where_clicked)
        self.chained = 0  # how many steps it stands for, of a chain that is not opened
        top, bottom = QHBoxLayout(), QHBoxLayout()
        top.setSpacing(0)
        top.addWidget(self.switch)
        top.addWidget(self.name, 1)
        bottom.setSpacing(2)
        bottom.addWidget(self.summary, 1)
        bottom.addWidget(self.where)
        box = QVBoxLayout(self)
        box.setContentsMargins(5, 2, 3, 3)
        box.setSpacing(0)
        box.addLayout(top)
        box.addLayout(bottom)
        self._pressed: QPoint | None = None
        self.in_chain = False
        self.show_step(step)
        self.switch.toggled.connect(lambda on: self.toggled.emit(self.index, on))

    def _show_where(self, step: Step, covered: float | None) -> None:
        """Everywhere, or the share of the picture that its mask covers."""
        words = self.tr("all") if not step.where.parts else "◐" if covered is None else f"{100 * covered:.0f} %"
        self.where.setText(words)
        told = self.tr("everywhere") if not step.where.parts else self.tr("in {0} of the picture").format(words)
        self.where.setToolTip(self.tr("Where: the step applies {0}. Click to see its where half (H).").format(told))
        self.where.setAccessibleName(self.tr("Where this step applies: {0}").format(told))

    def show_step(
        self, step: AnyStep, warning: str = "", found: Hits | None = None, covered: float | None = None
    ) -> None:
        self.chained, self.in_chain = 0, bool(getattr(step, "part_of", ""))
        self.switch.blockSignals(True)
        self.switch.setChecked(step.on)
        self.switch.blockSignals(False)
        self.name.setText(step.name)
        self.name.ensurePolished()
        wanted = self.name.fontMetrics().horizontalAdvance(step.name) + BESIDE_NAME
        self.setFixedWidth(min(max(CHIP_WIDTH, wanted), WIDEST))
        self.setAccessibleName(self.tr("Step {0}").format(step.name))
        applies = isinstance(step, Step)
        self.switch.setEnabled(applies)
        self.switch.setToolTip(self.tr("Apply this step, or leave it out for now"))
        self.switch.setAccessibleName(self.tr("{0} on").format(step.name))
        self.where.setVisible(applies)
        if isinstance(step, Step):
            self._show_where(step, covered)
        if isinstance(step, Step):
            words = step.summary
            if found is not None and not found.as_a_whole:
                words = self.tr("{0} found").format(len(found))
            elif found is not None:
                words = found.short or (self.tr("proven") if found.any else self.tr(found.nothing))
            self.summary.setText(words if step.on else self.tr("off"))
            words = f"{self.tr(step.kind.help)}\n" + self.tr("Drag to change the order, or Ctrl and an arrow key.")
            first = [warning, found.proof if found is not None else ""]
            self.setToolTip("\n".join([*filter(None, first), words]))
        else:
            self.summary.setText(self.tr("kept, not applied"))
            self.setToolTip(self.tr("Kept as it is in the file: {0}.").format(step.reason))
        if warning and applies:
            self.summary.setText(warning)
        whole = f"{self.name.text()}: {self.summary.text()}\n{self.toolTip()}"
        for w in (self, self.name, self.summary):
            w.setToolTip(tip(whole))
        self._mark(off=not step.acts, worse=bool(warning))

    def _where_clicked(self) -> None:
        if self.chained:
            self.open_wanted.emit(self.index)
        else:
            self.chosen.emit(self.index, Half.WHERE)

    def show_chain(self, name: str, count: int, on: bool) -> None:
        """Stand for a whole chain, until it is opened."""
        self.chained = count
        self.name.setText(name)
        self.summary.setText(self.tr("{0} steps").format(count) if on else self.tr("off"))
        self.where.setText("▸")
        words = self.tr("A chain of {0} steps; click to open it").format(count)
        self.where.setToolTip(words)
        self.where.setAccessibleName(words)
        self.where.setVisible(True)
        wanted = self.name.fontMetrics().horizontalAdvance(name) + BESIDE_NAME
        self.setFixedWidth(min(max(CHIP_WIDTH, wanted), WIDEST))
        self.setAccessibleName(self.tr("Chain {0}").format(name))

    def set_chosen(self, on: bool) -> None:
        self._mark(chosen=on)

    def _mark(self, **marks: bool) -> None:
        """Set properties that the style looks at."""
        if all(self.property(name) == on for name, on in marks.items()):
            return
        for name, on in marks.items():
            self.setProperty(name, on)
        style = self.style()
        assert style is not None
        for w in (self, self.name, self.summary):
            style.unpolish(w)
            style.polish(w)

    # -------------------------------------------------------------- mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position().toPoint()
            self.chosen.emit(self.index, Half.WHAT)

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

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        self.menu().popup(event.globalPos())

    def menu(self) -> QMenu:
        """What can be done with this step."""
        menu = QMenu(self)
        menu.addAction(self.tr("Duplicate"), lambda: self.duplicate_wanted.emit(self.index))
        menu.addAction(self.tr("Earlier"), lambda: self.move_wanted.emit(self.index, self.index - 1))
        menu.addAction(self.tr("Later"), lambda: self.move_wanted.emit(self.index, self.index + 1))
        menu.addAction(self.tr("Remove"), lambda: self.remove_wanted.emit(self.index))
        if self.in_chain:
            menu.addAction(
                self.tr("Open the chain") if self.chained else self.tr("Close the chain"),
                lambda: self.open_wanted.emit(self.index),
            )
        return menu

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
            self.chosen.emit(self.index, Half.WHAT)
        elif event.key() == Qt.Key.Key_Space:
            self.switch.toggle()
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self.entered.emit(self.index)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.left.emit()


class SweepLine(QWidget):
    """Shows a sweep and tells what the person wants done with it; it changes nothing itself."""

    chosen = pyqtSignal(int, str)
    measured_chosen = pyqtSignal()
    toggled = pyqtSignal(int, bool)
    remove_wanted = pyqtSignal(int)
    duplicate_wanted = pyqtSignal(int)
    move_wanted = pyqtSignal(int, int)
    add_wanted = pyqtSignal(str)
    entered = pyqtSignal(int)
    left = pyqtSignal()
    open_wanted = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(46)
        self.chips: list[Chip] = []
        self.measured = QToolButton()
        self.measured.setCheckable(True)
        self.measured.setFixedHeight(40)
        show_icon(self.measured, "measured")
        self.measured.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.measured.setText(self.tr("measuring …"))
        self.measured.setToolTip(self.tr("What was measured of this picture before anything is changed"))
        self.measured.clicked.connect(self.measured_chosen)
        self.add_button = QToolButton()
        self.add_button.setText(self.tr("Step"))
        show_icon(self.add_button, "add")
        self.add_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.add_button.setToolTip(self.tr("Add a step at its natural place"))
        self.add_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.add_menu = QMenu(self.add_button)
        for kind in STEPS:
            action = QAction(self.tr(kind.name), self.add_menu)
            action.setToolTip(self.tr(kind.help))
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

    def show_sweep(
        self,
        sweep: Sweep,
        chosen: int,
        warnings: Mapping[int, str],
        found: Mapping[int, Hits] | None = None,
        covered: Mapping[Mask, float] | None = None,
        opened: Collection[str] = (),
    ) -> None:
        """Show these steps; chips are reused, so that focus and tooltips stay. ``chosen`` -1: what was measured.

        ``opened`` : names of the chains that are not shown as one entry.
        """
        while len(self.chips) > len(sweep.steps):
            chip = self.chips.pop()
            self.row.removeWidget(chip)
            chip.hide()
            chip.deleteLater()
        for i, step in enumerate(sweep.steps):
            if i == len(self.chips):
                self._add_chip(i, step)
            share = (covered or {}).get(step.where) if isinstance(step, Step) else None
            self.chips[i].show_step(step, warnings.get(i, ""), (found or {}).get(i), share)
            chain = sweep.chain_of(i)
            name = getattr(step, "part_of", "")
            closed = bool(name) and name not in opened
            if closed and i == chain[0]:
                self.chips[i].show_chain(name, len(chain), any(sweep.steps[n].on for n in chain))
            self.chips[i].setVisible(not closed or i == chain[0])
            self.chips[i].set_chosen(chosen in chain if closed else i == chosen)
        self.measured.setChecked(chosen == MEASURED)
        self.row.activate()

    def _add_chip(self, index: int, step: AnyStep) -> None:
        chip = Chip(index, step, self)
        chip.chosen.connect(self.chosen)
        chip.toggled.connect(self.toggled)
        chip.remove_wanted.connect(self.remove_wanted)
        chip.duplicate_wanted.connect(self.duplicate_wanted)
        chip.move_wanted.connect(self.move_wanted)
        chip.dropped.connect(self._dropped)
        chip.entered.connect(self.entered)
        chip.left.connect(self.left)
        chip.open_wanted.connect(self.open_wanted)
        self.chips.append(chip)
        self.row.insertWidget(1 + index, chip)
        chip.show()

    def _dropped(self, index: int, centre: QPoint) -> None:
        places, last = [], 0
        for chip in self.chips:  # those that a closed chain hides are where it is
            last = chip.geometry().center().x() if not chip.isHidden() else last
            places.append(last)
        to = sum(x < centre.x() for i, x in enumerate(places) if i != index)
        if to != index:
            self.move_wanted.emit(index, to)
        self.row.invalidate()
        self.row.activate()
