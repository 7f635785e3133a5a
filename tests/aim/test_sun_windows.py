# SPDX-License-Identifier: Apache-2.0
"""Sun windows against closed forms (a slot over a floor), brute force, and what a room knows of itself."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from gloamet.aim.moments import AlmanacSite
from gloamet.aim.sun_windows import (
    POINTS,
    SunTarget,
    YearScan,
    best_moment,
    gap_in_front,
    scan_year,
    sunlit_spans,
    target_from_part,
)
from gloamet.errors import GloametError
from gloamet.stage.scene import Material
from gloamet.sun.nearest import TimeWindow
from gloamet.sun.position import direction
from gloamet.sun.year import year_grid
from gloamet.trace.first_hits import probe
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.trace.sun_exposure import sunlit_fractions
from tests.conftest import box, level, make_scene, quad

GREY = Material("grey", (0.5, 0.5, 0.5))
PANE = Material("pane", (0.9, 0.9, 0.9), 0.0, transmission=1.0)
SITE = AlmanacSite(48.0, 11.0, ZoneInfo("Europe/Berlin"), 2026)
LOW, HIGH, APART = 1.0, 1.4, 2.0  # a slot in a long wall, south of the point


@pytest.fixture(scope="module")
def slotted() -> RenderScene:
    """A floor of half a metre, a long thin wall south of it with a level slot, closed above and elsewhere."""
    wide = 400.0

    def wall(z0: float, z1: float) -> np.ndarray:
        return quad((-wide, -APART, z0), (wide, -APART, z0), (wide, -APART, z1), (-wide, -APART, z1))

    return build_render_scene(
        make_scene((level(0.005), GREY), (wall(-1.0, LOW), GREY), (wall(HIGH, 400.0), GREY))
    )


def test_the_sun_comes_through_a_slot_when_trigonometry_says_so(slotted: RenderScene) -> None:
    target = target_from_part(slotted, "part 0", np.array([0.0, 0.0, 1.0]))
    scan = scan_year(slotted, target, SITE)
    azimuth, elevation = np.radians(scan.grid.azimuth_deg), np.radians(scan.grid.elevation_deg)
    south = -np.cos(azimuth)
    with np.errstate(divide="ignore"):
        height = APART * np.tan(elevation) / np.maximum(south, 1e-9)
    edge = np.minimum(np.abs(height - LOW), np.abs(height - HIGH)) < 0.02
    wanted = (elevation > 0) & (south > 0.02) & (height > LOW) & (height < HIGH)
    open_back = (elevation > 0) & (south < 0.0)
    clear = ~edge & (np.abs(south) > 0.02) & (elevation > 0)
    assert wanted.sum() > 1000
    lit = scan.fraction > 0.5
    assert np.array_equal(lit[clear], (wanted | open_back)[clear])


def test_a_scan_is_what_ray_after_ray_says() -> None:
    dice = np.random.default_rng(2)
    blocks = [
        (box(tuple(low), tuple(low + dice.uniform(0.3, 2.0, 3))), GREY)
        for low in dice.uniform(-4, 4, (14, 3)) + [0, 0, 4.5]
    ]
    scene = build_render_scene(make_scene((level(3.0), GREY), *blocks))
    target = target_from_part(scene, "part 0", np.array([0.0, 0.0, 1.0]))
    suns = direction(dice.uniform(0, 360, 25), dice.uniform(3, 88, 25))
    fractions = sunlit_fractions(scene, target.points, target.normals, False, suns)
    for sun, fraction in zip(suns, fractions, strict=True):
        free = [probe(scene, p + np.array([0, 0, 2e-3]), sun) is None for p in target.points.astype(float)]
        assert abs(np.mean(free) - fraction) <= 1.0 / POINTS
    assert 0.05 < fractions.mean() < 0.95


def test_east_and_west_are_mirror_images() -> None:
    scene = build_render_scene(make_scene((level(2.0), GREY), (box((-0.5, -3, 0), (0.5, -2.5, 2.5)), GREY)))
    target = target_from_part(scene, "part 0", np.array([0.0, 0.0, 1.0]))
    twin = SunTarget("twin", target.points * np.array([-1, 1, 1], np.float32), target.normals, False)
    suns = direction(np.linspace(95, 175, 30), np.linspace(8, 50, 30))
    east = sunlit_fractions(scene, target.points, target.normals, False, suns)
    west = sunlit_fractions(scene, twin.points, twin.normals, False, suns * [-1, 1, 1])
    assert np.allclose(east, west, atol=1.5 / POINTS)
    assert east.min() < 0.9


@pytest.mark.parametrize("north", [90.0, -37.0])
def test_a_scan_under_a_turned_north_is_that_of_the_building_turned_with_it(
    slotted: RenderScene, north: float
) -> None:
    turn = np.radians(north)  # clockwise from above, as bearings are
    matrix = np.array([[np.cos(turn), np.sin(turn), 0], [-np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    parts = [(part.positions[part.triangles] @ matrix.T, GREY) for part in slotted.scene.parts]
    turned = build_render_scene(make_scene(*parts))
    up = np.array([0.0, 0.0, 1.0])
    straight = scan_year(slotted, target_from_part(slotted, "part 0", up), SITE)
    scan = scan_year(turned, target_from_part(turned, "part 0", up), replace(SITE, north_deg=north))
    # the points of a square turned by an odd angle lie a few centimetres elsewhere
    assert np.mean(np.abs(scan.fraction - straight.fraction) > 0.5) < 0.002
    assert straight.fraction.max() > 0.9


def test_spans_hold_exactly_the_sunny_moments_and_are_named_by_day_and_clock(slotted: RenderScene) -> None:
    window = TimeWindow(9.0, 16.0)
    scan = scan_year(slotted, target_from_part(slotted, "part 0", np.array([0.0, 0.0, 1.0])), SITE, window)
    spans = sunlit_spans(scan, SITE)
    # once in autumn, once in spring, as far from the solstice of 21 December on both sides
    autumn, spring = sorted(spans[:2], key=lambda span: -span.first.month)
    away = (date(2026, 12, 21) - autumn.last).days, (spring.first - date(2025, 12, 21)).days
    assert away[0] == pytest.approx(away[1], abs=3) and away[0] > 30
    for span in spans:
        index = (span.first - scan.grid.day(0)).days
        assert scan.fraction[index].max() > 0.0
        assert span.begins < span.ends <= span.begins + timedelta(hours=8)
        assert "reaches the floor" in span.sentence("the floor")
    best = best_moment(scan, SITE)
    assert best is not None
    day, row = (best.date() - scan.grid.day(0)).days, (best.hour * 60 + best.minute) // 10
    assert scan.fraction[day, row] == scan.fraction.max()


def test_bands_that_split_and_join_are_one_and_others_stay_apart() -> None:
    grid = year_grid(2026, SITE.latitude_deg, SITE.longitude_deg, SITE.tz, 10)
    fraction = np.zeros(grid.times_s.shape, np.float32)
    fraction[100:160, 60:80] = 0.5
    fraction[120:140, 68:71] = 0.0  # a bar throws its shade for some weeks
    fraction[100:160, 100:110] = 0.25  # and the afternoon is another matter
    fraction[350:, 70:75] = fraction[:20, 70:75] = 1.0  # from December into January
    spans = sunlit_spans(
        YearScan(SunTarget("floor", np.zeros((1, 3)), np.zeros((1, 3)), False), grid, fraction), SITE
    )
    assert [round(span.fraction, 2) for span in spans] == [0.5, 0.25, 1.0]
    first, _second, winter = spans
    assert (first.first, first.last) == (grid.day(100), grid.day(159))
    assert (f"{first.begins:%H:%M}", f"{first.ends:%H:%M}") == ("10:00", "13:20")
    assert (winter.first, winter.last) == (grid.day(350), grid.day(19))


def test_a_closed_room_is_never_reached_and_says_so() -> None:
    scene = build_render_scene(make_scene((level(0.5, 0.5), GREY), (box((-2, -2, 0), (2, 2, 3)), GREY)))
    scan = scan_year(scene, target_from_part(scene, "part 0"), SITE)
    assert scan.fraction.max() == 0.0
    assert sunlit_spans(scan, SITE) == []
    assert best_moment(scan, SITE) is None


def test_the_gap_is_the_pane_or_what_stands_on_both_sides() -> None:
    floor, post_a, post_b = level(0.2), box((-2, -2, 0), (-0.6, -1.8, 4)), box((0.6, -2, 0), (2, -1.8, 4))
    sun = direction(180.0, 30.0)
    posts = build_render_scene(make_scene((floor, GREY), (post_a, GREY), (post_b, GREY)))
    target = target_from_part(posts, "part 0", np.array([0.0, 0.0, 1.0]))
    assert gap_in_front(posts, target, sun) == "between “part 2” and “part 1”"
    pane = quad((-1, -1, 0), (1, -1, 0), (1, -1, 3), (-1, -1, 3))
    glazed = build_render_scene(make_scene((floor, GREY), (pane, PANE)))
    assert (
        gap_in_front(glazed, target_from_part(glazed, "part 0", np.array([0.0, 0.0, 1.0])), sun)
        == "through “part 1”"
    )
    assert scan_year(glazed, target, SITE).fraction.max() == 1.0
    bare = build_render_scene(make_scene((floor, GREY)))
    assert gap_in_front(bare, target, sun) == "from the open sky"


def test_a_side_of_a_box_is_only_that_side_and_unknown_parts_get_a_sentence() -> None:
    scene = build_render_scene(make_scene((box((0, 0, 0), (1, 2, 3)), GREY)))
    south = target_from_part(scene, "part 0", np.array([0.0, -1.0, 0.0]), np.array([0.5, 0.0, 1.0]))
    assert np.allclose(south.points[:, 1], 0.0)
    assert np.ptp(south.points[:, 2]) > 2.5
    everything = target_from_part(scene, "part 0")
    assert len(everything.points) >= 64 and np.ptp(everything.points, 0).min() > 0.9
    with pytest.raises(GloametError, match="There is no part “bench”"):
        target_from_part(scene, "bench")
    with pytest.raises(GloametError, match="no face on that side"):
        target_from_part(scene, "part 0", np.array([0.6, 0.6, 0.53]))


def test_the_inside_of_a_wall_is_not_lit_by_the_sun_on_its_outside() -> None:
    # a room of thick walls, open above: its north wall's inner face looks south, its outer face north
    walls = np.concatenate([box((-2, 1.8, 0), (2, 2, 3)), box((-2, -2, 0), (2, -1.8, 3))])
    scene = build_render_scene(make_scene((walls, GREY)))
    inner = target_from_part(scene, "part 0", np.array([0.0, -1.0, 0.0]), np.array([0.0, 1.8, 1.0]))
    assert np.allclose(inner.points[:, 1], 1.8, atol=1e-5)
    assert np.allclose(inner.normals, [0.0, -1.0, 0.0], atol=1e-5)
    turned = build_render_scene(make_scene((quad((0, 0, 0), (0, 0, 2), (2, 0, 2), (2, 0, 0)), GREY)))
    sheet = target_from_part(turned, "part 0", np.array([0.0, -1.0, 0.0]))
    assert np.allclose(sheet.normals, [0.0, -1.0, 0.0], atol=1e-5)


def test_a_targets_points_lie_on_it_and_fill_it_evenly() -> None:
    corner = quad((1.0, 2.0, 0.5), (5.0, 2.0, 0.5), (5.0, 5.0, 1.5), (1.0, 5.0, 1.5))
    stage = build_render_scene(make_scene((corner, GREY)))
    points = target_from_part(stage, "part 0", None).points.astype(float)
    assert len(points) == POINTS
    assert points.min(0) == pytest.approx([1.0, 2.0, 0.5], abs=0.4)
    assert points.max(0) == pytest.approx([5.0, 5.0, 1.5], abs=0.4)
    assert points.mean(0) == pytest.approx([3.0, 3.5, 1.0], abs=0.1)
    assert points[:, 2] == pytest.approx(0.5 + (points[:, 1] - 2.0) / 3.0, abs=1e-5)  # in its plane
