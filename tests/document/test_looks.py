# SPDX-License-Identifier: Apache-2.0
"""Looks: the sun by its height wherever the place is, a strength that goes part of the way, files."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

import pytest
from pydantic import ValidationError

from gloamet.document.looks import (
    LOOKS,
    Look,
    SunRule,
    apply_look,
    look_of,
    moment_of,
    own_looks,
    read_look,
    write_look,
)
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.translation.document_to_light import moon_from_document, sun_from_document

BY_NAME = {look.name: look for look in LOOKS}
PLACES = [(57.4, 21.5, "Europe/Riga"), (-33.9, 18.4, "Africa/Johannesburg"), (35.7, 139.7, "Asia/Tokyo")]


def at(lat: float, lon: float, zone: str) -> Document:
    return Document().change("site", latitude_deg=lat, longitude_deg=lon, timezone=zone)


@pytest.mark.parametrize("position", PLACES)
@pytest.mark.parametrize("name", ["early gold", "low west", "blue hour", "misty morning"])
def test_the_sun_stands_at_the_looks_height_on_its_side(
    name: str, position: tuple[float, float, str]
) -> None:
    look = BY_NAME[name]
    assert look.sun is not None
    document = apply_look(at(*position), look)
    azimuth, elevation = sun_from_document(document)
    # whole minutes: the sun rises by a quarter of a degree in one at most
    assert elevation == pytest.approx(look.sun.elevation_deg, abs=0.3)
    assert (azimuth < 180.0) == (look.sun.side == "morning")
    assert document.sun.wall_time.date() == Document().sun.wall_time.date()


@pytest.mark.parametrize("height", [-5.0, 1.3, 8.7, 14.2])
@pytest.mark.parametrize("side", ["morning", "evening"])
def test_the_minute_is_that_in_which_the_sun_comes_to_the_height(side: str, height: float) -> None:
    document = at(*PLACES[0])
    moment = moment_of(document, SunRule(side=side, elevation_deg=height))  # type: ignore[arg-type]
    assert moment is not None

    def height_at(minutes: float) -> float:
        when = moment + timedelta(minutes=minutes)
        return sun_from_document(document.change("sun", wall_time=when))[1]

    # within the minute beside it on either side
    before, after = height_at(-1.0), height_at(1.0)
    assert min(before, after) < height + 0.6 and max(before, after) > height - 0.6
    nearest = min(range(-30, 31), key=lambda minute: abs(height_at(minute) - height))
    assert abs(nearest) <= 3  # below a few degrees refraction bends what a clock says of the true height


@pytest.mark.parametrize("position", PLACES)
def test_noon_is_the_highest_sun_of_the_day(position: tuple[float, float, str]) -> None:
    noon = apply_look(at(*position), BY_NAME["clear noon"])
    top = sun_from_document(noon)[1]
    for minutes in (-20, 20):
        clock = noon.sun.wall_time.replace(minute=(noon.sun.wall_time.minute + minutes) % 60)
        assert sun_from_document(noon.change("sun", wall_time=clock))[1] <= top + 0.02


def test_a_moonlit_night_is_dark_and_its_moon_high() -> None:
    night = apply_look(at(35.7, 139.7, "Asia/Tokyo"), BY_NAME["moonlit"])
    assert night.sun.moon
    assert sun_from_document(night)[1] < -10.0
    assert moon_from_document(night).elevation_deg > 15.0


@pytest.mark.parametrize(("height", "taken"), [(-18.0, True), (90.0, True), (-18.1, False), (90.1, False)])
def test_a_look_asks_for_heights_between_night_and_zenith(height: float, taken: bool) -> None:
    if taken:
        assert SunRule(side="morning", elevation_deg=height).elevation_deg == height
    else:
        with pytest.raises(ValidationError):
            SunRule(side="morning", elevation_deg=height)


def test_a_sun_that_never_comes_so_high_stands_as_near_as_it_does() -> None:
    polar = at(78.2, 15.6, "Europe/Oslo").change("sun", wall_time=datetime(2026, 12, 21, 12))
    assert moment_of(polar, SunRule(side="morning", elevation_deg=7.0)) is not None
    assert sun_from_document(apply_look(polar, BY_NAME["early gold"]))[1] < 0.0


def test_a_whole_look_sets_all_its_fields_and_no_others() -> None:
    document = apply_look(Document(), Look(name="x", fields={"air.turbidity": 6.0, "fill.sky_stops": 1.0}))
    expected = Document().change("air", turbidity=6.0).change("fill", sky_stops=1.0)
    assert document == expected
    assert apply_look(Document(), BY_NAME["clear noon"], 0.0) == Document()


def test_half_the_strength_is_half_way_for_numbers_and_all_for_switches() -> None:
    start = Document().change("air", turbidity=2.0)
    look = Look(name="x", fields={"air.turbidity": 6.0, "air.haze_on": True})
    half, less = apply_look(start, look, 0.5), apply_look(start, look, 0.4)
    assert half.air.turbidity == 4.0
    assert half.air.haze_on
    assert less.air.turbidity == pytest.approx(3.6)
    assert not less.air.haze_on


def test_a_look_goes_to_a_file_and_comes_back(tmp_path: Path) -> None:
    document = Document().change("air", turbidity=4.0).change("expose", warmth_kept=0.4)
    look = look_of(document, "soft", ["air.turbidity", "expose.warmth_kept"])
    write_look(look, tmp_path / "soft.look.json")
    again = read_look(tmp_path / "soft.look.json")
    assert again == look
    assert apply_look(Document(), again) == document


def test_own_looks_are_found_and_a_bad_one_is_told(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    folder = tmp_path / "gloamet" / "looks"
    folder.mkdir(parents=True)
    write_look(Look(name="mine"), folder / "mine.look.json")
    (folder / "bad.look.json").write_text('{"colour": 3}')
    found, said = own_looks()
    assert [look.name for look in found] == ["mine"]
    assert len(said) == 1 and "bad.look.json is not a look" in said[0]


@pytest.mark.parametrize("fields", [{"air.turbidty": 3.0}, {"air.turbidity": 300.0}, {"weather.rain": 1}])
def test_a_look_of_what_there_is_not_is_refused(fields: dict[str, object]) -> None:
    with pytest.raises(GloametError, match="names what there is not"):
        apply_look(Document(), Look(name="x", fields=fields))


def test_what_is_no_number_is_taken_from_half_strength_on() -> None:
    before = Document()
    look = Look(name="other", fields={"expose.view": "plain sRGB", "sky.backdrop": "gradient"})
    assert (before.expose.view, before.sky.backdrop) != ("plain sRGB", "gradient")
    for strength, taken in ((0.2, False), (0.49, False), (0.5, True), (0.9, True)):
        after = apply_look(before, look, strength)
        assert (after.expose.view == "plain sRGB") is taken
        assert (after.sky.backdrop == "gradient") is taken
