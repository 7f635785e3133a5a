# SPDX-License-Identifier: Apache-2.0
"""Aims on scenes with closed-form answers: a pole and a plane, a place in the frame, a mirror."""

from __future__ import annotations

import math
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from gloamet.aim.moments import AlmanacSite, moments_for_direction, moments_for_pins, scene_direction
from gloamet.aim.pins import Pin, aim_frame, aim_glint, aim_shadows, mirror_direction
from gloamet.errors import GloametError
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.sun.nearest import TimeWindow, angle_deg
from gloamet.sun.position import direction
from gloamet.trace.render_scene import RenderScene, build_render_scene
from tests.conftest import box, level, make_scene, quad

GREY = Material("grey", (0.5, 0.5, 0.5))
HERE = AlmanacSite(57.4, 21.5, ZoneInfo("Europe/Riga"), 2026)


@pytest.fixture(scope="module")
def yard() -> RenderScene:
    """A plain, a pole of 3 m at the origin, a wall to the south of it."""
    return build_render_scene(
        make_scene(
            (level(50.0), GREY),
            (box((-0.05, -0.05, 0), (0.05, 0.05, 3)), GREY),
            (box((-4, -6, 0), (4, -5.8, 2)), GREY),
        )
    )


@pytest.mark.parametrize(("azimuth", "elevation"), [(200.0, 35.0), (95.0, 8.0), (310.0, 61.0), (0.0, 89.0)])
def test_a_poles_shadow_tip_lies_at_its_cotangent(azimuth: float, elevation: float) -> None:
    reach = 3.0 / math.tan(math.radians(elevation))
    tip = (-reach * math.sin(math.radians(azimuth)), -reach * math.cos(math.radians(azimuth)), 0.0)
    aimed = aim_shadows([Pin((0.0, 0.0, 3.0), tip)])
    assert angle_deg(aimed.towards, direction(azimuth, elevation)) < 0.05
    assert aimed.misses_deg == pytest.approx((0.0,), abs=1e-6)


def test_two_pins_that_agree_are_met_and_two_that_do_not_share_the_miss() -> None:
    sun = direction(150.0, 40.0)
    pins = [
        Pin(tuple(np.array(c) + 0.0), tuple(np.array(c) - k * sun))
        for c, k in (((0, 0, 3), 4.0), ((2, 1, 2), 3.0))
    ]
    assert angle_deg(aim_shadows(pins).towards, sun) < 1e-6
    a, b = direction(140.0, 40.0), direction(160.0, 40.0)
    split = aim_shadows([Pin((0, 0, 9), tuple(np.array([0, 0, 9]) - 5.0 * d)) for d in (a, b)])
    assert split.azimuth_deg == pytest.approx(150.0, abs=1e-6)
    assert split.misses_deg[0] == pytest.approx(split.misses_deg[1])


def test_the_sum_of_squared_misses_on_the_ground_is_least() -> None:
    dice = np.random.default_rng(5)
    pins = [Pin(tuple(dice.uniform(1, 3, 3)), tuple(dice.uniform(-3, 0, 3))) for _ in range(4)]
    best = aim_shadows(pins).towards

    def cost(towards: np.ndarray) -> float:
        return sum(float(np.linalg.norm(np.cross(pin.line, towards))) ** 2 for pin in pins)

    for _ in range(200):
        other = best + dice.normal(0, 0.05, 3)
        assert cost(other / np.linalg.norm(other)) >= 0.995 * cost(best)


@pytest.mark.parametrize(
    "pins", [[], [Pin((1, 1, 1), (1, 1, 1))], [Pin((0, 0, 1), (0, 0, 0)), Pin((0, 0, 0), (0, 0, 1))]]
)
def test_pins_that_tell_nothing_get_one_sentence(pins: list[Pin]) -> None:
    with pytest.raises(GloametError, match=r"pin"):
        aim_shadows(pins)


