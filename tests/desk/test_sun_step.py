# SPDX-License-Identifier: Apache-2.0
"""The Sun step by almanac and by hand: every control does what it says."""

from __future__ import annotations

import re
from datetime import date, datetime, timedelta

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from gloamet.desk.instruments.world_map import WorldMap
from gloamet.desk.steps import FIRST_STEP
from gloamet.desk.steps.sun import SunStep
from gloamet.desk.steps.sun.almanac import AlmanacPage, AzimuthField
from gloamet.desk.steps.sun.hand import HandPage
from gloamet.desk.steps.sun.moments_of_day import ClockSteps, DayMoments
from gloamet.desk.window import DeskWindow
from gloamet.sun.climate import linke_turbidity
from gloamet.translation.document_to_light import air_from_document, sun_from_document
from tests.desk.test_steps import press, step


@pytest.mark.parametrize(
    ("word", "height"),
    [("civil dawn", -6.0), ("sunrise", -0.83), ("noon", None), ("sunset", -0.83), ("civil dusk", -6.0)],
)
def test_words_of_the_day_jump_to_their_moment(window: DeskWindow, word: str, height: float | None) -> None:
    press(step(window, DayMoments), word)
    moment = window.session.moment()
    if height is None:
        assert moment.azimuth_deg == pytest.approx(180.0, abs=0.5)
    else:
        assert moment.elevation_true_deg == pytest.approx(height, abs=0.2)


@pytest.mark.parametrize(
    ("word", "height"), [("low sun", 3.0), ("low sun ", 3.0), ("blue hour", -5.0), ("blue hour ", -5.0)]
)
def test_low_sun_and_blue_hour_are_by_height_morning_and_evening(
    window: DeskWindow, word: str, height: float
) -> None:
    step(window, DayMoments).rows[word].click()  # type: ignore[attr-defined]
    moment = window.session.moment()
    assert moment.elevation_deg == pytest.approx(height, abs=0.05)
    assert (moment.local.hour > 12) == word.endswith(" ")


def test_words_of_a_day_without_sunset_are_off(window: DeskWindow) -> None:
    window.session.change("site", latitude_deg=78.2, longitude_deg=15.6, timezone="Arctic/Longyearbyen")
    links = step(window, DayMoments).rows  # type: ignore[attr-defined]
    assert not links["sunset"].isEnabled()
    assert links["noon"].isEnabled()


def test_taking_the_sun_by_hand_leaves_it_where_it_stands(window: DeskWindow) -> None:
    page, session = step(window, HandPage), window.session
    before = sun_from_document(session.document)
    press(page, "Manual")
    assert session.document.sun.mode == "manual"
    assert sun_from_document(session.document) == pytest.approx(before, abs=1e-9)
    press(page, "Almanac")
    assert sun_from_document(session.document) == pytest.approx(before, abs=1e-9)


def test_a_free_sun_is_told_its_real_moment_or_never(window: DeskWindow, qtbot: QtBot) -> None:
    page, session = step(window, HandPage), window.session
    window.stack.panel(FIRST_STEP).show_page("Manual")
    for height, azimuth, words in (
        (30.0, 150.0, "Occurs on"),
        (40.0, 2.0, "Does not occur at this latitude"),
    ):
        session.change("sun", mode="manual", azimuth_deg=azimuth, elevation_deg=height)
        qtbot.waitUntil(lambda w=words: w in page.truth.text(), timeout=10_000)  # type: ignore[attr-defined]
    session.change("sun", mode="manual", azimuth_deg=150.0, elevation_deg=30.0)
    qtbot.waitUntil(lambda: "Occurs on" in page.truth.text(), timeout=10_000)  # type: ignore[attr-defined]
    press(page, "Go there")
    assert session.document.sun.mode == "almanac"
    assert sun_from_document(session.document) == pytest.approx((150.0, 30.0), abs=0.4)


def test_the_clock_field_takes_offsets_and_refuses_nonsense(window: DeskWindow) -> None:
    page = step(window, AlmanacPage)
    for text, taken in (("+05:30", True), ("Moon/Base", False)):
        page.zone.setText(text)  # type: ignore[attr-defined]
        page._on_zone_edited()  # type: ignore[attr-defined]
        assert (window.session.document.site.timezone == text) == taken
    assert "Moon/Base" in window.notice.text.text()
    assert page.zone.text() == "+05:30"  # type: ignore[attr-defined]


def test_a_skipped_hour_is_said_on_the_step(window: DeskWindow) -> None:
    window.session.change("sun", wall_time=datetime(2026, 3, 29, 3, 30))
    note = step(window, AlmanacPage).clock_note.text()  # type: ignore[attr-defined]
    assert "does not exist" in note


def test_the_year_cloth_is_clicked_and_stepped(window: DeskWindow) -> None:
    cloth, session = window.stack.panel(FIRST_STEP).almanac.cloth, window.session
    at = cloth.position(datetime(2026, 10, 3, 15, 30))  # type: ignore[attr-defined]
    QTest.mouseClick(cloth, Qt.MouseButton.LeftButton, pos=at.toPoint())
    wall = session.document.sun.wall_time
    assert abs((wall.date() - date(2026, 10, 3)).days) <= 1
    assert abs((wall.hour * 60 + wall.minute) - 930) <= 15
    QTest.keyClick(cloth, Qt.Key.Key_Right)
    QTest.keyClick(cloth, Qt.Key.Key_Down)
    assert session.document.sun.wall_time - wall == timedelta(days=1, minutes=10)


