# SPDX-License-Identifier: Apache-2.0
"""Both themes: contrast of every text on the grounds it is drawn on, and a change of theme in a running program."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.palettes import DARK, LIGHT, PALETTES, SURROUNDS, Palette

# text and the grounds it is drawn on; text of disabled controls has no limit
TEXTS = {
    "ink": ("ground", "well", "action", "pointed", "raised", "tip"),
    "dim": ("ground", "well", "action", "surround"),
    "quiet": ("ground", "well"),
    "warning": ("ground", "tip"),
    "main_ink": ("main", "main_pointed"),
}
# graphics that a control is known by, and what they are drawn on (WCAG 2.2, success criterion 1.4.11)
GRAPHICS = {
    "sun": ("ground",),
    "sky": ("ground",),
    "lamps": ("ground",),
    "panorama": ("ground",),
    "filled": ("ground",),
    "focus": ("ground", "well"),
    "switch_on": ("ground",),
}
TEXT_PAIRS = [(name, ink, on) for name in PALETTES for ink, grounds in TEXTS.items() for on in grounds]
GRAPHIC_PAIRS = [(name, ink, on) for name in PALETTES for ink, grounds in GRAPHICS.items() for on in grounds]


def contrast(one: str, other: str) -> float:
    """WCAG 2.2; relative luminance by colour-science."""
    y = [
        float(colour.sRGB_to_XYZ(np.array([int(code[k : k + 2], 16) for k in (1, 3, 5)]) / 255.0)[1])
        for code in (one, other)
    ]
    return (max(y) + 0.05) / (min(y) + 0.05)


@pytest.mark.parametrize(("name", "ink", "ground"), TEXT_PAIRS)
def test_text_stands_out_from_its_ground_by_4_5_to_1(name: str, ink: str, ground: str) -> None:
    palette = PALETTES[name]
    assert contrast(getattr(palette, ink), getattr(palette, ground)) >= 4.5


@pytest.mark.parametrize(("name", "ink", "ground"), GRAPHIC_PAIRS)
def test_graphics_stand_out_from_their_ground_by_3_to_1(name: str, ink: str, ground: str) -> None:
    palette = PALETTES[name]
    assert contrast(getattr(palette, ink), getattr(palette, ground)) >= 3.0


@pytest.mark.parametrize("palette", [DARK, LIGHT])
def test_grounds_are_neutral(palette: Palette) -> None:
    for name in ("ground", "well", "surround", "action", "raised"):
        code = getattr(palette, name)
        assert code[1:3] == code[3:5] == code[5:7], name


def test_every_colour_stands_for_one_field() -> None:
    colours = [*DARK, *LIGHT]
    assert len(set(colours)) == len(colours)


def test_a_change_of_theme_is_seen_at_once_and_kept(qtbot: QtBot) -> None:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    theme.use("light", "middle")
    try:
        assert LIGHT.ink == theme.INK and SURROUNDS["middle"] == theme.SURROUND
        assert theme.shown(DARK.sun) == LIGHT.sun  # a colour that a control was made with
        assert theme.shown("#123456") == "#123456"
        assert app.palette().windowText().color().name() == LIGHT.ink
        assert theme.chosen_theme() == "light" and theme.chosen_surround() == "middle"
    finally:
        theme.use("dark", "theme")
    assert DARK.ink == theme.INK and DARK.surround == theme.SURROUND


def test_a_theme_that_does_not_exist_any_more_is_the_dark_one(qtbot: QtBot) -> None:
    QSettings().setValue("theme", "sepia")
    QSettings().setValue("surround", "plaid")
    assert theme.chosen_theme() == "dark" and theme.chosen_surround() == "theme"
