# SPDX-License-Identifier: Apache-2.0
"""Sweeps: exact values, in order, by even steps or equal factors, of fields that there are."""

from __future__ import annotations

import pytest

from gloamet.document.model import Document
from gloamet.document.sweep import DATE, TIME, ParameterRange, read_range, sweep, variant_label, with_value
from gloamet.errors import GloametError


def test_values_are_exact_with_both_ends() -> None:
    assert ParameterRange("air.turbidity", 2.0, 8.0, 4).values() == [2.0, 4.0, 6.0, 8.0]
    assert ParameterRange("air.turbidity", 2.0, 8.0, 3, True).values() == pytest.approx([2.0, 4.0, 8.0])
    assert ParameterRange("air.turbidity", 3.0, 8.0, 1).values() == [3.0]


def test_documents_hold_the_values_and_nothing_else_changes() -> None:
    variants = sweep(Document(), [ParameterRange("fill.sky_stops", -1.0, 1.0, 3)])
    assert [v.document.fill.sky_stops for v in variants] == [-1.0, 0.0, 1.0]
    assert variants[1].document == Document()


def test_of_two_ranges_the_first_goes_across() -> None:
    variants = sweep(
        Document(),
        [ParameterRange("air.turbidity", 2.0, 3.0, 2), ParameterRange("fill.sky_stops", 0.0, 1.0, 2)],
    )
    found = [(v.document.air.turbidity, v.document.fill.sky_stops) for v in variants]
    assert found == [(2.0, 0.0), (3.0, 0.0), (2.0, 1.0), (3.0, 1.0)]
    assert variants[2].values == {"air.turbidity": 2.0, "fill.sky_stops": 1.0}


def test_a_suns_height_frees_the_sun_and_keeps_its_bearing() -> None:
    from gloamet.translation.document_to_light import sun_from_document

    before = sun_from_document(Document())
    variants = sweep(Document(), [ParameterRange("sun.elevation_deg", 5.0, 25.0, 2)])
    for variant, height in zip(variants, (5.0, 25.0), strict=True):
        azimuth, elevation = sun_from_document(variant.document)
        assert elevation == height
        assert azimuth == pytest.approx(before[0], abs=1e-6)


def test_hours_and_days_move_the_clock() -> None:
    at = with_value(Document(), TIME, 15.5).sun.wall_time
    assert (at.hour, at.minute, at.date()) == (15, 30, Document().sun.wall_time.date())
    day = with_value(Document(), DATE, 32.0).sun.wall_time
    assert (day.month, day.day, day.hour) == (2, 1, Document().sun.wall_time.hour)
    assert variant_label(sweep(Document(), [ParameterRange(TIME, 8.0, 9.0, 2)])[0]) == "08:00"


def test_an_exposure_that_is_swept_is_set_by_hand_and_whole_numbers_stay_whole() -> None:
    assert with_value(Document(), "expose.ev", 12.0).expose.metering == "manual"
    assert with_value(Document(), "air.cie_sky", 4.6).air.cie_sky == 5


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("sun.elevation_deg", "is not a range"),
        ("sun.elevation_deg=5:60", "is not a range"),
        ("sun.elevation_deg=a:60:8", "is not a range"),
        ("sun.height=5:60:8", "There is no number “sun.height”"),
        ("sun.elevation_deg=5:160:8", "out of range"),
        ("air.turbidity=2:8:1000", "1 to 48 steps"),
        ("fill.sky_stops=-1:1:3:log", "passes 0"),
        ("stage.views=1:2:3", "There is no number"),
    ],
)
def test_what_cannot_be_swept_is_told(text: str, said: str) -> None:
    with pytest.raises(GloametError, match=said):
        read_range(text)


def test_too_many_pictures_and_one_field_twice_are_refused() -> None:
    with pytest.raises(GloametError, match="more than 400"):
        sweep(
            Document(),
            [ParameterRange("air.turbidity", 2, 8, 40), ParameterRange("fill.sky_stops", -1, 1, 40)],
        )
    with pytest.raises(GloametError, match="one field"):
        sweep(
            Document(), [ParameterRange("air.turbidity", 2, 8, 2), ParameterRange("air.turbidity", 2, 8, 2)]
        )