def test_the_cloth_shows_night_outside_the_suns_hours_whatever_it_measures(
    window: DeskWindow, qtbot: QtBot
) -> None:
    cloth = window.stack.panel(FIRST_STEP).almanac.cloth
    qtbot.waitUntil(lambda: window.session.results.colours is not None, timeout=60_000)
    for measure in ("sky", "elevation", "illuminance"):
        cloth.show_measure(measure)  # type: ignore[attr-defined]
        pixels = cloth._pixels[..., :3].astype(float).mean(2)  # type: ignore[attr-defined]
        midnight, noon = pixels[0], pixels[39]
        assert noon.min() > midnight.mean(), measure
        assert noon[172] >= noon[350] or measure == "sky"  # whose eye adapts


def test_time_is_stepped_by_every_unit(window: DeskWindow) -> None:
    session, steps = window.session, step(window, ClockSteps)
    session.change("sun", wall_time=datetime(2026, 1, 31, 10, 0))
    for unit, wanted in (
        ("month", datetime(2026, 2, 28, 10, 0)),
        ("week", datetime(2026, 3, 7, 10, 0)),
        ("day", datetime(2026, 3, 8, 10, 0)),
        ("hour", datetime(2026, 3, 8, 11, 0)),
        ("minute", datetime(2026, 3, 8, 11, 1)),
    ):
        steps.buttons[unit, 1].click()  # type: ignore[attr-defined]
        assert session.document.sun.wall_time == wanted
    for unit in ("minute", "hour", "day", "week"):
        steps.buttons[unit, -1].click()  # type: ignore[attr-defined]
    assert session.document.sun.wall_time == datetime(2026, 2, 28, 10, 0)


def test_another_season_keeps_the_clock_or_the_height(window: DeskWindow) -> None:
    session, page = window.session, step(window, AlmanacPage)
    session.change("sun", wall_time=datetime(2026, 5, 24, 9, 20))
    height = session.moment().elevation_deg
    press(page, "midsummer")
    assert session.document.sun.wall_time == datetime(2026, 6, 21, 9, 20)
    session.change("sun", wall_time=datetime(2026, 5, 24, 9, 20))
    page.keep.setChecked(True)  # type: ignore[attr-defined]
    press(page, "midsummer")
    assert session.document.sun.wall_time.date() == date(2026, 6, 21)
    assert session.moment().elevation_deg == pytest.approx(height, abs=0.1)
    before = session.document
    press(page, "midwinter")  # the sun never stands so high then: said, and nothing is lost
    assert session.document == before
    assert "never reaches" in window.notice.text.text()


def test_a_click_on_the_map_moves_the_site_and_its_clock(window: DeskWindow, qtbot: QtBot) -> None:
    window.stack.panel(FIRST_STEP)
    world, session = step(window, WorldMap), window.session
    at = world.position(-33.9, 151.2)  # type: ignore[attr-defined]
    QTest.mouseClick(world, Qt.MouseButton.LeftButton, pos=at.toPoint())
    qtbot.waitUntil(lambda: session.document.site.longitude_deg > 140.0, timeout=10_000)
    assert session.document.site.latitude_deg == pytest.approx(-33.9, abs=1.5)
    assert session.document.site.timezone.startswith("Australia/")


def test_what_is_usual_here_is_taken_with_one_click(window: DeskWindow) -> None:
    page, session = step(window, AlmanacPage), window.session
    session.change("site", latitude_deg=39.7, longitude_deg=-105.2, timezone="America/Denver")
    assert "Linke" in page.typical.text()  # type: ignore[attr-defined]
    page.typical.click()  # type: ignore[attr-defined]
    page.high.click()  # type: ignore[attr-defined]
    month = session.document.sun.wall_time.month
    linke = linke_turbidity(39.7, -105.2, month)
    assert float(air_from_document(session.document).linke_turbidity) == pytest.approx(linke, abs=0.03)
    assert 1500 < session.document.site.altitude_m < 2600


def test_a_wall_of_known_bearing_turns_the_compass_and_keeps_the_clock(window: DeskWindow) -> None:
    session, field = window.session, step(window, AzimuthField)
    wall = session.document.sun.wall_time
    session.state.wall = np.array([0.0, -1.0, 0.0])  # looks along -Y: south while north is not turned
    session.state.wall_picked.emit()
    assert field.edit.text() == "180.0°"  # type: ignore[attr-defined]
    field.edit.setText("200")  # type: ignore[attr-defined]
    field._on_edited()  # type: ignore[attr-defined]
    assert session.document.sun.north_deg == pytest.approx(-20.0)
    assert session.document.sun.wall_time == wall
    field.edit.setText("southish")  # type: ignore[attr-defined]
    field._on_edited()  # type: ignore[attr-defined]
    assert "not an azimuth" in window.notice.text.text()


def test_the_moon_of_the_night_is_told_by_phase_and_height(window: DeskWindow) -> None:
    # the full moon of 3 January 2026, 10:03 UTC (almanac, from memory): high over Riga at midnight, down at noon
    session = window.session
    page = step(window, HandPage)
    window.choose_step(FIRST_STEP)
    step(window, SunStep).show_page("Manual")
    session.change("site", latitude_deg=56.95, longitude_deg=24.1, timezone="Europe/Riga")
    session.change("sun", wall_time=datetime(2026, 1, 3, 0, 0))
    told = re.fullmatch(r"Full moon, (99|100) % lit, elevation (\d+)°\.", page.moon.text())
    assert told is not None
    assert 50 <= int(told[2]) <= 62  # 90 - 57 + 23.4 + the moon's own 5 at most
    session.change("sun", wall_time=datetime(2026, 1, 3, 12, 0))
    assert page.moon.text().endswith("below the horizon.")
    session.change("sun", wall_time=datetime(2026, 1, 18, 22, 0))  # new on 18 January, 19:52 UTC
    assert page.moon.text().startswith("New moon, 0 % lit")
