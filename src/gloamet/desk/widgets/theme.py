# SPDX-License-Identifier: Apache-2.0
"""Colours, fonts and the style sheet of the interface."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from gloamet.light_layers import HUES
from gloamet.shipped_data import DATA

GROUND, WELL, SURROUND, LINE = "#2b2b2b", "#222222", "#3a3a3a", "#414141"
ACTION, POINTED, RAISED, OUTLINE = "#383838", "#474747", "#4a4a4a", "#505050"
INK, DIM, QUIET, OFF = "#e8e8e8", "#b0b0b0", "#969696", "#707070"
MAIN, MAIN_POINTED, MAIN_INK = "#dcdcdc", "#f0f0f0", "#1d1d1d"  # the one light action of a panel
FOCUS, TRACK, FILLED, SWITCH_ON, KNOB = "#d0d0d0", "#474747", "#c4c4c4", "#8f8f8f", "#f2f2f2"
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
QPushButton {{ background: {ACTION}; border: 1px solid transparent; border-radius: 4px; padding: 3px 8px; }}
QPushButton:hover {{ background: {POINTED}; }}
QPushButton:focus {{ outline: none; border: 1px solid {FOCUS}; }}
QPushButton:disabled {{ color: {OFF}; background: transparent; border: 1px solid {ACTION}; }}
QToolButton {{ background: {WELL}; border: none; border-radius: 3px; padding: 8px; }}
QToolButton:hover {{ background: {RAISED}; }}
QPushButton[role="step"] {{ background: transparent; font-size: {LARGE}px; color: {DIM}; padding: 0 2px;
  border-radius: 0; border-bottom: 2px solid transparent; border-top: 2px solid transparent; }}
QPushButton[role="project"] {{ background: transparent; font-size: {LARGE}px; font-weight: 600; padding: 0 2px; }}
QPushButton[role="project"]:hover {{ background: {ACTION}; }}
QPushButton[role="step"]:hover {{ color: {INK}; }}
QPushButton[role="step"]:checked {{ color: {INK}; font-weight: 600; border-bottom: 2px solid {SUN}; }}
QPushButton[role="action"], QPushButton[role="main"] {{ font-size: {NOTE}px; min-height: 22px; max-height: 22px;
  padding: 0 8px; }}
QPushButton[role="action"]:checked {{ background: {RAISED}; font-weight: 600; border: 1px solid {OUTLINE}; }}
QPushButton[role="action"]:checked:focus {{ border: 1px solid {FOCUS}; }}
QPushButton[role="main"] {{ background: {MAIN}; color: {MAIN_INK}; font-weight: 600; }}
QPushButton[role="main"]:hover {{ background: {MAIN_POINTED}; }}
QPushButton[role="main"]:disabled {{ color: {OFF}; background: transparent; border: 1px solid {ACTION}; }}
QPushButton[role="head"] {{ background: transparent; color: {QUIET}; font-size: {NOTE}px; font-weight: 600;
  text-align: right; padding: 0; min-height: 20px; max-height: 20px; }}
QPushButton[role="head"]:hover {{ color: {INK}; }}
QPushButton[role="tool"] {{ background: transparent; padding: 0; min-width: 26px; min-height: 24px; max-height: 24px; }}
QPushButton[role="tool"]:hover {{ background: {ACTION}; }}
QPushButton[role="tool"]:checked {{ background: {RAISED}; }}
QPushButton[role="tool"]:disabled {{ border: 1px solid transparent; }}
QFrame[role="stepper"] {{ background: {ACTION}; border-radius: 4px; }}
QPushButton[role="step-end"] {{ background: transparent; padding: 0; min-width: 11px; max-width: 11px; min-height: 20px;
  max-height: 20px; }}
QPushButton[role="step-end"]:hover {{ background: {POINTED}; }}
QFrame[role="segments"] {{ background: {WELL}; border-radius: 5px; }}
QPushButton[role="segment"] {{ background: transparent; color: {DIM}; font-size: {NOTE}px; padding: 0 4px;
  min-height: 20px; max-height: 20px; }}
QPushButton[role="segment"]:hover {{ color: {INK}; }}
QPushButton[role="segment"]:checked {{ background: {RAISED}; color: {INK}; font-weight: 600; }}
QPushButton[role="segment"]:checked:focus, QPushButton[role="segment"]:focus {{ border: 1px solid {FOCUS}; }}
QPushButton[role="segment"]:disabled {{ color: {OFF}; border: 1px solid transparent; }}
QPushButton[role="piece"] {{ background: transparent; color: {DIM}; border: 1px solid {OUTLINE}; border-radius: 11px;
  font-size: {NOTE}px; padding: 0 8px; min-height: 20px; max-height: 20px; }}
QPushButton[role="piece"]:hover {{ color: {INK}; }}
QPushButton[role="piece"]:checked {{ background: {RAISED}; color: {INK}; font-weight: 600; }}
QPushButton[role="piece"]:focus {{ border: 1px solid {FOCUS}; }}
QLineEdit, QComboBox {{ background: {WELL}; border: none; border-radius: 3px; padding: 3px 8px;
  selection-background-color: {OUTLINE}; min-height: 20px; }}
QLineEdit:focus, QComboBox:focus {{ border: 1px solid {DIM}; padding: 2px 7px; }}
QLineEdit[role="short"] {{ padding: 3px 4px; }}
QLineEdit[role="huge"] {{ font-size: {HUGE}px; font-weight: 600; background: transparent; padding: 0; }}
#kept {{ background: {SURROUND}; }}
#finder {{ background: {GROUND}; border: 1px solid {OUTLINE}; border-radius: 6px; }}
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
