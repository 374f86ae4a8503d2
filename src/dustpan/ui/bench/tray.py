"""The tuning tray: the half of a step that was chosen, or what was measured.

Controls are made from the step's own description; a step that has an instrument shows it beside them.
"""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QStackedLayout, QToolButton, QVBoxLayout, QWidget

from dustpan.core.blend import Blend
from dustpan.core.finish.tone import LEVELS
from dustpan.core.language import capital, mark
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.step import NoiseParams
from dustpan.core.params import Control, Number
from dustpan.core.sweep import AnyStep, Step
from dustpan.ui.bench.findings import Findings
from dustpan.ui.bench.state import Half
from dustpan.ui.bench.where_panel import WherePanel
from dustpan.ui.controls.all import CONTROLS
from dustpan.ui.controls.number import NumberRow
from dustpan.ui.controls.row import COLUMNS, Row
from dustpan.ui.instruments.all import INSTRUMENTS
from dustpan.ui.instruments.chart import Chart, Charted
from dustpan.ui.instruments.histogram import HistogramInstrument
from dustpan.ui.look.elided import ElidedLabel
from dustpan.ui.look.icons import show_icon
from dustpan.ui.look.plain import Label

ROWS = 3
OPACITY = Number(
    label=mark("Opacity"),
    help=mark("How much of this step's result is laid over its input."),
    unit="%",
    name="opacity",
    default=100,
    high=100,
    digits=0,
)


