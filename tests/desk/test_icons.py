# SPDX-License-Identifier: Apache-2.0
"""Icons: shipped ones are used, used ones are shipped, and they are drawn at any scale in the theme's colours."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from PySide6.QtCore import QSize
from PySide6.QtGui import QColor, QIcon
from PySide6.QtWidgets import QApplication

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.icons import ACTION_ICONS, icon, icon_of_action
from gloamet.shipped_data import DATA

SOURCE = Path(__file__).parents[2] / "src" / "gloamet" / "desk"


def test_only_icons_that_are_used_are_shipped_and_all_that_are_used() -> None:
    shipped = {path.stem for path in (DATA / "icons").glob("*.svg")}
    text = "\n".join(path.read_text() for path in SOURCE.rglob("*.py"))
    named = {name for name in shipped if f'"{name}"' in text}
    assert shipped == named
    assert set(ACTION_ICONS.values()) <= shipped
    assert (DATA / "icons" / "LICENSE").read_text().startswith("ISC License")


@pytest.mark.parametrize("size", [14, 18, 21, 28])  # of 14 px at scales 1, 1.25, 1.5 and 2
def test_an_icon_is_drawn_for_its_size_in_the_colour_of_its_state(dressed: QApplication, size: int) -> None:
    made = icon("lock", on=theme.INK, off=theme.DIM)
    for state, mode, colour in (
        (QIcon.State.On, QIcon.Mode.Normal, theme.INK),
        (QIcon.State.Off, QIcon.Mode.Normal, theme.DIM),
        (QIcon.State.Off, QIcon.Mode.Disabled, theme.OFF),
    ):
        image = made.pixmap(QSize(size, size), 1.0, mode, state).toImage()
        assert image.width() == size
        pixels = [image.pixelColor(x, y) for x in range(size) for y in range(size)]
        full = [pixel for pixel in pixels if pixel.alpha() > 230]
        assert full, "a scaled picture would have no full pixel left"
        wanted = QColor(colour)
        assert all(abs(pixel.red() - wanted.red()) <= 8 for pixel in full)
        assert any(pixel.alpha() == 0 for pixel in pixels)


def test_one_icon_for_one_verb() -> None:
    assert icon_of_action("Reset to physical") == icon_of_action("Reset") == "rotate-ccw"
    assert icon_of_action("Open shade") == "" != icon_of_action("Open …")
    assert not [words for words in ACTION_ICONS if not re.match("[A-Z]", words)]
