# SPDX-License-Identifier: Apache-2.0
"""The artist's hand on the sky: what it keeps, what it changes, and that nature is neutral."""

from __future__ import annotations

import math

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gloamet.colour.spaces import AP1_TO_XYZ, XYZ_TO_AP1, luminance, xy_to_xyz
from gloamet.sky.dome import SkyDome, assemble_dome, dome_radiance, uniform_dome
from gloamet.sky.grading import (
    CURVE_ELEVATIONS_DEG,
    NATURE,
    SkyGrade,
    by_elevation,
    from_sun_deg,
    graded_dome,
    grading_differences,
    hue_matrices,
    node_elevations_deg,
)
from gloamet.sky.sky_solver import SkySolver


def even_sky(xy: tuple[float, float], cd_m2: float = 1000.0) -> SkyDome:
    colour_ap1 = XYZ_TO_AP1 @ xy_to_xyz(xy)
    table = (uniform_dome(cd_m2).table * colour_ap1).astype(np.float32)
    return assemble_dome(table, 180.0, 30.0, 0.533, np.full(3, 1e5), 0.2)


def towards(azimuth_deg: float, elevation_deg: float) -> list[float]:
    a, h = math.radians(azimuth_deg), math.radians(elevation_deg)
    return [math.cos(h) * math.sin(a), math.cos(h) * math.cos(a), math.sin(h)]


@pytest.fixture(scope="module")
def evening(solver: SkySolver) -> SkyDome:
    from gloamet.sky.air import Air

    return solver.dome(Air(3.0), 250.0, 8.0)


def test_nature_is_left_as_it_is(evening: SkyDome) -> None:
    assert graded_dome(evening, NATURE) is evening
    assert graded_dome(evening, SkyGrade(tint=(1.0, 0.0, 0.0), tint_strength=0.0)) is evening
    assert not grading_differences(NATURE)


@given(
    tint=st.tuples(*[st.floats(0.05, 1.0)] * 3),
    strength=st.floats(0.0, 1.0),
    saturation=st.floats(0.0, 3.0),
    mired=st.floats(-100.0, 150.0),
    hue=st.floats(-60.0, 60.0),
)
def test_colour_alone_never_changes_how_bright_the_sky_is(
    evening: SkyDome,
    tint: tuple[float, float, float],
    strength: float,
    saturation: float,
    mired: float,
    hue: float,
) -> None:
    grade = SkyGrade("light", tint, strength, saturation, mired, hue_curve=(hue,) * 5)
    graded = graded_dome(evening, grade)
    np.testing.assert_allclose(luminance(graded.table), luminance(evening.table), rtol=2e-5)
    assert float(luminance(graded.sky_horizontal)) == pytest.approx(
        float(luminance(evening.sky_horizontal)), rel=1e-4
    )


@pytest.mark.proof(
    "A temperature shift in mired changes the sky’s colour temperature by as much",
    source="colour-science, McCamy 1992",
    kind="library",
)
@pytest.mark.parametrize("mired", [-40.0, 30.0, 90.0])
def test_warmth_moves_a_white_sky_by_its_mired(mired: float) -> None:
    xy = tuple(colour.temperature.CCT_to_xy_CIE_D(6500.0 * 1.4388 / 1.438))
    graded = graded_dome(even_sky(xy), SkyGrade(warmth_mired=mired))
    xyz = AP1_TO_XYZ @ graded.table[40, 40].astype(float)
    kelvin = float(colour.temperature.xy_to_CCT(xyz[:2] / xyz.sum(), method="McCamy 1992"))
    # our whites stand on the daylight locus above 4000 K, McCamy's formula reads 1 % there
    assert 1e6 / kelvin == pytest.approx(1e6 / 6504.0 + mired, abs=4.0)


def test_no_saturation_is_grey_and_a_third_of_a_turn_takes_red_to_green() -> None:
    red = assemble_dome(
        (uniform_dome(1.0).table * [3.0, 0.2, 0.2]).astype(np.float32), 0.0, 20.0, 0.533, np.zeros(3), 0.2
    )
    grey = graded_dome(red, SkyGrade(saturation=0.0)).table
    assert np.ptp(grey, axis=-1).max() < 1e-5
    # two turns of sixty degrees
    once = graded_dome(red, SkyGrade(hue_curve=(60.0,) * 5))
    twice = graded_dome(once, SkyGrade(hue_curve=(60.0,) * 5)).table[50, 50]
    assert twice.argmax() == 1 and twice[0] == pytest.approx(twice[2], rel=1e-3)


