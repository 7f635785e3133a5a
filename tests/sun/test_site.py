# SPDX-License-Identifier: Apache-2.0
"""Places and clocks as people write them."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gloamet.errors import GloametError
from gloamet.sun.moment import moment_at
from gloamet.sun.site import (
    parse_coordinates,
    parse_when,
    read_clock,
    resolve_zone,
    search_cities,
    zone_name_at,
)


@pytest.mark.parametrize(
    "text",
    [
        "57.4, 21.5",
        "57.4 21.5",
        "57.4,21.5",
        "57,4; 21,5",
        "57°24′N 21°30′E",
        "57°24'00\"N, 21°30'00\"E",
        "N57.4 E21.5",
        "E 21,5 N 57,4",
        "57 24 00 N, 21 30 00 E",
        "57 24 21 30",
        "+57.4 / +21.5",
    ],
)
def test_coordinates_in_any_usual_writing(text: str) -> None:
    assert parse_coordinates(text) == pytest.approx((57.4, 21.5))


@pytest.mark.parametrize("text", ["57°24′36″ N 21°30′18″ E", "57 24 36 21 30 18", "N 57°24.6′ E 21°30.3′"])
def test_minutes_are_sixtieths_and_seconds_sixtieths_of_them(text: str) -> None:
    assert parse_coordinates(text) == pytest.approx((57.41, 21.505))


@pytest.mark.parametrize("text", ["33.9 S 151.2 E", "-33.9, 151.2", "S33°54′ E151°12′"])
def test_southern_coordinates_are_negative(text: str) -> None:
    assert parse_coordinates(text) == pytest.approx((-33.9, 151.2))


@pytest.mark.parametrize(
    "text", ["40.7 N 74.0 W", "40.7, -74.0", "N40°42′ W74°", "74 W 40.7 N", "W 74,0 N 40,7"]
)
def test_western_coordinates_are_negative(text: str) -> None:
    assert parse_coordinates(text) == pytest.approx((40.7, -74.0))


@pytest.mark.parametrize(
    "text", ["91, 0", "0, 181", "57 61 00 N, 21 E", "north of here", "57N 58N", "", "1 2 3"]
)
def test_impossible_coordinates_get_one_sentence(text: str) -> None:
    with pytest.raises(GloametError) as caught:
        parse_coordinates(text)
    assert "\n" not in str(caught.value)


@given(st.floats(-90, 90), st.floats(-180, 180))
def test_written_coordinates_come_back(lat: float, lon: float) -> None:
    assert parse_coordinates(f"{lat:.6f}, {lon:.6f}") == pytest.approx((lat, lon), abs=1e-6)


def test_cities_are_found_without_accents_and_in_other_languages_largest_first() -> None:
    assert search_cities("Munchen")[0].name == "Munich"
    assert search_cities("münchen")[0].timezone == "Europe/Berlin"
    assert search_cities("riga")[0].name == "Riga"
    springfields = search_cities("Springfield, United")
    assert len(springfields) > 1
    assert springfields[0].population >= springfields[1].population
    assert search_cities("   ") == []


def test_every_place_has_a_clock_also_at_sea() -> None:
    assert zone_name_at(57.4, 21.5) == "Europe/Riga"
    assert resolve_zone(zone_name_at(0.0, -150.0)).utcoffset(datetime(2026, 1, 1)) == timedelta(hours=-10)


@pytest.mark.parametrize(("text", "hours"), [("+03:00", 3), ("UTC-4:30", -4.5), ("−05", -5), ("UTC", 0)])
def test_fixed_offsets_are_clocks_too(text: str, hours: float) -> None:
    assert resolve_zone(text).utcoffset(None) == timedelta(hours=hours)


@pytest.mark.parametrize("text", ["Mars/Olympus", "+15:00", "../etc", ""])
def test_a_clock_that_does_not_exist_is_refused(text: str) -> None:
    with pytest.raises(GloametError):
        resolve_zone(text)


def test_the_skipped_hour_is_moved_on_and_said() -> None:
    reading = read_clock(datetime(2026, 3, 29, 3, 30), resolve_zone("Europe/Riga"))
    assert reading.note is not None
    assert "does not exist" in reading.note
    assert reading.instant == datetime(2026, 3, 29, 1, 30, tzinfo=UTC)


def test_the_repeated_hour_is_said_and_its_fold_obeyed() -> None:
    riga = resolve_zone("Europe/Riga")
    first = read_clock(datetime(2026, 10, 25, 3, 30), riga)
    second = read_clock(datetime(2026, 10, 25, 3, 30, fold=1), riga)
    # clocks went back at 01:00 UTC, by Directive 2000/84/EC: before it summer time, UTC+3, after it UTC+2
    assert first.instant == datetime(2026, 10, 25, 0, 30, tzinfo=UTC)
    assert second.instant == datetime(2026, 10, 25, 1, 30, tzinfo=UTC)
    assert first.note is not None and second.note is not None
    assert "twice" in first.note and "the first one" in first.note
    assert "twice" in second.note and "the second one" in second.note


def test_half_hour_changes_of_the_clock_are_known() -> None:
    lord_howe = resolve_zone("Australia/Lord_Howe")
    summer = read_clock(datetime(2026, 1, 1, 12), lord_howe).instant
    winter = read_clock(datetime(2026, 7, 1, 12), lord_howe).instant
    assert (summer.hour, summer.minute) == (1, 0)
    assert (winter.hour, winter.minute) == (1, 30)


@pytest.mark.parametrize("text", ["2026-02-30T12:00", "yesterday", "2026-06-21T25:00"])
def test_a_day_that_is_not_in_the_calendar_is_refused(text: str) -> None:
    with pytest.raises(GloametError):
        parse_when(text)


def test_a_repeated_hour_has_two_suns() -> None:
    riga = resolve_zone("Europe/Riga")
    first, second = (
        moment_at(datetime(2026, 10, 25, 3, 30, fold=fold), 56.95, 24.1, riga) for fold in (0, 1)
    )
    assert (second.instant - first.instant).total_seconds() == 3600.0
    assert second.azimuth_deg - first.azimuth_deg == pytest.approx(15.0, abs=4.0)
