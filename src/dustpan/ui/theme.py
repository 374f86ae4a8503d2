"""Colours, font and style sheet. Neutral greys, so that the surroundings do not sway the eye; one accent."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

GROUND, SURFACE, RAISED, LINE = "#262626", "#303030", "#3c3c3c", "#4a4a4a"
TEXT, FAINT, ACCENT, WARN = "#ececec", "#b4b4b4", "#6fc3b2", "#e8b45a"
CURVES = {"red": "#e08585", "green": "#84c07d", "blue": "#86a6e8", "luminance": "#ececec"}

SHEET = f"""
QWidget {{ background: {SURFACE}; color: {TEXT}; font-size: 12px; }}
QMainWindow, QMenuBar, QStatusBar {{ background: {GROUND}; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {RAISED}; }}
QMenu {{ background: {SURFACE}; border: 1px solid {LINE}; }}
QMenu::item:disabled {{ color: #808080; }}
QToolTip {{ background: {RAISED}; color: {TEXT}; border: 1px solid {LINE}; padding: 3px; }}
QPushButton, QToolButton, QComboBox, QLineEdit, QDoubleSpinBox, QSpinBox {{
    background: {RAISED}; border: 1px solid {LINE}; border-radius: 3px; padding: 2px 6px; min-height: 18px; }}
QPushButton:hover, QToolButton:hover, QComboBox:hover {{ border-color: {FAINT}; }}
QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus, QDoubleSpinBox:focus, QSpinBox:focus,
QSlider:focus, QCheckBox:focus {{ border: 1px solid {ACCENT}; }}
QPushButton:checked, QToolButton:checked {{ background: {ACCENT}; color: #10211d; border-color: {ACCENT}; }}
QPushButton:disabled, QToolButton:disabled, QComboBox:disabled {{ color: #808080; }}
QPushButton:default {{ border-color: {ACCENT}; }}
QToolButton::menu-indicator {{ image: none; width: 0; }}
QComboBox QAbstractItemView {{ background: {SURFACE}; selection-background-color: {RAISED}; selection-color: {TEXT}; }}
QSlider {{ border: 1px solid transparent; min-height: 16px; }}
QSlider::groove:horizontal {{ height: 3px; background: {LINE}; border-radius: 1px; }}
QSlider::sub-page:horizontal {{ background: {ACCENT}; border-radius: 1px; }}
QSlider::sub-page:horizontal:disabled {{ background: {LINE}; }}
QSlider::handle:horizontal:disabled {{ background: #707070; }}
QLabel:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled {{ color: #808080; }}
QSlider::handle:horizontal {{ width: 10px; margin: -5px 0; background: {TEXT}; border-radius: 5px; }}
QCheckBox {{ border: 1px solid transparent; border-radius: 3px; }}
QProgressBar {{ background: {RAISED}; border: none; height: 6px; border-radius: 3px; }}
QProgressBar::chunk {{ background: {ACCENT}; border-radius: 3px; }}
#strip {{ background: {GROUND}; }}
#strip QLabel {{ background: {GROUND}; }}
#chip {{ background: {RAISED}; border: 1px solid {LINE}; border-radius: 4px; }}
#chip[chosen="true"] {{ border: 1px solid {ACCENT}; }}
#chip QLabel, #chip QCheckBox {{ background: transparent; }}
#chip[off="true"] QLabel {{ color: #909090; }}
#faint, #summary {{ color: {FAINT}; }}
#heading {{ font-weight: 600; }}
#notice {{ background: #4a3d22; border: 1px solid {WARN}; border-radius: 3px; }}
#notice QLabel {{ background: transparent; }}
"""


def apply_theme(app: QApplication) -> None:
    """Load the shipped font and set palette and style sheet."""
    family = ""
    for path in sorted((Path(__file__).parent / "fonts").glob("*.otf")):
        number = QFontDatabase.addApplicationFont(str(path))
        families = QFontDatabase.applicationFontFamilies(number) if number >= 0 else []
        family = family or (families[0] if families else "")
    app.setStyle("Fusion")
    if family:
        font = QFont(family)
        font.setPixelSize(12)
        app.setFont(font)
    palette = QPalette()
    role = QPalette.ColorRole
    pairs = {
        role.Window: SURFACE, role.Base: RAISED, role.Button: RAISED, role.WindowText: TEXT, role.Text: TEXT,
        role.ButtonText: TEXT, role.Highlight: ACCENT, role.HighlightedText: "#10211d", role.PlaceholderText: FAINT,
        role.ToolTipBase: RAISED, role.ToolTipText: TEXT,
    }  # fmt: skip
    for r, colour in pairs.items():
        palette.setColor(r, QColor(colour))
    app.setPalette(palette)
    app.setStyleSheet(SHEET)
