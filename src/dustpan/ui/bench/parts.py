"""The bench's widgets and where everything lies; nothing here knows what they do."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from dustpan.ui.bench.bars import BottomLine, TopBar
from dustpan.ui.bench.canvas import Canvas
from dustpan.ui.bench.inspect_palette import InspectPalette
from dustpan.ui.bench.probe_panel import ProbePanel
from dustpan.ui.bench.sweep_line import SweepLine
from dustpan.ui.bench.tools import DividerTool, HitsTool, LineTool, PickTool, ProbesTool
from dustpan.ui.bench.tray import Tray
from dustpan.ui.bench.where_tools import PART_TOOLS, BrushTool
from dustpan.ui.look.plain import Label
from dustpan.ui.notice import NoticeBar


class BenchParts(QWidget):
    """Holds the widgets. ``canvas`` is handed on when the others are made anew for another language or theme."""

    def __init__(self, parent: QWidget, canvas: Canvas | None = None) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.top, self.bottom, self.notice = TopBar(), BottomLine(), NoticeBar()
        self.sweep_line, self.tray, self.probes = SweepLine(), Tray(), ProbePanel()
        self.canvas = canvas or Canvas()
        self.canvas.setAccessibleName(self.tr("Picture"))
        self.divider_tool, self.line_tool, self.probes_tool = DividerTool(), LineTool(), ProbesTool()
        self.pick_tool, self.hits_tool = PickTool(), HitsTool()
        self.part_tools = {name: make() for name, make in PART_TOOLS.items()}
        self.canvas.tools = [
            self.pick_tool,
            self.divider_tool,
            *self.part_tools.values(),
            self.hits_tool,
            self.line_tool,
            self.probes_tool,
            self.canvas.pan,
        ]
        self.pages = QStackedWidget()
        self.pages.addWidget(self._empty_page())
        self.pages.addWidget(self.canvas)
        self.palette_ = InspectPalette(parent)
        self.thumbnail = QLabel(self, Qt.WindowType.ToolTip)  # a picture
        self.thumbnail.setObjectName("popup")
        right, middle, whole = QVBoxLayout(), QHBoxLayout(), QVBoxLayout(self)
        for layout in (right, middle, whole):
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(0)
        right.addWidget(self.notice)
        right.addWidget(self.pages, 1)
        right.addWidget(self.sweep_line)
        right.addWidget(self.tray)
        middle.addWidget(self.probes)
        middle.addLayout(right, 1)
        whole.addWidget(self.top)
        whole.addLayout(middle, 1)
        whole.addWidget(self.bottom)

    @property
    def brush_tool(self) -> BrushTool:
        """What paints; it has keys and controls of its own."""
        tool = self.part_tools["brush"]
        assert isinstance(tool, BrushTool)
        return tool

    def _empty_page(self) -> QWidget:
        page = QWidget()
        title = Label(self.tr("Open a picture to measure its noise"))
        title.setObjectName("title")
        text = Label(
            self.tr(
                "Drop pictures here, or open them. Nothing is written over:\nthe sweep is saved beside the picture."
            )
        )
        text.setObjectName("faint")
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty_open = QPushButton(self.tr("Open …"))
        self.empty_demo = QPushButton(self.tr("Open the demo pictures"))
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.empty_open)
        buttons.addWidget(self.empty_demo)
        buttons.addStretch(1)
        box = QVBoxLayout(page)
        box.addStretch(1)
        box.addWidget(title, 0, Qt.AlignmentFlag.AlignCenter)
        box.addWidget(text, 0, Qt.AlignmentFlag.AlignCenter)
        box.addLayout(buttons)
        box.addStretch(1)
        return page
