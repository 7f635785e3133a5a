# SPDX-License-Identifier: Apache-2.0
"""Colours, fonts and the style sheet of the interface: `theme.INK` is a colour of the palette in use."""

from __future__ import annotations

from functools import lru_cache
from string import Template

from PySide6.QtCore import QSettings
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from gloamet.desk.widgets.palettes import DARK, FIELD_OF_COLOUR, PALETTES, SURROUNDS, Palette
from gloamet.shipped_data import DATA

SMALL, NOTE, BODY, LARGE, HUGE = 11, 12, 13, 15, 22
RIBBON_HEIGHT, BAR_HEIGHT = 108, 44
# drawn over pictures, whose own brightness does not follow the theme
PICTURE_INK, PICTURE_DIM, PICTURE_QUIET, PICTURE_SHADE = "#e8e8e8", "#b0b0b0", "#969696", "#2b2b2b"
PICTURE_SUN, PICTURE_PANORAMA = DARK.sun, DARK.panorama

_now = {"palette": DARK, "surround": ""}


STYLE = Template("""
* { font-family: "Source Sans 3"; font-size: ${body}px; color: $ink; }
QMainWindow, #desk { background: $ground; }
#left, #right, #ribbon, #bar { background: $ground; }
#middle { background: $behind; }
#bar { border-bottom: 1px solid $line; }
#ribbon { border-top: 1px solid $line; }
#left { border-right: 1px solid $line; }
#right { border-left: 1px solid $line; }
QLabel { background: transparent; }
QLabel[role="note"] { color: $dim; font-size: ${note}px; }
QLabel[role="head"] { color: $quiet; font-size: ${note}px; font-weight: 600; }
QLabel[role="big"] { font-size: ${huge}px; font-weight: 600; }
QLabel[role="warning"] { color: $warning; font-size: ${note}px; }
QLabel[role="title"] { font-size: ${large}px; font-weight: 600; }
QPushButton { background: $action; border: 1px solid transparent; border-radius: 4px; padding: 3px 8px; }
QPushButton:hover { background: $pointed; }
QPushButton:focus { outline: none; border: 1px solid $focus; }
QPushButton:disabled { color: $off; background: transparent; border: 1px solid $action; }
QToolButton { background: $well; border: none; border-radius: 3px; padding: 8px; }
QToolButton:hover { background: $raised; }
QPushButton[role="step"] { background: transparent; font-size: ${large}px; color: $dim; padding: 0 2px;
  border-radius: 0; border-bottom: 2px solid transparent; border-top: 2px solid transparent; }
QPushButton[role="project"] { background: transparent; font-size: ${large}px; font-weight: 600; padding: 0 2px; }
QPushButton[role="project"]:hover { background: $action; }
QPushButton[role="step"]:hover { color: $ink; }
QPushButton[role="step"]:checked { color: $ink; font-weight: 600; border-bottom: 2px solid $sun; }
QPushButton[role="action"], QPushButton[role="main"] { font-size: ${note}px; min-height: 22px; max-height: 22px;
  padding: 0 8px; }
QPushButton[role="action"]:checked { background: $raised; font-weight: 600; border: 1px solid $outline; }
QPushButton[role="action"]:checked:focus { border: 1px solid $focus; }
QPushButton[role="main"] { background: $main; color: $main_ink; font-weight: 600; }
QPushButton[role="main"]:hover { background: $main_pointed; }
QPushButton[role="main"]:disabled { color: $off; background: transparent; border: 1px solid $action; }
QPushButton[role="row"] { background: transparent; text-align: left; padding: 0 4px; min-height: 22px;
  max-height: 22px; }
QPushButton[role="row"]:hover { background: $action; }
QPushButton[role="row"]:focus { border: 1px solid $focus; }
QPushButton[role="head"] { background: transparent; color: $quiet; font-size: ${note}px; font-weight: 600;
  text-align: right; padding: 0; min-height: 20px; max-height: 20px; }
QPushButton[role="head"]:hover { color: $ink; }
QPushButton[role="tool"] { background: transparent; padding: 0; min-width: 26px; min-height: 24px; max-height: 24px; }
QPushButton[role="tool"]:hover { background: $action; }
QPushButton[role="tool"]:checked { background: $raised; }
QPushButton[role="tool"]:disabled { border: 1px solid transparent; }
QFrame[role="stepper"] { background: $action; border-radius: 4px; }
QPushButton[role="step-end"] { background: transparent; padding: 0; min-width: 11px; max-width: 11px; min-height: 20px;
  max-height: 20px; }
QPushButton[role="step-end"]:hover { background: $pointed; }
QFrame[role="segments"] { background: $well; border-radius: 5px; }
QPushButton[role="segment"] { background: transparent; color: $dim; font-size: ${note}px; padding: 0 4px;
  min-height: 20px; max-height: 20px; }
QPushButton[role="segment"]:hover { color: $ink; }
QPushButton[role="segment"]:checked { background: $raised; color: $ink; font-weight: 600; }
QPushButton[role="segment"]:checked:focus, QPushButton[role="segment"]:focus { border: 1px solid $focus; }
QPushButton[role="segment"]:disabled { color: $off; border: 1px solid transparent; }
QPushButton[role="piece"] { background: transparent; color: $dim; border: 1px solid $outline;
  border-radius: 11px; font-size: ${note}px; padding: 0 8px; min-height: 20px; max-height: 20px; }
QPushButton[role="piece"]:hover { color: $ink; }
QPushButton[role="piece"]:checked { background: $raised; color: $ink; font-weight: 600; }
QPushButton[role="piece"]:focus { border: 1px solid $focus; }
QLineEdit, QComboBox { background: $well; border: none; border-radius: 3px; padding: 3px 8px;
  selection-background-color: $outline; min-height: 20px; }
QLineEdit:focus, QComboBox:focus { border: 1px solid $dim; padding: 2px 7px; }
QLineEdit[role="short"] { padding: 3px 4px; }
QLineEdit[role="huge"] { font-size: ${huge}px; font-weight: 600; background: transparent; padding: 0; }
#kept { background: $behind; }
#finder { background: $ground; border: 1px solid $outline; border-radius: 6px; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox QAbstractItemView, QListView { background: $well; border: 1px solid $line; outline: none;
  selection-background-color: $raised; }
QToolTip { background: $tip; color: $ink; border: 1px solid $line; padding: 4px 6px; font-size: ${note}px; }
QMenu { background: $well; border: 1px solid $line; padding: 4px; }
QMenu::item { padding: 4px 18px; }
QMenu::item:selected { background: $raised; }
QMenu::item:disabled { color: $quiet; }
QMenu::separator { height: 1px; background: $line; margin: 4px 8px; }
QScrollArea, #column { background: $ground; border: none; }
QScrollBar:vertical { background: $ground; width: 6px; }
QScrollBar::handle:vertical { background: $raised; border-radius: 3px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; }
QTreeWidget, QListWidget { background: $well; border: none; outline: none; alternate-background-color: $well; }
QTreeWidget::item { height: 22px; }
QTreeWidget::item:selected, QListWidget::item:selected { background: $raised; color: $ink; }
QTreeWidget::branch { background: $well; }
#tray { background: $ground; border: 1px solid $line; }
#sheet { background: $ground; }
#notice { background: $tip; border-left: 3px solid $warning; }
#notice[kind="note"] { border-left: 3px solid $dim; }
QMessageBox { background: $ground; }
""")


