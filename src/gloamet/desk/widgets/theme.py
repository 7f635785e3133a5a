# SPDX-License-Identifier: Apache-2.0
"""Colours, fonts and the style sheet of the interface."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from gloamet.light_layers import HUES
from gloamet.shipped_data import DATA

GROUND, WELL, SURROUND, LINE = "#2b2b2b", "#262626", "#3a3a3a", "#414141"
RAISED = "#474747"
INK, DIM, QUIET = "#e4e4e4", "#a8a8a8", "#949494"
SUN, SKY, LAMPS, PANORAMA = (HUES[name] for name in ("sun", "sky", "lamps", "panorama"))
WARNING = "#c96a52"
SMALL, NOTE, BODY, LARGE, HUGE = 11, 12, 13, 15, 22
LEFT_WIDTH, RIGHT_WIDTH, RIBBON_HEIGHT, BAR_HEIGHT = 224, 292, 108, 44

STYLE = f"""
* {{ font-family: "Source Sans 3"; font-size: {BODY}px; color: {INK}; }}
QMainWindow, #desk {{ background: {GROUND}; }}
#left, #right, #ribbon, #bar {{ background: {GROUND}; }}
#middle {{ background: {SURROUND}; }}
#bar {{ border-bottom: 1px solid {LINE}; }}
#ribbon {{ border-top: 1px solid {LINE}; }}
#left {{ border-right: 1px solid {LINE}; }}
#right {{ border-left: 1px solid {LINE}; }}
QLabel {{ background: transparent; }}
QLabel[role="note"] {{ color: {DIM}; font-size: {NOTE}px; }}
QLabel[role="head"] {{ color: {QUIET}; font-size: {NOTE}px; font-weight: 600; }}
QLabel[role="big"] {{ font-size: {HUGE}px; font-weight: 600; }}
QLabel[role="warning"] {{ color: {WARNING}; font-size: {NOTE}px; }}
QLabel[role="title"] {{ font-size: {LARGE}px; font-weight: 600; }}
QPushButton {{ background: {WELL}; border: none; border-radius: 3px; padding: 4px 10px; }}
QPushButton:hover {{ background: {RAISED}; }}
QPushButton:focus {{ outline: 1px solid {DIM}; }}
QPushButton:disabled {{ color: {QUIET}; }}
QToolButton {{ background: {WELL}; border: none; border-radius: 3px; padding: 8px; }}
QToolButton:hover {{ background: {RAISED}; }}
QPushButton[role="step"] {{ background: transparent; font-size: {LARGE}px; color: {DIM}; padding: 0 2px;
  border-radius: 0; border-bottom: 2px solid transparent; border-top: 2px solid transparent; }}
QPushButton[role="step"]:hover {{ color: {INK}; }}
QPushButton[role="step"]:checked {{ color: {INK}; font-weight: 600; border-bottom: 2px solid {SUN}; }}
QPushButton[role="link"] {{ background: transparent; color: {DIM}; padding: 0; font-size: {NOTE}px; }}
QPushButton[role="link"]:checked {{ color: {INK}; font-weight: 600; }}
QPushButton[role="link"]:hover {{ color: {INK}; }}
QPushButton[role="link"]:focus {{ outline: none; color: {INK}; text-decoration: underline; }}
QPushButton[role="link"]:disabled {{ color: #6e6e6e; }}
QPushButton[role="piece"] {{ background: {WELL}; color: {DIM}; padding: 4px 6px; border-radius: 3px; }}
QPushButton[role="piece"]:checked {{ background: {RAISED}; color: {INK}; font-weight: 600; }}
QLineEdit, QComboBox {{ background: {WELL}; border: none; border-radius: 3px; padding: 3px 8px;
  selection-background-color: #5a5a5a; min-height: 20px; }}
QLineEdit:focus, QComboBox:focus {{ border: 1px solid {DIM}; padding: 2px 7px; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox QAbstractItemView, QListView {{ background: {WELL}; border: 1px solid {LINE}; outline: none;
  selection-background-color: {RAISED}; }}
QToolTip {{ background: #1f1f1f; color: {INK}; border: 1px solid {LINE}; padding: 4px 6px; font-size: {NOTE}px; }}
QMenu {{ background: {WELL}; border: 1px solid {LINE}; padding: 4px; }}
QMenu::item {{ padding: 4px 18px; }}
QMenu::item:selected {{ background: {RAISED}; }}
QMenu::item:disabled {{ color: {QUIET}; }}
QMenu::separator {{ height: 1px; background: {LINE}; margin: 4px 8px; }}
QScrollArea, #column {{ background: {GROUND}; border: none; }}
QScrollBar:vertical {{ background: {GROUND}; width: 6px; }}
QScrollBar::handle:vertical {{ background: {RAISED}; border-radius: 3px; min-height: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
QTreeWidget, QListWidget {{ background: {WELL}; border: none; outline: none; alternate-background-color: {WELL}; }}
QTreeWidget::item {{ height: 22px; }}
QTreeWidget::item:selected, QListWidget::item:selected {{ background: {RAISED}; color: {INK}; }}
QTreeWidget::indicator {{ width: 11px; height: 11px; border-radius: 6px; background: {GROUND};
  border: 1px solid {LINE}; }}
QTreeWidget::indicator:checked {{ background: {DIM}; }}
QTreeWidget::indicator:indeterminate {{ background: {LINE}; }}
QTreeWidget::branch {{ background: {WELL}; }}
#tray {{ background: {GROUND}; border: 1px solid {LINE}; }}
#sheet {{ background: {GROUND}; }}
QCheckBox {{ spacing: 8px; }}
QCheckBox::indicator {{ width: 14px; height: 14px; border-radius: 3px; background: {WELL}; border: 1px solid {LINE}; }}
QCheckBox::indicator:checked {{ background: {DIM}; border: 3px solid {WELL}; }}
#notice {{ background: #1f1f1f; border-left: 3px solid {WARNING}; }}
#notice[kind="note"] {{ border-left: 3px solid {DIM}; }}
QMessageBox {{ background: {GROUND}; }}
"""


@lru_cache(maxsize=16)
def font(pixels: int = BODY, bold: bool = False) -> QFont:
    """Source Sans 3 at a pixel size, with tabular figures."""
    f = QFont("Source Sans 3")
    f.setPixelSize(pixels)
    f.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    f.setFeature(QFont.Tag("tnum"), 1)
    return f


def apply(app: QApplication) -> None:
    """Load the shipped fonts and dress the application."""
    for name in ("SourceSans3-Regular.ttf", "SourceSans3-Semibold.ttf"):
        data = (DATA / "fonts" / name).read_bytes()
        QFontDatabase.addApplicationFontFromData(data)
    app.setStyle("Fusion")
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, GROUND),
        (QPalette.ColorRole.WindowText, INK),
        (QPalette.ColorRole.Base, WELL),
        (QPalette.ColorRole.Text, INK),
        (QPalette.ColorRole.Button, WELL),
        (QPalette.ColorRole.ButtonText, INK),
        (QPalette.ColorRole.Highlight, RAISED),
        (QPalette.ColorRole.HighlightedText, INK),
        (QPalette.ColorRole.PlaceholderText, QUIET),
    ):
        palette.setColor(role, QColor(colour))
    app.setPalette(palette)
    app.setFont(font())
    app.setStyleSheet(STYLE)
