# SPDX-License-Identifier: Apache-2.0
"""The camera: position, target and field of view; and its moves with the mouse.

World metres, Z up. Every move returns a new camera; none of them goes below the ground by accident.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
EYE_HEIGHT_M = 1.6
LIFT_TRIES = 12  # of an orbit that is stopped by the ground
LOWEST_EYE_M = 0.05


@lru_cache(maxsize=64)
def _frame(
    eye: tuple[float, float, float], target: tuple[float, float, float], keep_verticals: bool
) -> tuple[Array, Array, Array]:
    """The frame of a camera; asked for many times a picture, so it is kept, and no caller may write to it."""
    forward = np.subtract(target, eye).astype(float)
    if keep_verticals and float(np.hypot(forward[0], forward[1])) > 1e-6:
        forward[2] = 0.0
    length = np.linalg.norm(forward)
    forward = forward / length if length > 1e-9 else np.array([0.0, 1.0, 0.0])
    upright = np.array([0.0, 0.0, 1.0])
    if abs(forward[2]) > 1.0 - 1e-7:
        upright = np.array([0.0, 1.0, 0.0])
    right = np.cross(forward, upright)
    right /= np.linalg.norm(right)
    frame = forward, right, np.cross(right, forward)
    for vector in frame:
        vector.setflags(write=False)
    return frame


@dataclass(frozen=True)
class Camera:
    """Eye and target in world metres, vertical field of view in degrees.

    shift_x and shift_y move the frame by fractions of the picture's height, right and up positive, without
    turning the camera. keep_verticals keeps it horizontal, so that verticals stay vertical. aperture_m is the
    diameter of the lens, 0 for everything sharp; focus_m the sharp distance ahead. parallel_m, when above
    0, makes it a parallel view that many metres high.
    """

    eye: tuple[float, float, float] = (12.0, -12.0, 4.0)
    target: tuple[float, float, float] = (0.0, 0.0, 1.5)
    fov_deg: float = 40.0
    shift_x: float = 0.0
    shift_y: float = 0.0
    keep_verticals: bool = False
    aperture_m: float = 0.0
    focus_m: float = 10.0
    parallel_m: float = 0.0

    def frame(self) -> tuple[Array, Array, Array]:
        """Unit vectors forward, right and up; image up is world up, or north when looking straight down."""
        return _frame(tuple(self.eye), tuple(self.target), self.keep_verticals)

    def _half(self) -> float:
        return 0.5 * self.parallel_m if self.parallel_m > 0.0 else math.tan(math.radians(self.fov_deg) / 2.0)

    def rise(self) -> float:
        """The upward shift in fractions of the height: the given one, and what a level camera needs to keep
        its target in the middle."""
        offset = np.subtract(self.target, self.eye).astype(float)
        flat = float(np.hypot(offset[0], offset[1]))
        if not self.keep_verticals or flat < 1e-6:
            return self.shift_y
        return self.shift_y + min(max(offset[2] / flat / (2.0 * self._half()), -3.0), 3.0)

    def packed(self, width: int, height: int) -> NDArray[np.float32]:
        """(5, 3) float32 for the kernels: eye; the middle of the picture, half its width and half its
        height as vectors on the plane one unit ahead; radius of the lens, focus distance, and 1 for a
        parallel view, whose middle is then an offset of the eye."""
        forward, right, up = self.frame()
        half = self._half()
        offset = 2.0 * half * (right * self.shift_x + up * self.rise())
        parallel = self.parallel_m > 0.0
        eye = np.add(self.eye, offset) if parallel else np.asarray(self.eye, float)
        middle = forward if parallel else forward + offset
        lens = (0.5 * self.aperture_m, max(self.focus_m, 1e-3), float(parallel))
        return np.array([eye, middle, right * half * width / height, up * half, lens], np.float32)

    def ray(self, x: float, y: float, aspect: float) -> Array:
        """Unit direction through a point of the picture, x and y in 0..1 from the upper left."""
        forward, right, up = self.frame()
        if self.parallel_m > 0.0:
            return forward
        half = self._half()
        across = (2.0 * x - 1.0) * aspect + 2.0 * self.shift_x
        d = forward + right * across * half + up * (1.0 - 2.0 * y + 2.0 * self.rise()) * half
        return d / np.linalg.norm(d)

    def origin(self, x: float, y: float, aspect: float) -> Array:
        """Where the ray through a point of the picture begins."""
        eye = np.asarray(self.eye, float)
        if self.parallel_m <= 0.0:
            return eye
        _, right, up = self.frame()
        half = self._half()
        across = (2.0 * x - 1.0) * aspect + 2.0 * self.shift_x
        return eye + right * across * half + up * (1.0 - 2.0 * y + 2.0 * self.rise()) * half

    def project(self, direction: Array, aspect: float) -> tuple[float, float] | None:
        """Where a direction appears (x, y in 0..1 inside the frame), None when it lies behind."""
        x, y = self.project_all(np.asarray(direction, float)[None], aspect)[0].tolist()
        return None if math.isnan(x) else (x, y)

    def project_all(self, directions: Array, aspect: float) -> Array:
        """Where directions (n, 3) appear, (n, 2) as in `project`; not a number for those that lie behind."""
        forward, right, up = self.frame()
        ahead = directions @ forward
        with np.errstate(invalid="ignore", divide="ignore"):
            scale = np.where(ahead > 1e-6, 1.0 / (ahead * self._half()), np.nan)
        x = ((directions @ right) * scale - 2.0 * self.shift_x) / aspect
        y = (directions @ up) * scale - 2.0 * self.rise()
        return np.stack([0.5 + 0.5 * x, 0.5 - 0.5 * y], 1)

    def project_point(self, point: Array, aspect: float) -> tuple[float, float] | None:
        """Where a world point appears (x, y in 0..1 inside the frame), None when it lies behind."""
        offset = np.subtract(point, self.eye)
        if self.parallel_m <= 0.0:
            return self.project(offset, aspect)
        _, right, up = self.frame()
        half = self._half()
        x = (float(offset @ right) / half - 2.0 * self.shift_x) / aspect
        return 0.5 + 0.5 * x, 0.5 - 0.5 * (float(offset @ up) / half - 2.0 * self.rise())


def _above(camera: Camera, ground_m: float) -> Camera:
    x, y, z = camera.eye
    return camera if z >= ground_m + LOWEST_EYE_M else replace(camera, eye=(x, y, ground_m + LOWEST_EYE_M))


def orbit(
    camera: Camera, rotation_deg: float, lift_deg: float, pivot: Array | None = None, ground_m: float = 0.0
) -> Camera:
    """Orbit eye and target around a point, which stays where it is seen.

    Parameters
    ----------
    camera : Camera
        The camera.
    rotation_deg : float
        Change of azimuth, degrees.
    lift_deg : float
        Change of elevation, degrees; stops 1° short of the poles.
    pivot : ndarray or None, optional
        The point, metres, (3,); None for the target.
    ground_m : float, optional
        Height that the eye may not go below, metres.

    Returns
    -------
    Camera
        The camera.
    """
    pivot = np.asarray(camera.target if pivot is None else pivot, float)
    a = math.radians(rotation_deg)
    turn = np.array([[math.cos(a), math.sin(a), 0.0], [-math.sin(a), math.cos(a), 0.0], [0.0, 0.0, 1.0]])
    eye, target = (turn @ (np.asarray(p, float) - pivot) for p in (camera.eye, camera.target))
    forward = target - eye
    looks_up = math.degrees(math.asin(forward[2] / max(float(np.linalg.norm(forward)), 1e-9)))
    lift = looks_up - min(max(looks_up - lift_deg, -89.0), 89.0)
    side = np.array([forward[1], -forward[0], 0.0])
    side /= max(float(np.linalg.norm(side)), 1e-9)
    back = np.cross(side, [0.0, 0.0, 1.0])  # horizontal, from the eye's side towards the viewer
    for _ in range(LIFT_TRIES):  # less of it where the eye would go below the ground
        e = math.radians(lift)
        frame = np.array([side, -back, [0.0, 0.0, 1.0]])
        tilt = np.array([[1.0, 0.0, 0.0], [0.0, math.cos(e), math.sin(e)], [0.0, -math.sin(e), math.cos(e)]])
        turned = frame.T @ tilt @ frame
        if (turned @ eye + pivot)[2] >= ground_m + LOWEST_EYE_M or lift == 0.0:
            break
        lift = lift / 2.0 if abs(lift) > 0.01 else 0.0
    eye, target = turned @ eye + pivot, turned @ target + pivot
    return _above(replace(camera, eye=tuple(eye.tolist()), target=tuple(target.tolist())), ground_m)


def pan(camera: Camera, dx: float, dy: float, ground_m: float = 0.0) -> Camera:
    """Move eye and target in the plane of the picture.

    Parameters
    ----------
    camera : Camera
        The camera.
    dx : float
        Fraction of the picture height to the right.
    dy : float
        Fraction of the picture height upwards.
    ground_m : float, optional
        Height that the eye may not go below, metres.

    Returns
    -------
    Camera
        The camera.
    """
    _, right, up = camera.frame()
    distance = float(np.linalg.norm(np.subtract(camera.eye, camera.target)))
    size = 2.0 * distance * math.tan(math.radians(camera.fov_deg) / 2.0)
    shift = (right * dx + up * dy) * size
    lowest = ground_m + LOWEST_EYE_M - camera.eye[2]
    if shift[2] < lowest:
        shift[2] = min(0.0, lowest)
    eye, target = np.add(camera.eye, shift), np.add(camera.target, shift)
    return _above(replace(camera, eye=tuple(eye.tolist()), target=tuple(target.tolist())), ground_m)


def dolly(camera: Camera, factor: float, ground_m: float = 0.0) -> Camera:
    """Move the eye along the line to the target.

    Parameters
    ----------
    camera : Camera
        The camera.
    factor : float
        Factor of the distance to the target; below 1 moves nearer.
    ground_m : float, optional
        Height that the eye may not go below, metres.

    Returns
    -------
    Camera
        The camera.
    """
    offset = np.subtract(camera.eye, camera.target)
    distance = float(np.linalg.norm(offset))
    wanted = min(max(distance * factor, 0.2), 5000.0)
    eye = np.add(camera.target, offset / max(distance, 1e-9) * wanted)
    return _above(replace(camera, eye=tuple(eye.tolist())), ground_m)


def walk(camera: Camera, ahead_m: float, rotation_deg: float, lift_m: float, ground_m: float = 0.0) -> Camera:
    """Move the eye along the ground.

    Parameters
    ----------
    camera : Camera
        The camera.
    ahead_m : float
        Distance forwards, metres.
    rotation_deg : float
        Rotation on the spot, degrees clockwise.
    lift_m : float
        Change of height, metres.
    ground_m : float, optional
        Height that the eye may not go below, metres.

    Returns
    -------
    Camera
        The camera.
    """
    eye, target = np.asarray(camera.eye, float), np.asarray(camera.target, float)
    offset = target - eye
    angle = math.radians(rotation_deg)
    c, s = math.cos(angle), math.sin(angle)
    offset = np.array([c * offset[0] + s * offset[1], -s * offset[0] + c * offset[1], offset[2]])
    flat = math.hypot(offset[0], offset[1])
    if flat > 1e-6:
        eye = eye + ahead_m * np.array([offset[0] / flat, offset[1] / flat, 0.0])
    eye[2] = max(eye[2] + lift_m, min(eye[2], ground_m + LOWEST_EYE_M))
    return _above(replace(camera, eye=tuple(eye.tolist()), target=tuple((eye + offset).tolist())), ground_m)


def sidestep(camera: Camera, right_m: float) -> Camera:
    """Move eye and target sideways, level.

    Parameters
    ----------
    camera : Camera
        The camera.
    right_m : float
        Distance to the right, metres.

    Returns
    -------
    Camera
        The camera.
    """
    _, right, _ = camera.frame()
    shift = right_m * right
    eye, target = np.add(camera.eye, shift), np.add(camera.target, shift)
    return replace(camera, eye=tuple(eye.tolist()), target=tuple(target.tolist()))


def look_over(low: Array, high: Array, fov_deg: float = 40.0) -> Camera:
    """Make a first view of a scene from its bounds.

    Parameters
    ----------
    low : ndarray
        Minimum corner, metres, (3,).
    high : ndarray
        Maximum corner, metres, (3,).
    fov_deg : float, optional
        Vertical field of view, degrees.

    Returns
    -------
    Camera
        A camera to the south-east, above eye height.
    """
    centre, size = 0.5 * (low + high), np.maximum(high - low, 1e-3)
    radius = 0.5 * float(np.linalg.norm(size))
    distance = 1.1 * radius / math.tan(math.radians(fov_deg) / 2.0)
    direction = np.array([0.62, -0.78, 0.0])
    eye = centre + direction * distance
    eye[2] = max(low[2] + min(EYE_HEIGHT_M, size[2]) + 0.15 * radius, centre[2] + 0.2 * radius)
    return Camera(tuple(eye.tolist()), tuple(centre.tolist()), fov_deg)
