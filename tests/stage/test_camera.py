"""Camera moves: they do what the hand means and never end below the ground."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gloamet.stage.camera import Camera, dolly, look_over, orbit, pan

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
