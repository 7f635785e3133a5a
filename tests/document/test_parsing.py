# SPDX-License-Identifier: Apache-2.0
"""Numbers are read as they are shown and as people write them."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from gloamet.desk.steps.sun.aim import ClockField, DayField
from gloamet.desk.widgets.document_fields import NumberField, number_field
from gloamet.document.metadata import numeric_fields
from gloamet.document.parsing import read_azimuth, read_day_of_year, read_hours, read_number
from gloamet.errors import GloametError

FIELDS = numeric_fields()


def test_the_document_has_its_numeric_fields_listed() -> None:
    assert {("air", "turbidity"), ("stage.view", "f_number"), ("expose", "kelvin")} <= set(FIELDS)
    assert len(FIELDS) > 40


@given(st.sampled_from(FIELDS), st.floats(0.0, 1.0))
@example(("sun", "azimuth_deg"), 1.0)  # a whole turn is north
def test_every_field_takes_back_what_it_shows(which: tuple[str, str], fraction: float) -> None:
    field = number_field(*which)
    value = round(field.low + fraction * (field.high - field.low), field.digits)
    value = min(max(value, field.low), field.high)
    shown = field.text(value)
    quantum = 10.0**-field.digits
    for text in (
        shown,
        f"  {shown} ",
        shown.replace(".", ","),
        field.text(value, unit=False),
        shown.replace("−", "-"),
        shown.replace(" ", "\u00a0"),
    ):
        off = abs(field.read(text) - value)
        if field.unit == "°" and field.high == 360.0:
            off = min(off, 360.0 - off)
        assert off <= 0.51 * quantum + 1e-9


@pytest.mark.parametrize(
    ("section", "name", "text", "value"),
    [
        ("air", "haze_visibility_km", "12.0 km", 12.0),
        ("air", "haze_visibility_km", "800 m", 0.8),
        ("stage.view", "f_number", "f/8", 8.0),
        ("stage.view", "focus_m", "350 cm", 3.5),
        ("expose", "kelvin", "5 600 K", 5600.0),
        ("panorama", "illuminance_lx", "9\u2009000 lx", 9000.0),
        ("panorama", "illuminance_lx", "9 klx", 9000.0),
        ("sun", "azimuth_deg", "S 35° W", 215.0),
        ("sun", "azimuth_deg", "NE", 45.0),
        ("fill", "sky_stops", "−0,5 stops", -0.5),
        ("output", "noise", "2 %", 2.0),
    ],
)
def test_usual_writings_are_read(section: str, name: str, text: str, value: float) -> None:
    assert number_field(section, name).read(text) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        *(("3 km", "m", 3000.0), ("3 cm", "m", 0.03), ("3 mm", "m", 0.003), ("3 m", "km", 0.003)),
        *(("3 cm", "mm", 30.0), ("3 m", "mm", 3000.0), ("3 lux", "lx", 3.0), ("3 min", "s", 180.0)),
        *(("3 ms", "s", 0.003), ("3 kelvin", "K", 3.0), ("3 k", "K", 3.0), ("3 deg", "°", 3.0)),
        *(("3 degrees", "°", 3.0), ("3 stop", "stops", 3.0), ("3 ev", "stops", 3.0), ("3 ev", "EV", 3.0)),
        *(("3 stops", "EV", 3.0), ("3 percent", "%", 3.0), ("3 hours", "h", 3.0), ("3 min", "h", 0.05)),
    ],
)
def test_other_units_are_turned_into_the_fields_own(text: str, unit: str, value: float) -> None:
    assert read_number(text, unit) == pytest.approx(value)


@pytest.mark.parametrize("text", ["", "twelve", "12 apples", "1/0", "1 2", "--3", "12 lx"])
def test_what_is_no_number_gets_a_sentence(text: str) -> None:
    with pytest.raises(GloametError, match="not a number in km"):
        number_field("air", "haze_visibility_km").read(text)


def test_what_is_out_of_range_is_refused_and_not_held_inside_it() -> None:
    with pytest.raises(GloametError, match="out of range: 0.5 km to 100.0 km"):
        number_field("air", "haze_visibility_km").read("1000 km")


def of(kind: type[NumberField], name: str) -> NumberField:
    return kind(**number_field("aim", name).__dict__)


@given(st.integers(1, 365))
def test_every_day_is_read_as_it_is_shown(day: int) -> None:
    field = of(DayField, "first_day")
    assert field.read(field.text(day)) == day
    when = date(2025, 1, 1) + timedelta(days=day - 1)  # datetime is the reference
    for form in ("%d %B", "%B %d", "%m-%d"):
        assert read_day_of_year(when.strftime(form)) == day


@given(st.integers(0, 24 * 60))
def test_every_minute_is_read_as_it_is_shown(minute: int) -> None:
    field = of(ClockField, "to_hour")
    assert 60.0 * field.read(field.text(minute / 60.0)) == pytest.approx(minute)


@pytest.mark.parametrize("text", ["25:00", "8:75", "noonish", "13 pm"])
def test_no_clock_time(text: str) -> None:
    with pytest.raises(GloametError, match="clock time"):
        read_hours(text)


@given(st.floats(0.0, 89.9), st.sampled_from("NESW"), st.sampled_from((-90.0, 90.0)))
def test_compass_bearings_turn_from_their_point_towards_their_side(
    turn: float, point: str, side: float
) -> None:
    start = 90.0 * "NESW".index(point)
    other = "NESW"[int((start + side) % 360.0) // 90]
    wanted = (start + (turn if side > 0 else -turn)) % 360.0
    assert (read_azimuth(f"{point} {turn:.3f}° {other}") - wanted + 180.0) % 360.0 - 180.0 == pytest.approx(
        0.0, abs=1e-3
    )


def test_a_bearing_between_opposite_points_is_refused() -> None:
    with pytest.raises(GloametError, match="to which side"):
        read_azimuth("N 12 S")


def test_fractions_are_quotients() -> None:
    assert read_number("1/125") == pytest.approx(0.008)
