# SPDX-License-Identifier: Apache-2.0
"""Geometry of number rows, at both ends of every range that the panels show."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QFontMetricsF

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.window import DeskWindow


def rows(window: DeskWindow) -> list[NumberRow]:
    return [row for k in range(window.stack.count()) for row in window.stack.panel(k).findChildren(NumberRow)]


def test_every_number_fits_its_well_and_keeps_its_slider_at_both_ends(window: DeskWindow) -> None:
    measure = QFontMetricsF(theme.font(bold=True))
    shown = rows(window)
    assert len(shown) > 60
    for row in shown:
        row.resize(253, row.height())  # of a panel of 291 px with its margins and scroll bar
        for value in (row.field.low, row.field.high):
            assert measure.horizontalAdvance(row.field.text(value)) <= row.well().width() - 8, row.label
        assert row.slider().width() >= 40 and row.slider().right() < row.well().left(), row.label


@pytest.mark.parametrize("fraction", [0.0, 0.3, 1.0])
def test_a_knob_is_drawn_where_a_press_would_put_it(window: DeskWindow, fraction: float) -> None:
    for row in rows(window):
        row.resize(253, row.height())
        assert row._fraction_at(row._x(fraction)) == pytest.approx(fraction, abs=1e-9)
        assert row._under(row._x(fraction)) == "track"
