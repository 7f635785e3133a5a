# SPDX-License-Identifier: Apache-2.0
"""Ways to meter: each reads what it is called after, and an 18 % card comes out alike under all of them."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.colour.views import VIEWS
from gloamet.develop.exact import develop_exact
from gloamet.develop.settings import DevelopSettings
from gloamet.document.expose import METERINGS
from gloamet.meter.metering import MeteringSettings, card_ev, clipping_reflectance, metered_ev
from gloamet.meter.picture import SeenSurfaces

SHAPE = (60, 90)


def lit(lux: float, reflectance: float = 0.18) -> tuple[np.ndarray, SeenSurfaces]:
    """A matt card that fills the picture, in so much light."""
    picture = np.full((*SHAPE, 3), lux * reflectance / math.pi, np.float32)
    seen = SeenSurfaces(np.full((*SHAPE, 3), reflectance, np.float32), np.full(SHAPE, 3.0, np.float32))
    return picture, seen


def no_incident() -> float:
    raise AssertionError("this way of metering does not ask for it")


def ev(way: str, picture: np.ndarray, seen: SeenSurfaces, **values: float) -> float:
    return metered_ev(MeteringSettings(mode=way, **values), picture, seen, no_incident)  # type: ignore[arg-type]


@pytest.mark.proof(
    "Reflected and incident metering agree on a grey card", source="ISO 2720", kind="published"
)
@pytest.mark.parametrize("way", ["scene", "spot", "centre", "average"])
def test_a_grey_card_gets_the_exposure_of_the_light_that_falls_on_it(way: str) -> None:
    # ISO 2720, C = 250: E = 2.5 * 2**EV
    for lux in (80_000.0, 3_000.0):
        assert ev(way, *lit(lux)) == pytest.approx(math.log2(lux / 2.5), abs=0.02)


@pytest.mark.parametrize("view", VIEWS)
@pytest.mark.parametrize("way", ["spot", "centre", "average"])
def test_a_card_metered_by_its_own_brightness_shows_as_118(way: str, view: str) -> None:
    # code 118 of 255 for an 18 % card: common practice
    picture, seen = lit(20_000.0)
    codes = develop_exact(picture, DevelopSettings(ev(way, picture, seen), 6000.0, view=view))
    assert 255.0 * codes[30, 40] == pytest.approx([118.0] * 3, abs=3.0)


def test_an_incident_reading_is_used_and_scene_metering_where_it_is_unknown() -> None:
    picture, seen = lit(20_000.0)
    expose = MeteringSettings(mode="incident")
    assert metered_ev(expose, picture, seen, lambda: 11.25) == 11.25
    assert metered_ev(expose, picture, seen, lambda: math.nan) == pytest.approx(ev("scene", picture, seen))
    assert metered_ev(expose, picture, seen, lambda: -math.inf) == -8.0  # in the dark: the field's end


def test_a_spot_reads_its_place_alone() -> None:
    picture, seen = lit(1_000.0)
    picture[40:46, 70:76] *= 16.0
    spot = ev("spot", picture, seen, spot_x=73.0 / 90.0, spot_y=43.0 / 60.0)
    assert spot - ev("spot", picture, seen) == pytest.approx(4.0, abs=1e-3)
    corner = ev("spot", picture, seen, spot_x=1.0, spot_y=1.0)
    assert corner == pytest.approx(ev("spot", picture, seen), abs=1e-6)


def test_the_centre_counts_more_than_the_corners() -> None:
    middle, corners = lit(1_000.0), lit(1_000.0)
    middle[0][25:35, 40:50] *= 20.0
    corners[0][:10, :10] *= 20.0
    assert ev("centre", *middle) > ev("average", *middle) + 0.2
    assert ev("centre", *corners) < ev("average", *corners) - 0.2


def test_the_suns_disc_does_not_darken_an_average() -> None:
    picture, seen = lit(20_000.0)
    plain = ev("average", picture, seen)
    picture[2:5, 3:6] = 1.5e9
    assert ev("average", picture, seen) == pytest.approx(plain, abs=0.1)


@pytest.mark.parametrize("view", VIEWS)
def test_whites_are_protected_but_for_the_share_that_may_clip(view: str) -> None:
    rng = np.random.default_rng(6)
    grey = np.exp(rng.normal(6.0, 1.0, (*SHAPE, 1)))
    picture, seen = np.repeat(grey, 3, -1).astype(np.float32), lit(1.0)[1]
    for fraction in (0.5, 5.0):
        asked = ev("whites", picture, seen, allowed_clipping=fraction, view=view)
        codes = develop_exact(picture, DevelopSettings(asked, balanced=False, view=view))
        clipped = (codes.max(-1) >= 250.0 / 255.0).mean()
        assert 100.0 * clipped == pytest.approx(fraction, abs=0.15)


def test_a_view_clips_where_its_own_grey_reaches_code_250() -> None:
    assert clipping_reflectance("plain sRGB") == pytest.approx(0.9559, rel=0.01)  # IEC 61966-2-1 of 250/255
    assert all(1.0 < clipping_reflectance(view) < 40.0 for view in VIEWS if view != "plain sRGB")


def test_by_hand_it_is_what_was_set() -> None:
    assert ev("manual", *lit(50_000.0), ev=7.25) == 7.25


def test_every_way_of_metering_gives_a_number_for_darkness_and_for_broken_light() -> None:
    black, broken = np.zeros((*SHAPE, 3), np.float32), lit(100.0)[0]
    broken[0, 0], broken[1, 1] = np.nan, np.inf
    for way in METERINGS:
        for picture in (black, broken):
            found = metered_ev(MeteringSettings(mode=way), picture, lit(1.0)[1], lambda: 3.0)  # type: ignore[arg-type]
            assert -8.0 <= found <= 22.0


def test_a_brighter_card_asks_for_more_exposure_value() -> None:
    assert card_ev(200.0) - card_ev(100.0) == pytest.approx(1.0)


def test_a_metering_by_the_middle_knows_neither_left_nor_right_neither_up_nor_down() -> None:
    picture, seen = lit(10_000.0)
    picture[5:25, 3:30] *= 5.0
    wanted = ev("centre", picture, seen)
    for turned in (picture[:, ::-1], picture[::-1]):
        assert ev("centre", turned, seen) == pytest.approx(wanted, abs=1e-4)
