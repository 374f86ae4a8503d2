"""The left column: the picture's facts and its noise print, as a sentence and as a chart."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from dustpan.core.noise.noise_print import NAMES, NoisePrint
from dustpan.ui.theme import CURVES, FAINT, GROUND, LINE

WIDTH = 196


class PrintChart(QWidget):
    """Sigma in 1/255 against brightness, one curve a channel."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(120)
        self.print: NoisePrint | None = None
        self.setAccessibleName(self.tr("Chart of the noise against brightness"))
        self.setToolTip(self.tr("Measured noise (sigma, of 255) from black on the left to white on the right"))

    def show_print(self, found: NoisePrint | None) -> None:
        self.print = found
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(GROUND))
        area = QRectF(26, 8, self.width() - 34, self.height() - 28)
        painter.setPen(QPen(QColor(LINE), 1))
        painter.drawRect(area)
        painter.setPen(QColor(FAINT))
        painter.drawText(
            QRectF(area.left(), area.bottom() + 2, area.width(), 16),
            Qt.AlignmentFlag.AlignLeft,
            self.tr("dark"),
        )
        painter.drawText(
            QRectF(area.left(), area.bottom() + 2, area.width(), 16),
            Qt.AlignmentFlag.AlignRight,
            self.tr("bright"),
        )
        if self.print is None:
            return
        levels = np.linspace(0.01, 0.99, 60)
        sigma = 255 * self.print.channel_sigma(levels)
        top = max(4.0, float(np.ceil(sigma.max() / 4) * 4))
        flag = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, area.top() - 7, 22, 14), flag, f"{top:.0f}")
        painter.drawText(QRectF(0, area.bottom() - 7, 22, 14), flag, "0")
        names = NAMES if len(sigma) == 3 else ("luminance",)
        for name, curve in zip(names, sigma, strict=True):
            painter.setPen(QPen(QColor(CURVES[name]), 1.6))
            points = [
                QPointF(area.left() + x * area.width(), area.bottom() - s / top * area.height())
                for x, s in zip(levels, curve, strict=True)
            ]
            painter.drawPolyline(QPolygonF(points))


class PrintPanel(QWidget):
    """Facts, sentence, chart, scales."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(WIDTH)
        self.facts = QLabel()
        self.facts.setObjectName("faint")
        self.sentence = QLabel()
        self.chart = PrintChart()
        self.scales = QLabel()
        self.scales.setTextFormat(Qt.TextFormat.RichText)
        self.name = QLabel()
        self.name.setObjectName("heading")
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 8, 8)
        box.setSpacing(6)
        heading = QLabel(self.tr("Noise print"))
        heading.setObjectName("heading")
        scales_heading = QLabel(self.tr("By size, of 255"))
        scales_heading.setObjectName("heading")
        for w in (self.name, self.facts, heading, self.sentence, self.chart, scales_heading, self.scales):
            if isinstance(w, QLabel):
                w.setWordWrap(True)
            box.addWidget(w)
        box.addStretch(1)

    def show_picture(self, name: str, facts: str, found: NoisePrint | None) -> None:
        self.name.setText(name)
        self.facts.setText(facts)
        self.chart.show_print(found)
        self.sentence.setText(
            found.sentence() if found else self.tr("Measuring …") if name else self.tr("No picture is open.")
        )
        rows = "".join(
            f"<tr><td>{s.name} ({s.period[0]:g}–{s.period[1]:g} px)&nbsp;</td>"
            f"<td align='right'>&nbsp;{255 * s.luminance:.1f}</td>"
            f"<td align='right'>&nbsp;&nbsp;{255 * s.colour:.1f}</td></tr>"
            for s in (found.scales if found else ())
        )
        head = f"<tr><td></td><td>&nbsp;{self.tr('lum.')}</td><td>&nbsp;&nbsp;{self.tr('col.')}</td></tr>"
        self.scales.setText(f"<table>{head}{rows}</table>" if rows else "")
