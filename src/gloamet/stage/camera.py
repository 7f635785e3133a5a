"""The camera: where it stands, where it looks, how wide; and the moves the mouse makes.

World metres, Z up. Every move returns a new camera; none of them goes below the ground by accident.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
EYE_HEIGHT_M = 1.6
LOWEST_EYE_M = 0.05


@dataclass(frozen=True)
class Camera:
    """A perspective camera: eye and target in world metres, vertical field of view in degrees."""

    eye: tuple[float, float, float] = (12.0, -12.0, 4.0)
    target: tuple[float, float, float] = (0.0, 0.0, 1.5)
    fov_deg: float = 40.0

    def frame(self) -> tuple[Array, Array, Array]:
        """Unit vectors forward, right and up; image up is world up, or north when looking straight down."""
        forward = np.subtract(self.target, self.eye).astype(float)
        length = np.linalg.norm(forward)
        forward = forward / length if length > 1e-9 else np.array([0.0, 1.0, 0.0])
        upright = np.array([0.0, 0.0, 1.0])
        if abs(forward[2]) > 1.0 - 1e-7:
            upright = np.array([0.0, 1.0, 0.0])
        right = np.cross(forward, upright)
        right /= np.linalg.norm(right)
        return forward, right, np.cross(right, forward)

    def packed(self, width: int, height: int) -> NDArray[np.float32]:
        """(4, 3) float32 for the kernels: eye, forward, and half the picture's width and height as
        vectors on the plane one unit ahead."""
        forward, right, up = self.frame()
        half = math.tan(math.radians(self.fov_deg) / 2.0)
        return np.array([self.eye, forward, right * half * width / height, up * half], np.float32)

    def ray(self, x: float, y: float, aspect: float) -> Array:
        """Unit direction through a point of the picture, x and y in 0..1 from the upper left."""
        forward, right, up = self.frame()
        half = math.tan(math.radians(self.fov_deg) / 2.0)
        d = forward + right * (2.0 * x - 1.0) * half * aspect + up * (1.0 - 2.0 * y) * half
        return d / np.linalg.norm(d)

    def project(self, direction: Array, aspect: float) -> tuple[float, float] | None:
        """Where a direction appears (x, y in 0..1 inside the frame), None when it lies behind."""
        forward, right, up = self.frame()
        ahead = float(direction @ forward)
        if ahead <= 1e-6:
            return None
        half = math.tan(math.radians(self.fov_deg) / 2.0)
        x = float(direction @ right) / ahead / (half * aspect)
        y = float(direction @ up) / ahead / half
        return 0.5 + 0.5 * x, 0.5 - 0.5 * y


def _above(camera: Camera, ground_m: float) -> Camera:
    x, y, z = camera.eye
    return camera if z >= ground_m + LOWEST_EYE_M else replace(camera, eye=(x, y, ground_m + LOWEST_EYE_M))


def orbit(camera: Camera, turn_deg: float, lift_deg: float, ground_m: float = 0.0) -> Camera:
    """Turn the eye round the target and lift it; stops 1 degree short of the poles and at the ground."""
    offset = np.subtract(camera.eye, camera.target)
    radius = float(np.linalg.norm(offset))
    azimuth = math.atan2(offset[0], offset[1]) + math.radians(turn_deg)
    lift = math.degrees(math.asin(max(-1.0, min(1.0, offset[2] / max(radius, 1e-9))))) + lift_deg
    lowest = math.degrees(
        math.asin(max(-1.0, min(1.0, (ground_m + LOWEST_EYE_M - camera.target[2]) / max(radius, 1e-9))))
    )
    lift = math.radians(max(min(lift, 89.0), max(-89.0, lowest)))
    x = camera.target[0] + radius * math.cos(lift) * math.sin(azimuth)
    y = camera.target[1] + radius * math.cos(lift) * math.cos(azimuth)
    return replace(camera, eye=(x, y, camera.target[2] + radius * math.sin(lift)))


def pan(camera: Camera, dx: float, dy: float, ground_m: float = 0.0) -> Camera:
    """Slide eye and target by a share of the picture's height, right and up positive."""
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
    """Move the eye towards the target (factor below 1) or away from it."""
    offset = np.subtract(camera.eye, camera.target)
    distance = float(np.linalg.norm(offset))
    wanted = min(max(distance * factor, 0.2), 5000.0)
    eye = np.add(camera.target, offset / max(distance, 1e-9) * wanted)
    return _above(replace(camera, eye=tuple(eye.tolist())), ground_m)


def look_over(low: Array, high: Array, fov_deg: float = 40.0) -> Camera:
    """A first view of a scene from its bounds: from the south-east, a little above eye height."""
    centre, size = 0.5 * (low + high), np.maximum(high - low, 1e-3)
    radius = 0.5 * float(np.linalg.norm(size))
    distance = 1.1 * radius / math.tan(math.radians(fov_deg) / 2.0)
    direction = np.array([0.62, -0.78, 0.0])
    eye = centre + direction * distance
    eye[2] = max(low[2] + min(EYE_HEIGHT_M, size[2]) + 0.15 * radius, centre[2] + 0.2 * radius)
    return Camera(tuple(eye.tolist()), tuple(centre.tolist()), fov_deg)
