# SPDX-License-Identifier: Apache-2.0
"""Shapes of the demo: boxes with texture coordinates in metres, swept tubes, turned figures, pines.

Every builder returns points (V, 3), triangles (T, 3) and, where it is textured, uvs (V, 2), Z up, metres.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

_CORNERS = np.array([[x, y, z] for z in (0, 1) for y in (0, 1) for x in (0, 1)], float)
_FACES = np.array([[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]])
_FACE_AXES = ((0, 1), (0, 1), (0, 2), (0, 2), (1, 2), (1, 2))


@dataclass
class Boxes:
    """Many boxes of one material merged into one mesh."""

    points: list[NDArray] = field(default_factory=list)
    uvs: list[NDArray] = field(default_factory=list)
    count: int = 0

    def add(
        self,
        low: tuple[float, float, float],
        high: tuple[float, float, float],
        grain: int = 0,
        shift: tuple[float, float] = (0.0, 0.0),
        lean: NDArray | None = None,
    ) -> None:
        """A box; the texture runs along axis `grain`. lean: a 3x3 rotation about the box's centre."""
        low_a, high_a = np.asarray(low, float), np.asarray(high, float)
        corners = low_a + _CORNERS * (high_a - low_a)
        for face, axes in zip(_FACES, _FACE_AXES, strict=True):
            p = corners[face]
            along, across = axes if axes[0] == grain or grain not in axes else axes[::-1]
            self.uvs.append(p[:, [along, across]] - [low_a[along], low_a[across]] + shift)
            if lean is not None:
                centre = 0.5 * (low_a + high_a)
                p = (p - centre) @ lean.T + centre
            self.points.append(p)
            self.count += 1

    def mesh(self, texture_m: float = 1.0) -> tuple[NDArray, NDArray, NDArray]:
        """Points, triangles and uvs; one repeat of the texture spans `texture_m` metres."""
        first = np.arange(self.count)[:, None] * 4
        triangles = np.concatenate([first + [0, 1, 2], first + [0, 2, 3]])
        return np.concatenate(self.points), triangles, np.concatenate(self.uvs) / texture_m


def turn_z(angle_deg: float) -> NDArray:
    """Rotation about the vertical."""
    c, s = np.cos(np.radians(angle_deg)), np.sin(np.radians(angle_deg))
    return np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])


def tilt(axis: int, angle_deg: float) -> NDArray:
    """Rotation about x (0) or y (1)."""
    c, s = np.cos(np.radians(angle_deg)), np.sin(np.radians(angle_deg))
    if axis == 0:
        return np.array([[1.0, 0.0, 0.0], [0.0, c, -s], [0.0, s, c]])
    return np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])


def tube(path: NDArray, radii: NDArray, sides: int) -> tuple[NDArray, NDArray, NDArray]:
    """A tube along a path (N, 3); returns points, triangles, normals."""
    ahead = np.gradient(path, axis=0)
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    helper = np.where(np.abs(ahead[:, 2:]) > 0.9, [[1.0, 0.0, 0.0]], [[0.0, 0.0, 1.0]])
    a = np.cross(ahead, helper)
    a /= np.linalg.norm(a, axis=1, keepdims=True)
    b = np.cross(ahead, a)
    angle = np.arange(sides) / sides * 2 * np.pi
    normals = np.cos(angle)[None, :, None] * a[:, None] + np.sin(angle)[None, :, None] * b[:, None]
    points = path[:, None] + normals * radii[:, None, None]
    i, j = np.meshgrid(np.arange(len(path) - 1), np.arange(sides), indexing="ij")
    k = (j + 1) % sides
    quads = np.stack([i * sides + j, i * sides + k, (i + 1) * sides + k, (i + 1) * sides + j], -1).reshape(
        -1, 4
    )
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    return points.reshape(-1, 3), triangles, normals.reshape(-1, 3)


def turned(profile: NDArray, sides: int, squash: float = 1.0) -> tuple[NDArray, NDArray, NDArray]:
    """A profile of (radius, height) rows turned about the vertical; squash flattens it front to back."""
    angle = np.arange(sides) / sides * 2 * np.pi
    ring = np.stack([np.cos(angle), squash * np.sin(angle)], 1)
    points = np.concatenate(
        [profile[:, None, :1] * ring[None], np.repeat(profile[:, None, 1:], sides, 1)], axis=2
    )
    slope = np.gradient(profile, axis=0)
    out = np.stack([slope[:, 1], -slope[:, 0]], 1)
    out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-9)
    side = ring / np.array([1.0, squash**2])
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    normals = np.concatenate([out[:, None, :1] * side[None], np.repeat(out[:, None, 1:], sides, 1)], axis=2)
    i, j = np.meshgrid(np.arange(len(profile) - 1), np.arange(sides), indexing="ij")
    k = (j + 1) % sides
    quads = np.stack([i * sides + j, i * sides + k, (i + 1) * sides + k, (i + 1) * sides + j], -1).reshape(
        -1, 4
    )
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    return points.reshape(-1, 3), triangles, normals.reshape(-1, 3)