class Tray(QWidget):
    """``changed`` carries parameters with their values, and whether a drag is still going on."""

    changed = pyqtSignal(object, bool)
    opacity_changed = pyqtSignal(float, bool)
    blend_changed = pyqtSignal(str)
    remove_wanted = pyqtSignal()
    suggestion_wanted = pyqtSignal()
    strip_wanted = pyqtSignal()
    pick_wanted = pyqtSignal(bool)
    automatic_wanted = pyqtSignal()
    linked_changed = pyqtSignal(bool)
    apply_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(150)
        self.rows: dict[str, Row] = {}
        self.opacity: NumberRow | None = None
        self.more_wanted = False
        self._shown: str | None = None
        self._step: AnyStep | None = None
        self._half = Half.WHAT
        self.viewing = False  # whether what is shown is how the picture is brightened, and no step
        self.charts: dict[str, Chart] = {name: make() for name, make in INSTRUMENTS.items()}
        self.histogram = HistogramInstrument()
        self.findings = Findings()
        self.where = WherePanel()
        self.title, self.help, self.scales = Label(), ElidedLabel(), Label()
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
            "measured", self.tr("Suggest"), self.tr("Find the lowest strengths that do the job, and say why")
        )
        self.suggest.clicked.connect(self.suggestion_wanted)
        self.strip = self._button(
            "pictures", self.tr("Test strip"), self.tr("Show the middle of the view at several strengths, to pick from")
        )
        self.strip.clicked.connect(self.strip_wanted)
        self.pick = self._button(
            "pick",
            self.tr("Pick"),
            self.tr("Click in the picture on what is meant: something neutral that becomes white, or a coloured rim"),
        )
        self.pick.setCheckable(True)
        self.pick.clicked.connect(self.pick_wanted)
        self.automatic = self._button(
            "measured", self.tr("From the sky"), self.tr("Take black, middle and white from the sky and its noise")
        )
        self.automatic.clicked.connect(self.automatic_wanted)
        self.linked = self._button(
            "pair",
            self.tr("Channels alike"),
            self.tr("All channels alike, or each for itself so that the sky is neutral"),
        )
        self.linked.setCheckable(True)
        self.linked.clicked.connect(self.linked_changed)
        self.apply = self._button(
            "add", self.tr("Apply to picture"), self.tr("Make it a step Tone, so that it is exported as well")
        )
        self.apply.clicked.connect(self.apply_wanted)
        self.offers = {  # by the names that charts give them (`Chart.offers`)
            "suggest": self.suggest, "strip": self.strip, "pick": self.pick, "automatic": self.automatic,
            "linked": self.linked, "apply": self.apply,
        }  # fmt: skip
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
        for button in (*self.offers.values(), self.more, self.copy, self.remove):
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
        body.addWidget(self.findings, 0, Qt.AlignmentFlag.AlignTop)
        self.findings.hide()
        page = QWidget()
        self.pages = QStackedLayout(self)
        self.pages.addWidget(page)
        self.pages.addWidget(self.where)
        box = QVBoxLayout(page)
        box.setContentsMargins(10, 3, 10, 3)
        box.setSpacing(2)
        box.addLayout(head)
        box.addLayout(body, 1)

    # -------------------------------------------------------------- what is shown

    def show_step(self, step: AnyStep | None, half: Half = Half.WHAT, viewing: bool = False) -> None:
        """Show a half of a step; rebuilt only when it is another one. ``viewing`` : it is only how one looks."""
        self._step, self._half, self.viewing = step, half, viewing
        limited = isinstance(step, Step) and half is Half.WHERE and not step.kind.gives
        self.pages.setCurrentIndex(1 if limited else 0)
        key = f"{step.kind.id}/{self.more_wanted}/{half}/{viewing}" if isinstance(step, Step) else None
        if key != self._shown or key is None:
            self._rebuild(step, half)
            self._shown = key
        if isinstance(step, Step):
            for name, row in self.rows.items():
                row.show_value(getattr(step.params, name))
            if self.opacity:
                self.opacity.show_value(step.opacity * 100)
            self.blend.setCurrentIndex(self.blend.findData(step.blend.value))

    def show_measured(self, found: NoisePrint | None, facts: str) -> None:
        """Show what was measured of the picture instead of a step."""
        self._step, self._shown, self.viewing = None, None, False
        self.pages.setCurrentIndex(0)
        self._rebuild(None, Half.WHAT)
        self.title.setText(self.tr("Measured"))
        self.help.setText(found.sentence() if found else self.tr("Measuring …"))
        chart = self.charts["noise"]
        chart.locked = True
        chart.show_state(Charted(NoiseParams(luminance=0, colour=0), found))
        self._show_charts(chart, self.histogram)
        self.copy.setVisible(True)
        rows = "".join(
            f"<tr><td>{self.tr(s.name)} ({s.period[0]:g}–{s.period[1]:g} px)&nbsp;</td>"
            f"<td align='right'>&nbsp;{255 * s.luminance:.1f}</td>"
            f"<td align='right'>&nbsp;&nbsp;{255 * s.colour:.1f}</td></tr>"
            for s in (found.scales if found else ())
        )
        words = (self.tr("σ of 255"), self.tr("lum."), self.tr("col."))
        head = "<tr>" + "".join(f"<td>{w}&nbsp;&nbsp;</td>" for w in words) + "</tr>"
        self.scales.setText((f"<table>{head}{rows}</table>" if rows else "") + escape(facts).replace("\n", "<br>"))
        self.scales.show()

    def chart_of(self, step: AnyStep | None) -> Chart | None:
        """The instrument of a step, where it has one."""
        return self.charts.get(step.kind.instrument) if isinstance(step, Step) else None

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
        self.rows, self.opacity = {}, None
        self.scales.hide()

    def _rebuild(self, step: AnyStep | None, half: Half) -> None:
        self._clear()
        what = isinstance(step, Step) and half is Half.WHAT
        self.more.setVisible(isinstance(step, Step) and what and any(c.deeper for c in step.kind.controls()))
        self.remove.setVisible(step is not None and not self.viewing)
        chart = self.chart_of(step) if what else None
        offered = set(chart.offers) if chart else set()
        if not self.viewing:
            offered -= {"linked", "apply"}
        for name, button in self.offers.items():
            button.setVisible(name in offered)
        self.copy.setVisible(chart is not None)
        self._show_charts()
        if not isinstance(step, Step):
            self.title.setText(step.name if step else self.tr("No step chosen"))
            kept = self.tr("Kept as it is in the file: {0}.")
            self.help.setText(
                kept.format(step.reason) if step else self.tr("Choose a step above, or add one with + Step.")
            )
            return
        self.title.setText(self.tr("Brightened for viewing") if self.viewing else self.tr(step.kind.name))
        if not what:
            self.help.setText(self.tr("Everywhere: this step makes another kind of picture, and cannot be limited."))
            return
        only_seen = self.tr("The picture and its export stay as they are, until this is applied.")
        self.help.setText(only_seen if self.viewing else self.tr(step.kind.help))
        if chart:
            chart.locked = False
            self._show_charts(chart)
        self._fill(step)

    def _fill(self, step: Step) -> None:
        columns: list[list[Control]] = self._columns(step)
        blended = not (self.viewing or step.kind.gives)  # what makes another kind of picture is not
        if blended and len(columns[-1]) == 1:
            columns[-1].append(OPACITY)
        elif blended:
            columns.append([OPACITY])
        for column, controls in enumerate(columns):
            at = COLUMNS * column
            for r, control in enumerate(controls):
                self._row(control).place(self.grid, r, at)
            self.grid.setColumnStretch(at + 1, 1)
            self.grid.setColumnMinimumWidth(at + COLUMNS - 1, 8)
        if not blended:
            return
        at, r = COLUMNS * (len(columns) - 1), len(columns[-1])
        self.grid.addWidget(Label(self.tr("Blend"), self), r, at)
        self.grid.addWidget(self.blend, r, at + 1, 1, 2)
        self.blend.show()

    def _row(self, control: Control) -> Row:
        if control is OPACITY:
            self.opacity = NumberRow(OPACITY, lambda _, v, ongoing: self.opacity_changed.emit(v, ongoing), self)
            return self.opacity
        row = CONTROLS[type(control)](control, lambda name, v, ongoing: self.changed.emit({name: v}, ongoing), self)
        self.rows[control.name] = row
        return row

    def _columns(self, step: Step) -> list[list[Control]]:
        """Controls in columns of at most ROWS; a group begins a column of its own."""
        columns: list[list[Control]] = []
        group: str | None = None
        for c in step.kind.controls():
            if self.viewing and c.name not in LEVELS:
                continue
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