def test_what_stands_between_or_shades_the_caster_is_named(yard: RenderScene) -> None:
    free = aim_shadows([Pin((0, 0, 3), (-2.0, 2.0, 0.0))], yard)
    assert free.remarks == ()
    through_wall = aim_shadows([Pin((0.0, -9.0, 3.0), (0.0, -3.0, 0.0))], yard)
    assert "“part 2” is between the two points." in through_wall.remarks
    low = aim_shadows([Pin((0.05, -0.05, 0.5), (0.05, 6.0, 0.1))], yard)
    assert "The caster is itself in the shadow of “part 2”." in low.remarks
    assert aim_shadows([Pin((0, 0, 1), (0, 2, 3))]).remarks == (
        "The sun would have to be below the horizon.",
    )


def test_the_sun_stands_at_the_pixel_it_was_pinned_to(yard: RenderScene) -> None:
    camera = Camera((0.0, -20.0, 1.6), (0.0, 0.0, 2.0), 50.0)
    aimed = aim_frame(camera, 0.62, 0.21, 1.5, yard)
    spot = camera.project(aimed.towards, 1.5)
    assert spot == pytest.approx((0.62, 0.21), abs=1e-6)
    assert aimed.remarks == ()
    at_pole = camera.project_point(np.array([0.0, 0.0, 2.9]), 1.5)
    assert at_pole is not None
    assert "“part 1”" in aim_frame(camera, *at_pole, 1.5, yard).remarks[0]


def test_a_glint_obeys_the_law_of_the_mirror() -> None:
    # a pane leaning back by 10 degrees, seen level from the south: the sun is 20 degrees up behind the viewer
    lean = math.radians(10.0)
    normal = np.array([0.0, -math.cos(lean), math.sin(lean)])
    aimed = mirror_direction(np.array([0.0, 1.0, 0.0]), np.zeros(3), normal)
    assert aimed.elevation_deg == pytest.approx(20.0, abs=1e-6)
    assert aimed.azimuth_deg == pytest.approx(180.0, abs=1e-6)


def test_a_glint_is_seen_from_the_camera_and_a_wall_before_it_is_named() -> None:
    pane = quad((-1, 0, 0), (1, 0, 0), (1, 0, 2), (-1, 0, 2))
    camera = Camera((3.0, -4.0, 3.0), (0.0, 0.0, 1.0), 40.0)
    scene = build_render_scene(make_scene((pane, GREY)))
    aimed = aim_glint(camera, 0.5, 0.5, 1.5, scene)
    ray = camera.ray(0.5, 0.5, 1.5)
    ray = ray / np.linalg.norm(ray)
    assert aimed.towards == pytest.approx(ray * np.array([1.0, -1.0, 1.0]), abs=1e-5)
    assert aimed.remarks == ("The sun would have to be below the horizon.",)
    with pytest.raises(GloametError, match="only sky"):
        aim_glint(camera, 0.02, 0.02, 1.5, scene)


@pytest.mark.parametrize("north", [0.0, 37.0, -120.0])
def test_real_moments_bring_the_shadow_to_its_place_whatever_north_is(north: float) -> None:
    site = AlmanacSite(57.4, 21.5, HERE.tz, 2026, north)
    pin = Pin((0.0, 0.0, 3.0), tuple(np.array([0, 0, 3.0]) - 5.0 * direction(140.0 + north, 33.0)))
    for moments in (moments_for_direction(aim_shadows([pin]), site), moments_for_pins([pin], site)):
        best = moments[0]
        assert best.error_deg < 0.27
        assert angle_deg(scene_direction(best, site), pin.line / 5.0) == pytest.approx(
            best.error_deg, abs=1e-4
        )
        assert best.azimuth_deg == pytest.approx(140.0, abs=0.5)


def test_moments_of_several_pins_are_between_them_and_inside_the_window() -> None:
    pins = [Pin((0, 0, 9), tuple(np.array([0, 0, 9]) - 5.0 * direction(a, 30.0))) for a in (130.0, 136.0)]
    moments = moments_for_pins(pins, HERE, TimeWindow(9.0, 12.0, (3, 1), (6, 1)))
    assert moments and all(3 <= m.when.month <= 6 and 9 <= m.when.hour <= 12 for m in moments)
    assert moments[0].azimuth_deg == pytest.approx(133.0, abs=1.0)
    assert 2.0 < moments[0].error_deg < 4.0
