# SPDX-License-Identifier: Apache-2.0
"""What a preliminary picture sees, and shadow rays, without a compiled kernel.

A placed scene with its ground and a camera, or the shipped layers of a demo, enter; `VisibleSurfaces` leave, and
`ShadowRays` tell where the sun comes through. Rays are traced by Embree's own Python call.
"""

from __future__ import annotations

import math
from concurrent.futures import Executor
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import REC709_TO_AP1
from gloamet.sky.preliminary_sky import TablePositions, table_positions
from gloamet.stage.camera import Camera
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Part, Scene

Floats = NDArray[np.float32]
Array = NDArray[np.float64]
CLEAR_M = 20.0  # up to which the air in front takes less than a thousandth
LEAST_TRANSMISSION = 0.5  # from which a surface casts no shadow in a preliminary picture
START_M, START_SHARE = (
    0.004,
    0.002,
)  # by which a shadow ray starts off its surface, and of the distance to the eye
SMOOTH = 0.5  # length of a mean normal, below which a pixel holds leaves or an outline


@dataclass(frozen=True, eq=False)
class VisibleSurfaces:
    """A picture of surfaces: albedo (H, W, 3) in AP1, normal (H, W, 3), depth (H, W) in metres, 0 for sky, and the unit
    direction of every pixel (H, W, 3); eye (3,). What a moved sun does not change is computed once."""

    albedo: Floats
    normal: Floats
    depth: Floats
    directions: Floats
    eye: Array

    @cached_property
    def solid(self) -> NDArray[np.intp]:
        """Pixels where one surface is seen that the sun can light, flat."""
        return np.flatnonzero((self.depth > 0.0) & (np.linalg.norm(self.normal, axis=-1) > SMOOTH))

    @cached_property
    def origins(self) -> Floats:
        """Where shadow rays of the solid pixels start, (n, 3)."""
        normal, depth = self.normals, self.depth.reshape(-1, 1)[self.solid]
        off = normal * (START_M + START_SHARE * depth)
        return (self.eye + self.directions.reshape(-1, 3)[self.solid] * depth + off).astype(np.float32)

    @cached_property
    def normals(self) -> Floats:
        """Unit normals of the solid pixels, (n, 3)."""
        normal = self.normal.reshape(-1, 3)[self.solid]
        return np.asarray(normal / np.linalg.norm(normal, axis=-1, keepdims=True), np.float32)

    @cached_property
    def sky(self) -> NDArray[np.intp]:
        """Pixels that see the sky, flat."""
        return np.flatnonzero(self.depth <= 0.0)

    @cached_property
    def sky_positions(self) -> TablePositions:
        """Where those pixels look in a dome table."""
        return table_positions(self.directions.reshape(-1, 3)[self.sky])

    @cached_property
    def far(self) -> NDArray[np.intp]:
        """Pixels that see a surface so far that the air in front counts, flat."""
        return np.flatnonzero(self.depth > CLEAR_M)

    @cached_property
    def far_positions(self) -> TablePositions:
        """Where the horizon stands behind those pixels in a dome table."""
        level = self.directions.reshape(-1, 3)[self.far] * np.array([1.0, 1.0, 0.0])
        return table_positions(level / np.maximum(np.linalg.norm(level, axis=1, keepdims=True), 1e-6))


def view_directions(camera: Camera, width: int, height: int) -> tuple[Array, Floats]:
    """Compute the eye and the unit direction of every pixel of a perspective view.

    Parameters
    ----------
    camera : Camera
        The camera.
    width, height : int
        Size of the picture, pixels.

    Returns
    -------
    tuple of ndarray
        Eye (3,) in metres, and directions (height, width, 3).
    """
    eye, middle, across, up, _lens = camera.packed(width, height).astype(float)
    x = ((np.arange(width) + 0.5) / width * 2.0 - 1.0)[None, :, None]
    y = (1.0 - (np.arange(height) + 0.5) / height * 2.0)[:, None, None]
    d = middle + x * across + y * up
    return eye, (d / np.linalg.norm(d, axis=-1, keepdims=True)).astype(np.float32)


def _corners(part: Part) -> Floats:
    return np.asarray(part.positions[part.triangles], np.float32)


