# SPDX-License-Identifier: Apache-2.0
"""Camera moves: they do what the hand means and never end below the ground."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gloamet.stage.camera import Camera, dolly, look_over, orbit, pan, walk

CAMERA = Camera((10.0, -10.0, 3.0), (0.0, 0.0, 1.0), 40.0)
angle = st.floats(-720, 720)
slide = st.floats(-3, 3)


def distance(c: Camera) -> float:
    return float(np.linalg.norm(np.subtract(c.eye, c.target)))


@given(angle, angle)
def test_orbit_keeps_the_distance_and_stays_above_ground(turn: float, lift: float) -> None:
    c = orbit(CAMERA, turn, lift)
    assert c.eye[2] >= 0.049
    assert distance(c) == pytest.approx(distance(CAMERA), rel=1e-6)


@given(slide, slide)
def test_pan_keeps_the_view_direction_and_stays_above_ground(dx: float, dy: float) -> None:
    c = pan(CAMERA, dx, dy)
    assert c.eye[2] >= 0.049
    assert c.frame()[0] == pytest.approx(CAMERA.frame()[0], abs=1e-6)


@given(st.floats(0.01, 100))
def test_dolly_moves_along_the_view_and_never_through_the_target(factor: float) -> None:
    c = dolly(CAMERA, factor)
    assert distance(c) >= 0.19
    assert c.eye[2] >= 0.049


def test_looking_straight_down_has_north_up() -> None:
    forward, right, up = Camera((0, 0, 10), (0, 0, 0)).frame()
    assert forward == pytest.approx([0, 0, -1])
    assert right == pytest.approx([1, 0, 0])
    assert up == pytest.approx([0, 1, 0])


def test_projection_is_the_inverse_of_the_ray() -> None:
    for x, y in ((0.5, 0.5), (0.1, 0.9), (0.8, 0.2)):
        assert CAMERA.project(CAMERA.ray(x, y, 1.5), 1.5) == pytest.approx((x, y))
    assert CAMERA.project(-CAMERA.ray(0.5, 0.5, 1.5), 1.5) is None


def test_vertical_field_of_view_spans_the_picture_height() -> None:
    top, bottom = CAMERA.ray(0.5, 0.0, 1.5), CAMERA.ray(0.5, 1.0, 1.5)
    assert math.degrees(math.acos(top @ bottom)) == pytest.approx(40.0)


def test_the_first_view_holds_the_whole_model() -> None:
    low, high = np.array([-3.0, -2.0, 0.0]), np.array([5.0, 4.0, 3.0])
    c = look_over(low, high)
    assert c.eye[2] > 0
    for corner in np.stack(np.meshgrid(*zip(low, high, strict=True)), -1).reshape(-1, 3):
        at = c.project((corner - c.eye) / np.linalg.norm(corner - c.eye), 1.5)
        assert at is not None
        assert 0 <= at[0] <= 1
        assert 0 <= at[1] <= 1


def test_a_shifted_lens_moves_the_frame_without_turning_the_camera() -> None:
    plain, shifted = Camera((0, -10, 2), (0, 0, 2), 40.0), Camera((0, -10, 2), (0, 0, 2), 40.0, 0.25, 0.5)
    for a, b in zip(plain.frame(), shifted.frame(), strict=True):
        assert a == pytest.approx(b)
    # what stood in the middle now stands half a picture lower and a quarter of its height to the left
    point = np.array([0.0, 0.0, 2.0])
    assert plain.project_point(point, 1.5) == pytest.approx((0.5, 0.5))
    assert shifted.project_point(point, 1.5) == pytest.approx((0.5 - 0.25 / 1.5, 1.0))


def test_a_level_camera_keeps_verticals_vertical_and_its_target_in_the_middle() -> None:
    camera = Camera((3.0, -12.0, 1.6), (0.0, 0.0, 7.0), 50.0, keep_verticals=True)
    foot, top = np.array([1.0, 2.0, 0.0]), np.array([1.0, 2.0, 9.0])
    a, b = camera.project_point(foot, 1.5), camera.project_point(top, 1.5)
    assert a is not None
    assert b is not None
    assert a[0] == pytest.approx(b[0], abs=1e-9)
    middle = camera.project_point(np.array(camera.target), 1.5)
    assert middle == pytest.approx((0.5, 0.5))
    tilted = replace(camera, keep_verticals=False)
    c, d = tilted.project_point(foot, 1.5), tilted.project_point(top, 1.5)
    assert c is not None
    assert d is not None
    assert abs(c[0] - d[0]) > 0.01


def test_a_parallel_view_shows_a_metre_as_a_metre_near_and_far() -> None:
    camera = Camera((0, 0, 30.0), (0, 0, 0), parallel_m=12.0)
    for z in (0.0, 20.0):
        spots = [camera.project_point(np.array([x, 0.0, z]), 1.0) for x in (0.0, 3.0)]
        assert spots[1][0] - spots[0][0] == pytest.approx(0.25)  # type: ignore[index]
    up = camera.project_point(np.array([0.0, 3.0, 0.0]), 1.0)
    assert up == pytest.approx((0.5, 0.25))


@pytest.mark.parametrize("level", [False, True])
@pytest.mark.parametrize("parallel", [0.0, 12.0])
def test_rays_and_places_are_inverse_for_every_lens(level: bool, parallel: float) -> None:
    camera = Camera((3, -9, 2), (0, 0, 3), 35.0, 0.1, -0.2, level, parallel_m=parallel)
    for x, y in ((0.1, 0.2), (0.5, 0.5), (0.9, 0.7)):
        point = camera.origin(x, y, 1.5) + 7.0 * camera.ray(x, y, 1.5)
        assert camera.project_point(point, 1.5) == pytest.approx((x, y))


def test_walking_keeps_the_height_and_turning_is_clockwise() -> None:
    camera = Camera((0, 0, 1.6), (0, 10, 0.6))
    ahead = walk(camera, 2.0, 0.0, 0.0)
    assert ahead.eye == pytest.approx((0, 2, 1.6))
    assert np.subtract(ahead.target, ahead.eye) == pytest.approx(np.subtract(camera.target, camera.eye))
    right = walk(camera, 0.0, 90.0, 0.0)
    assert right.eye == pytest.approx(camera.eye)
    assert right.frame()[0][:2] == pytest.approx([camera.frame()[0][1], 0.0], abs=1e-9)
    assert walk(camera, 0.0, 0.0, -9.0).eye[2] > 0.0


def test_a_shifted_lens_moves_the_frame_and_keeps_verticals() -> None:
    """Rise of a view camera: the frame moves up by fractions of its height, so that things move down in it."""
    plain = Camera((0, -10, 1.6), (0, 0, 1.6), keep_verticals=True)
    tower = [np.array([2.0, 0.0, z]) for z in (0.0, 6.0)]
    for shifted, move in (
        (replace(plain, shift_y=0.25), (0.0, 0.25)),
        (replace(plain, shift_x=0.25), (-0.25 / 1.5, 0.0)),
    ):
        for point in tower:
            before, after = plain.project_point(point, 1.5), shifted.project_point(point, 1.5)
            assert before is not None and after is not None
            assert np.subtract(after, before) == pytest.approx(move, abs=1e-9)
        x = [shifted.project_point(point, 1.5)[0] for point in tower]  # type: ignore[index]
        assert x[0] == pytest.approx(x[1], abs=1e-9)


def test_a_lens_is_as_wide_as_its_aperture() -> None:
    lens = replace(CAMERA, aperture_m=0.02, focus_m=7.0).packed(300, 200)[4]
    assert lens.tolist() == pytest.approx([0.01, 7.0, 0.0])  # the radius is half of it


@pytest.mark.parametrize(
    ("rotation", "lift"), [(30.0, 0.0), (0.0, 12.0), (-75.0, -8.0), (10.0, 170.0), (0.0, -170.0)]
)
def test_orbit_about_a_point_keeps_it_where_it_is_seen(rotation: float, lift: float) -> None:
    camera, pivot = Camera((3.0, -8.0, 2.0), (0.0, 0.0, 1.0)), np.array([1.0, -1.0, 0.5])
    turned = orbit(camera, rotation, lift, pivot)
    assert turned.project_point(pivot, 1.5) == pytest.approx(camera.project_point(pivot, 1.5), abs=1e-9)
    far = [float(np.linalg.norm(np.subtract(c.eye, pivot))) for c in (camera, turned)]
    assert far[1] == pytest.approx(far[0], rel=1e-9)
    assert turned.eye[2] > 0.0  # never below the ground


def test_orbit_turns_the_eye_clockwise_from_above_and_lifts_it() -> None:
    camera = Camera((0.0, -8.0, 2.0), (0.0, 0.0, 2.0))
    for pivot in (None, np.array([0.0, 0.0, 2.0])):
        # an eye in the south that turns clockwise stands in the west after a quarter
        assert orbit(camera, 90.0, 0.0, pivot).eye == pytest.approx((-8.0, 0.0, 2.0), abs=1e-9)
        assert orbit(camera, 0.0, 30.0, pivot).eye == pytest.approx(
            (0.0, -8.0 * math.cos(math.radians(30.0)), 6.0), abs=1e-9
        )