def bezier(a: NDArray, b: NDArray, c: NDArray, steps: int) -> NDArray:
    """A quadratic curve of `steps` points."""
    t = np.linspace(0.0, 1.0, steps)[:, None]
    return (1 - t) ** 2 * a + 2 * t * (1 - t) * b + t**2 * c


def pine(seed: int, needles: int) -> tuple[tuple[NDArray, NDArray, NDArray], tuple[NDArray, NDArray]]:
    """A wind-bent coast pine about 6 m high: (wood with normals), (needle triangles)."""
    rng = np.random.default_rng(seed)
    lean = rng.uniform(0.8, 1.7)
    top = np.array([lean, rng.uniform(-0.4, 0.4), rng.uniform(4.6, 5.8)])
    trunk = bezier(np.zeros(3), np.array([-0.25, 0.1, 3.0]), top, 14)
    wood = [tube(trunk, np.linspace(0.19, 0.06, 14), 9)]
    tufts = []
    for _ in range(17):
        t = rng.uniform(0.55, 1.0)
        start = trunk[int(t * 13)]
        angle = rng.uniform(-np.pi, np.pi)
        reach = rng.uniform(0.6, 1.9) * (1.45 - 0.75 * t)
        out = np.array([np.cos(angle) + 0.35, np.sin(angle), 0.0]) * reach
        end = start + out + [0.0, 0.0, rng.uniform(0.15, 0.55)]
        branch = bezier(start, start + 0.5 * out + [0.0, 0.0, 0.3], end, 6)
        wood.append(tube(branch, np.linspace(0.045, 0.012, 6), 5))
        for u in (0.4, 0.6, 0.75, 0.88, 1.0):
            spread = rng.normal(0.0, [0.22, 0.22, 0.06])
            tufts.append((branch[int(u * 5)] + spread, rng.uniform(0.26, 0.42)))
    each = needles // len(tufts)
    blades = []
    for centre, size in tufts:
        d = rng.normal(size=(each, 3))
        d /= np.linalg.norm(d, axis=1, keepdims=True)
        d[:, 2] = np.abs(d[:, 2]) * 0.9
        root = centre + d * size * rng.uniform(0.0, 0.4, (each, 1)) * [1.3, 1.3, 0.7]
        tip = root + d * size * rng.uniform(0.45, 0.8, (each, 1))
        side = np.cross(d, rng.normal(size=(each, 3)))
        side *= 0.017 / np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-9)
        blades.append(np.stack([root - side, root + side, tip], 1))
    points = np.concatenate(blades).reshape(-1, 3)
    leaf = (points, np.arange(len(points)).reshape(-1, 3))
    offsets = np.cumsum([0, *(len(p) for p, _, _ in wood)])
    merged = (
        np.concatenate([p for p, _, _ in wood]),
        np.concatenate([t + o for (_, t, _), o in zip(wood, offsets[:-1], strict=True)]),
        np.concatenate([n for _, _, n in wood]),
    )
    return merged, leaf


def figure(height: float = 1.72) -> tuple[NDArray, NDArray, NDArray]:
    """A standing person in a long bathing robe, turned about the vertical."""
    profile = np.array(
        [
            [0.001, 0.0],
            [0.20, 0.0],
            [0.215, 0.03],
            [0.20, 0.35],
            [0.185, 0.75],
            [0.19, 0.95],
            [0.215, 1.15],
            [0.225, 1.30],
            [0.20, 1.40],
            [0.12, 1.455],
            [0.065, 1.48],
            [0.06, 1.52],
            [0.085, 1.55],
            [0.105, 1.61],
            [0.10, 1.67],
            [0.07, 1.71],
            [0.001, 1.72],
        ]
    )
    profile[:, 1] *= height / 1.72
    t = np.linspace(0, len(profile) - 1, 60)
    rows = np.arange(len(profile))
    smooth = np.stack([np.interp(t, rows, profile[:, k]) for k in range(2)], 1)
    kernel = np.array([0.25, 0.5, 0.25])
    for _ in range(2):
        inner = np.apply_along_axis(lambda v: np.convolve(v, kernel, "valid"), 0, smooth)
        smooth[1:-1] = inner
    return turned(smooth, 28, 0.72)