def __getattr__(name: str) -> str:
    """A colour of the present palette, by its name in capitals."""
    palette, surround = _now["palette"], _now["surround"]
    if name == "SURROUND" and surround:
        return str(surround)
    if name.lower() in Palette._fields:
        return str(getattr(palette, name.lower()))
    raise AttributeError(name)


def shown(colour: str) -> str:
    """A colour of either palette as the present one has it; others stay."""
    name = FIELD_OF_COLOUR.get(colour, "")
    return str(getattr(_now["palette"], name)) if name else colour


def style_sheet(c: Palette, surround: str) -> str:
    """The style sheet of the interface in a palette, with a colour behind the picture."""
    sizes = {"body": BODY, "note": NOTE, "large": LARGE, "huge": HUGE}
    return STYLE.substitute(c._asdict(), behind=surround, **sizes)


@lru_cache(maxsize=16)
def font(pixels: int = BODY, bold: bool = False) -> QFont:
    """Source Sans 3 at a pixel size, with tabular figures."""
    f = QFont("Source Sans 3")
    f.setPixelSize(pixels)
    f.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    f.setFeature(QFont.Tag("tnum"), 1)
    return f


def apply(app: QApplication) -> None:
    """Load the shipped fonts and dress the application as it was left."""
    for name in ("SourceSans3-Regular.ttf", "SourceSans3-Semibold.ttf"):
        data = (DATA / "fonts" / name).read_bytes()
        QFontDatabase.addApplicationFontFromData(data)
    app.setStyle("Fusion")
    app.setFont(font())
    use(chosen_theme(), chosen_surround(), keep=False)


def chosen_theme() -> str:
    """The theme that was used last, a key of `PALETTES`."""
    name = str(QSettings().value("theme", "dark"))
    return name if name in PALETTES else "dark"


def chosen_surround() -> str:
    """What stood behind the picture last, a key of `SURROUNDS`."""
    name = str(QSettings().value("surround", "theme"))
    return name if name in SURROUNDS else "theme"


def use(theme: str, surround: str, keep: bool = True) -> None:
    """Dress the application in a theme, with a surround of the picture; kept for the next start."""
    c = PALETTES[theme]
    _now.update(palette=c, surround=SURROUNDS[surround])
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, c.ground),
        (QPalette.ColorRole.WindowText, c.ink),
        (QPalette.ColorRole.Base, c.well),
        (QPalette.ColorRole.Text, c.ink),
        (QPalette.ColorRole.Button, c.well),
        (QPalette.ColorRole.ButtonText, c.ink),
        (QPalette.ColorRole.Highlight, c.raised),
        (QPalette.ColorRole.HighlightedText, c.ink),
        (QPalette.ColorRole.PlaceholderText, c.quiet),
    ):
        palette.setColor(role, QColor(colour))
    app = QApplication.instance()
    if isinstance(app, QApplication):
        app.setPalette(palette)
        app.setStyleSheet(style_sheet(c, SURROUNDS[surround] or c.surround))
    if keep:
        QSettings().setValue("theme", theme)
        QSettings().setValue("surround", surround)
