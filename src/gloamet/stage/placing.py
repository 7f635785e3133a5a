# SPDX-License-Identifier: Apache-2.0
"""Placing a file's scene in the world: units, up axis, rotation, drop to the ground, origin; and guesses of the first
two.

A Scene in file space and a Placement enter; a Scene in metres with Z up leaves. Geometry is never touched,
only the matrices of its parts.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.camera import Camera
from gloamet.stage.scene import UNIT_METRES, Lamp, Matrix, Motion, Scene, UpAxis

PERSON_M = 1.75
SMALLEST_M, LARGEST_M = 0.02, 5000.0
FARTHEST_M = 1e7


@dataclass(frozen=True)
class Placement:
    """Placement of a file in the world. rotation_deg is clockwise seen from above; offset in metres."""

    units: str = "m"
    up: UpAxis = "y"
    rotation_deg: float = 0.0
    drop: bool = False
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)


def to_world(up: UpAxis, units: str) -> NDArray[np.float64]:
    """4x4 matrix from file space to world metres with Z up: Y-up maps x to east, -z to north."""
    if units not in UNIT_METRES:
        raise GloametError(f"Unit “{units}” is not known: use one of {', '.join(UNIT_METRES)}.")
    matrix = np.eye(4)
    if up == "y":
        matrix[:3, :3] = [[1, 0, 0], [0, 0, -1], [0, 1, 0]]
    matrix[:3, :3] *= UNIT_METRES[units]
    return matrix


def _rotation_z(rotation_deg: float) -> Matrix:
    angle = math.radians(rotation_deg)
    matrix = np.eye(4)
    matrix[:2, :2] = [[math.cos(angle), math.sin(angle)], [-math.sin(angle), math.cos(angle)]]
    return matrix


def to_world_scene(scene: Scene, placement: Placement) -> Scene:
    """Convert a scene to world metres.

    Parameters
    ----------
    scene : Scene
        The render scene.
    placement : Placement
        Units, up axis, rotation and offset.

    Returns
    -------
    Scene
        The scene.

    Raises
    ------
    GloametError
        The scene would be beyond the range of coordinates.
    """
    matrix = _rotation_z(placement.rotation_deg) @ to_world(placement.up, placement.units)
    parts = tuple(replace(part, matrix=matrix @ part.matrix) for part in scene.parts)
    moved = replace(scene, parts=parts)
    shift = np.asarray(placement.offset, float)
    if placement.drop and parts:
        shift = shift - [0.0, 0.0, moved.bounds()[0][2]]
    if shift.any():
        move = np.eye(4)
        move[:3, 3] = shift
        matrix = move @ matrix
        parts = tuple(replace(part, matrix=move @ part.matrix) for part in parts)
    if parts:
        low, high = replace(scene, parts=parts).bounds()
        if not (np.abs(low).max() < FARTHEST_M and np.abs(high).max() < FARTHEST_M):
            raise GloametError(
                f"{scene.path.name if scene.path else 'The model'} reaches farther than 10 000 km: "
                "choose a smaller unit."
            )
    return replace(
        scene,
        parts=parts,
        views={name: _camera(matrix, camera) for name, camera in scene.views.items()},
        lamps=tuple(_lamp(matrix, lamp) for lamp in scene.lamps),
        motions={
            name: Motion(m.times_s, matrix @ m.matrices, m.fov_deg) for name, m in scene.motions.items()
        },
        empties={name: matrix @ local for name, local in scene.empties.items()},
    )


def _point(matrix: Matrix, point: tuple[float, float, float]) -> tuple[float, float, float]:
    x, y, z = (matrix[:3, :3] @ np.asarray(point) + matrix[:3, 3]).tolist()
    return x, y, z


def _camera(matrix: Matrix, camera: Camera) -> Camera:
    return replace(camera, eye=_point(matrix, camera.eye), target=_point(matrix, camera.target))


def _lamp(matrix: Matrix, lamp: Lamp) -> Lamp:
    ahead = matrix[:3, :3] @ np.asarray(lamp.direction)
    x, y, z = (ahead / max(float(np.linalg.norm(ahead)), 1e-12)).tolist()
    return replace(lamp, position=_point(matrix, lamp.position), direction=(x, y, z))


def guess_units(size: float) -> tuple[str, str]:
    """The likeliest unit of a file that names none, from its largest extent, and why."""
    if size > 3000.0:
        return "mm", f"it is {size:.4g} long, which fits millimetres"
    if size > 200.0:
        return "cm", f"it is {size:.4g} long, which fits centimetres"
    return "m", f"it is {size:.3g} long, which fits metres"


def guess_up(scene: Scene) -> tuple[UpAxis, str]:
    """The likelier up axis of a file that names none, and why: the level faces at its bottom tell.

    Compares the area of faces that look along Y with those along Z, the lowest tenth counted double.
    """
    if not scene.parts:
        return "z", "it is empty"
    area = {"y": 0.0, "z": 0.0}
    low, high = scene.bounds()
    for part in scene.parts:
        p = part.positions
        a, b, c = (p[part.triangles[:, k]] for k in range(3))
        n = np.cross(b - a, c - a)
        size = np.linalg.norm(n, axis=1)
        for axis, key in ((1, "y"), (2, "z")):
            level = np.abs(n[:, axis]) > 0.98 * np.maximum(size, 1e-30)
            bottom = a[:, axis] < low[axis] + 0.1 * (high[axis] - low[axis])
            area[key] += float(size[level].sum() + size[level & bottom].sum())
    if area["z"] > 1.15 * area["y"]:
        return "z", "most of its horizontal faces and its floor face Z"
    if area["y"] > 1.15 * area["z"]:
        return "y", "most of its horizontal faces and its floor face Y"
    return "y", "its faces give no hint; many programs write Y up"


def size_warning(size_m: NDArray[np.float64]) -> str | None:
    """Describe an implausible size of a scene.

    Parameters
    ----------
    size_m : ndarray
        Width, depth and height, metres, (3,).

    Returns
    -------
    str or None
        One sentence, None when the size is plausible.
    """
    largest = float(size_m.max())
    if largest > LARGEST_M:
        return f"It is {largest / 1000:.3g} km across: haze and penumbrae would be wrong. Is the unit right?"
    if largest < SMALLEST_M:
        return f"It is {largest * 1000:.2g} mm across. Is the unit right?"
    tall = float(size_m[2])
    if tall > 400.0:
        return (
            f"It is {tall:.0f} m tall, {tall / PERSON_M:.0f} times the height of a person. Is the unit right?"
        )
    return None