@given(st.floats(-180.0, 180.0))
def test_hues_turn_about_grey_and_by_the_angle_asked_for(degrees: float) -> None:
    (matrix,) = hue_matrices(np.array([degrees]))
    assert matrix @ matrix.T == pytest.approx(np.eye(3), abs=1e-12)  # a rotation
    assert matrix @ np.ones(3) == pytest.approx(np.ones(3))
    assert np.trace(matrix) == pytest.approx(1.0 + 2.0 * math.cos(math.radians(degrees)))


def test_glows_are_stops_where_they_stand_and_a_third_of_that_farther_off(evening: SkyDome) -> None:
    horizon = graded_dome(evening, SkyGrade(horizon_stops=2.0)).table / evening.table
    assert horizon[0].mean() == pytest.approx(4.0, rel=1e-4)
    assert horizon[-1].mean() == pytest.approx(1.0, abs=1e-3)
    aureole = graded_dome(evening, SkyGrade(aureole_stops=1.0, aureole_deg=10.0))

    def stops(azimuth: float, height: float) -> float:
        at = np.array([towards(azimuth, height)])
        return float(
            np.log2(luminance(dome_radiance(aureole, at)[0]) / luminance(dome_radiance(evening, at)[0]))
        )

    assert stops(250.0, 8.0) == pytest.approx(1.0, abs=0.02)
    assert stops(250.0, 18.0) == pytest.approx(math.exp(-1.0), abs=0.01)
    assert stops(70.0, 30.0) == pytest.approx(0.0, abs=0.01)


def test_angles_from_the_sun_are_those_of_the_dome_itself(evening: SkyDome) -> None:
    angle = from_sun_deg(250.0, 8.0)
    row = int(np.abs(node_elevations_deg() - 8.0).argmin())
    assert np.unravel_index(angle.argmin(), angle.shape) == (row, round(250.0 / 360.0 * angle.shape[1]))


def test_the_curve_over_luminance_passes_through_its_points(evening: SkyDome) -> None:
    curve = (0.5, -1.0, 0.0, 1.0, 2.0)
    np.testing.assert_allclose(by_elevation(curve, np.array(CURVE_ELEVATIONS_DEG)), curve)
    graded = graded_dome(evening, SkyGrade(luminance_curve=curve)).table / evening.table
    assert graded[-1].mean() == pytest.approx(4.0, rel=1e-4)
    assert graded[0].mean() == pytest.approx(2.0**0.5, rel=1e-4)


def test_on_the_background_alone_no_light_changes(evening: SkyDome) -> None:
    grade = SkyGrade("background", horizon_stops=3.0, disc_brightness=0.25)
    graded = graded_dome(evening, grade)
    assert graded.table is evening.table and graded.sky_horizontal is evening.sky_horizontal
    assert graded.seen_table is not None and graded.seen_disc == 0.25
    assert graded.seen_table[0].mean() == pytest.approx(8.0 * evening.table[0].mean(), rel=1e-4)


def test_the_ground_below_the_horizon_follows_the_skys_light(evening: SkyDome) -> None:
    brighter = graded_dome(evening, SkyGrade(luminance_curve=(1.0,) * 5))
    np.testing.assert_allclose(brighter.ground_sky, 2.0 * evening.ground_sky, rtol=1e-4)
    np.testing.assert_allclose(brighter.ground_sun, evening.ground_sun)
    np.testing.assert_allclose(brighter.natural_horizon, evening.natural_horizon, rtol=1e-4)


def test_a_departure_is_said_with_its_size() -> None:
    grade = SkyGrade(tint=(1.0, 0.5, 0.2), tint_strength=0.3, aureole_stops=0.7, disc_brightness=0.5)
    assert grading_differences(grade) == ["tint 30 %", "aureole +0.7 stops", "sun disc 50 %"]