class ShadowRays:
    """The triangles of a scene as Embree's Python call traces them; `pool` runs them in parallel."""

    def __init__(self, scene: Scene, pool: Executor) -> None:
        from embreex import rtcore_scene
        from embreex.mesh_construction import TriangleMesh

        self._pool = pool
        self._casters, self._seen = (rtcore_scene.EmbreeScene() for _ in range(2))
        casting = [
            p
            for p in scene.parts
            if p.casts and scene.materials[p.material].transmission < LEAST_TRANSMISSION
        ]
        shown = [p for p in scene.parts if p.visible]
        self._material = np.concatenate(
            [np.full(len(p.triangles), p.material) for p in shown] or [np.zeros(0, int)]
        )
        for embree, parts in ((self._casters, casting), (self._seen, shown)):
            corners = np.concatenate([_corners(p) for p in parts] or [np.zeros((0, 3, 3), np.float32)])
            if len(corners):
                TriangleMesh(embree, corners)
            embree.run(np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32))  # builds it

    def _in_halves(self, embree: Any, origins: Floats, directions: Floats, **options: Any) -> list[Any]:
        middle = len(origins) // 2

        def trace(part: slice) -> Any:
            """One half, on a thread of the pool."""
            rays = np.ascontiguousarray(origins[part]), np.ascontiguousarray(directions[part])
            return embree.run(*rays, **options)

        return list(self._pool.map(trace, (slice(0, middle), slice(middle, len(origins)))))

    def lit(self, origins: Floats, direction: Array) -> NDArray[np.bool_]:
        """Where a direction is free of everything that casts a shadow: origins (n, 3), returns (n,)."""
        directions = np.broadcast_to(direction.astype(np.float32), origins.shape)
        hits = self._in_halves(self._casters, origins, directions, query="OCCLUDED")
        return np.asarray(np.concatenate(hits) < 0)

    def surfaces(
        self, scene: Scene, ground: GroundPlane, camera: Camera, size: tuple[int, int]
    ) -> VisibleSurfaces:
        """What a camera sees first at a size (width, height): materials' base colours, without textures."""
        eye, directions = view_directions(camera, *size)
        flat = directions.reshape(-1, 3)
        found = self._in_halves(
            self._seen, np.broadcast_to(eye.astype(np.float32), flat.shape), flat, output=1
        )
        depth, normal, triangle = (np.concatenate([f[k] for f in found]) for k in ("tfar", "Ng", "primID"))
        colours = np.array([m.base_colour for m in scene.materials] or [(0.8, 0.8, 0.8)]) @ REC709_TO_AP1.T
        hit, albedo = triangle >= 0, np.zeros((len(flat), 3))
        albedo[hit] = colours[self._material[triangle[hit]]]
        normal = normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-12)
        normal = np.where((normal * flat).sum(-1, keepdims=True) > 0.0, -normal, normal)
        depth = np.where(hit, depth, 0.0)
        _lay_ground(ground, eye, flat, (albedo, normal, depth))
        shape = size[1], size[0]
        return VisibleSurfaces(
            albedo.reshape(*shape, 3).astype(np.float32),
            normal.reshape(*shape, 3).astype(np.float32),
            depth.reshape(shape).astype(np.float32),
            directions,
            eye,
        )


def _lay_ground(
    ground: GroundPlane, eye: Array, directions: Floats, planes: tuple[Array, Array, Array]
) -> None:
    """Put a ground plane behind what is seen, in place: planes are albedo, normal and depth."""
    albedo, normal, depth = planes
    down = directions[:, 2] < -1e-6
    far = np.where(down, (ground.height_m - eye[2]) / np.where(down, directions[:, 2], -1.0), math.inf)
    point = eye[:2] + directions[:, :2] * np.where(np.isfinite(far), far, 0.0)[:, None]
    inside = np.linalg.norm(point - ground.centre, axis=1) < ground.radius_m
    if ground.hole is not None:
        x0, y0, x1, y1 = ground.hole
        inside &= ~((point[:, 0] > x0) & (point[:, 0] < x1) & (point[:, 1] > y0) & (point[:, 1] < y1))
    seen = down & (far > 0.0) & inside & ((depth <= 0.0) | (far < depth))
    albedo[seen], normal[seen], depth[seen] = ground.reflectance, (0.0, 0.0, 1.0), far[seen]
