"""Colours, font and style sheet. Neutral greys, so that the surroundings do not sway the eye; one accent."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication


@dataclass(frozen=True)
class Colours:
    """A theme. Text on every surface has a contrast of at least 4.5 : 1 (tested)."""

    name: str
    ground: str
    surface: str
    raised: str
    line: str
    text: str
    faint: str
    accent: str
    on_accent: str
    warn: str
    disabled: str
    warn_ground: str
    curves: dict[str, str]


DARK = Colours(
    name="dark", ground="#262626", surface="#303030", raised="#3c3c3c", line="#545454", text="#ececec", faint="#bcbcbc",
    accent="#6fc3b2", on_accent="#10211d", warn="#e8b45a", disabled="#a6a6a6", warn_ground="#4a3d22",
    curves={"red": "#e08585", "green": "#84c07d", "blue": "#86a6e8", "luminance": "#ececec"},
)  # fmt: skip
LIGHT = Colours(
    name="light", ground="#c6c6c6", surface="#d6d6d6", raised="#e6e6e6", line="#9c9c9c", text="#1c1c1c",
    faint="#404040", accent="#0b5e50", on_accent="#ffffff", warn="#8a5a00", disabled="#525252", warn_ground="#f2e2bd",
    curves={"red": "#a33333", "green": "#2f6e28", "blue": "#2f4fa8", "luminance": "#1c1c1c"},
)  # fmt: skip
OVERLAY = "#6fc3b2"  # of lines on the picture, in every theme
THEMES = {t.name: t for t in (DARK, LIGHT)}
_current = DARK


def colours() -> Colours:
    """The theme in use."""
    return _current


def sheet(c: Colours) -> str:
    """The style sheet of a theme."""
    return f"""
QWidget {{ background: {c.surface}; color: {c.text}; font-size: 12px; }}
QMainWindow, QMenuBar, QStatusBar {{ background: {c.ground}; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {c.raised}; }}
QMenu {{ background: {c.surface}; border: 1px solid {c.line}; }}
QMenu::item:disabled {{ color: {c.disabled}; }}
QToolTip {{ background: {c.raised}; color: {c.text}; border: 1px solid {c.line}; padding: 3px; }}
QPushButton, QToolButton, QComboBox, QLineEdit, QDoubleSpinBox, QSpinBox {{
    background: {c.raised}; border: 1px solid {c.line}; border-radius: 3px; padding: 2px 6px; min-height: 18px; }}
QPushButton:hover, QToolButton:hover, QComboBox:hover {{ border-color: {c.faint}; }}
QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus, QDoubleSpinBox:focus, QSpinBox:focus,
QSlider:focus, QCheckBox:focus {{ border: 1px solid {c.accent}; }}
QPushButton:checked, QToolButton:checked {{ background: {c.accent}; color: {c.on_accent}; border-color: {c.accent}; }}
QPushButton:disabled, QToolButton:disabled, QComboBox:disabled {{ color: {c.disabled}; background: {c.surface}; }}
QPushButton:default {{ border-color: {c.accent}; }}
QToolButton {{ padding: 2px 4px; }}
QToolButton::menu-indicator {{ image: none; width: 0; }}
QComboBox QAbstractItemView {{
    background: {c.surface}; selection-background-color: {c.raised}; selection-color: {c.text}; }}
QSlider {{ border: 1px solid transparent; min-height: 16px; }}
QSlider::groove:horizontal {{ height: 3px; background: {c.line}; border-radius: 1px; }}
QSlider::sub-page:horizontal {{ background: {c.accent}; border-radius: 1px; }}
QSlider::sub-page:horizontal:disabled {{ background: {c.line}; }}
QSlider::handle:horizontal {{ width: 10px; margin: -5px 0; background: {c.text}; border-radius: 5px; }}
QSlider::handle:horizontal:disabled {{ background: {c.line}; }}
QLabel:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled {{ color: {c.disabled}; background: {c.surface}; }}
QCheckBox {{ border: 1px solid transparent; border-radius: 3px; }}
QProgressBar {{ background: {c.raised}; border: none; height: 6px; border-radius: 3px; }}
QProgressBar::chunk {{ background: {c.accent}; border-radius: 3px; }}
QTextBrowser, QListWidget, QTableWidget {{ background: {c.raised}; border: 1px solid {c.line}; }}
#strip {{ background: {c.ground}; }}
#strip QLabel {{ background: {c.ground}; }}
#bare {{ border: none; background: transparent; padding: 0; min-height: 14px; }}
#figure {{ border: none; background: transparent; padding: 0 4px; text-align: left; }}
#figure:hover {{ color: {c.accent}; }}
#chip {{ background: {c.raised}; border: 1px solid {c.line}; border-radius: 4px; }}
#chip[chosen="true"] {{ border: 1px solid {c.accent}; }}
#chip QLabel, #chip QCheckBox {{ background: transparent; }}
#chip[off="true"] QLabel {{ color: {c.faint}; }}
#chip[worse="true"] {{ border: 1px dashed {c.warn}; }}
#probe {{ background: {c.surface}; border: 1px solid transparent; border-radius: 3px; }}
#probe:hover, #probe:focus {{ border: 1px solid {c.accent}; }}
#probe QLabel {{ background: transparent; }}
#faint, #summary {{ color: {c.faint}; }}
#heading {{ font-weight: 600; }}
#headline {{ font-size: 14px; font-weight: 600; }}
#title {{ font-size: 18px; font-weight: 600; }}
#warning {{ color: {c.warn}; }}
#notice {{ background: {c.warn_ground}; border: 1px solid {c.warn}; border-radius: 3px; }}
#notice QLabel {{ background: transparent; }}
#popup {{ background: {c.surface}; border: 1px solid {c.line}; }}
"""


def _load_font() -> str:
    family = ""
    for path in sorted((Path(__file__).parent / "fonts").glob("*.otf")):
        number = QFontDatabase.addApplicationFont(str(path))
        families = QFontDatabase.applicationFontFamilies(number) if number >= 0 else []
        family = family or (families[0] if families else "")
    return family


def apply_theme(app: QApplication, name: str = "dark") -> None:
    """Set font, palette and style sheet of a theme; unknown names give the dark one."""
    global _current
    _current = c = THEMES.get(name, DARK)
    app.setStyle("Fusion")
    family = app.property("dustpan_font") or _load_font()
    app.setProperty("dustpan_font", family)
    if family:
        font = QFont(family)
        font.setPixelSize(12)
        app.setFont(font)
    palette = QPalette()
    role = QPalette.ColorRole
    pairs = {
        role.Window: c.surface, role.Base: c.raised, role.Button: c.raised, role.WindowText: c.text, role.Text: c.text,
        role.ButtonText: c.text, role.Highlight: c.accent, role.HighlightedText: c.on_accent,
        role.PlaceholderText: c.faint, role.ToolTipBase: c.raised, role.ToolTipText: c.text, role.Link: c.accent,
    }  # fmt: skip
    for r, colour in pairs.items():
        palette.setColor(r, QColor(colour))
    app.setPalette(palette)
    app.setStyleSheet(sheet(c))
