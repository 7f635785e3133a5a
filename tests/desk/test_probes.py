# SPDX-License-Identifier: Apache-2.0
"""Cards and balls beside the meter: placed on a clicked point, and readable in the dark."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PySide6.QtCore import QPoint
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from gloamet.desk.window import DeskWindow
from tests.desk.test_window import LEFT, NONE


def luminance(ap1: np.ndarray) -> float:
    """Y of a light in AP1: second row of the matrix to XYZ in the Academy's S-2014-004 (from memory)."""
    return float(0.2722287 * ap1[0] + 0.6740818 * ap1[1] + 0.0536895 * ap1[2])


def on(window: DeskWindow, point: tuple[float, float, float]) -> QPoint:
    at = window.picture._on_picture(np.array(point))
    assert at is not None
    return at.toPoint()


def test_cards_stay_on_the_clicked_surface_until_they_return(window: DeskWindow, qtbot: QtBot) -> None:
    session, column = window.session, window.left
    corner = (6.0, -5.0, 0.0)  # on open ground
    column.place.click()
    assert session.state.tool == "card" and column.place.isChecked()
    with qtbot.waitSignal(session.results.meter_read, timeout=60_000):
        QTest.mouseClick(window.picture, LEFT, NONE, on(window, corner))
    placed = session.document.fill.card_position
    assert placed is not None and session.state.tool == ""
    assert 0.0 < placed[2] <= 0.05  # over the ground, towards the side that is seen
    assert np.allclose(placed[:2], corner[:2], atol=0.3)
    assert session.results.read.position == pytest.approx(placed)
    with qtbot.waitSignal(session.results.meter_read, timeout=60_000):  # moved, nothing else changed
        session.change("fill", None, card_position=(placed[0] - 1.0, placed[1], placed[2]))
    assert session.results.read.position == pytest.approx((placed[0] - 1.0, placed[1], placed[2]))
    assert column.card_note.text().startswith("Placed")
    # open ground, so that the card lying there reads what the light meter says of open ground within its noise
    cards = session.results.read.cards.whole[0].sum(0)
    reading = session.results.light.reading
    assert luminance(cards) == pytest.approx(reading.sun_horizontal_lx + reading.sky_horizontal_lx, rel=0.05)
    column.centre.click()
    assert session.document.fill.card_position is None
    assert column.card_note.text().startswith("Near the centre")


def test_cards_are_not_placed_on_the_sky(window: DeskWindow, qtbot: QtBot) -> None:
    session = window.session
    session.change("stage.view", eye=(0.0, -8.0, 1.6), target=(0.0, 0.0, 6.0))
    session.state.use_tool("card")
    box = window.picture.target()
    with qtbot.waitSignal(session.noticed) as caught:
        QTest.mouseClick(window.picture, LEFT, NONE, QPoint(round(box.center().x()), round(box.top()) + 6))
    assert "sky" in caught.args[0]
    assert session.document.fill.card_position is None and session.state.tool == "card"


@pytest.mark.parametrize("stops", [-6.0, 0.0, 7.0])
def test_a_card_far_from_the_exposure_is_shown_by_whole_stops_nearer(
    window: DeskWindow, qtbot: QtBot, stops: float
) -> None:
    session, probes = window.session, window.left.probes
    qtbot.waitUntil(lambda: session.results.read is not None, timeout=60_000)
    grey = probes.planes(session.results.read)[2][0, 0]
    exposed = math.log2(math.pi * luminance(grey) / 0.18 / 2.5)  # E = 2.5 lx · 2^EV (ISO 2720, C = 250)
    session.change("expose", metering="manual", ev=exposed - stops)  # the card is so many stops over grey
    qtbot.waitUntil(
        lambda: session.results.frame is not None and abs(session.results.frame.ev - exposed + stops) < 0.01,
        timeout=60_000,
    )
    qtbot.wait(300)
    assert probes.shift == -round(stops)
    middle = probes._images[2].pixelColor(20, 20)
    assert 70 < middle.green() < 170  # a grey card in the middle of the scale, whatever the curve
    # the mirror ball keeps the exposure: at so many stops over it shows white, under it black
    mirror = probes._images[0].pixelColor(20, 20).lightness()
    assert mirror > 240 if stops == 7.0 else mirror < 40 if stops == -6.0 else mirror > 40
    assert ("stops" in window.left.card_note.text()) == bool(stops)
