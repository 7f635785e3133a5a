"""A scene as read from a file: parts, materials, textures and views, in metres with Z up.

Readers build it, the tracer compiles it; nothing here knows of files or rays.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.camera import Camera

UNIT_METRES = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
UpAxis = Literal["y", "z"]
FLAT = 0.01  # a part lower than this share of its extent is a ground


@dataclass(frozen=True)
class Texture:
    """An 8-bit sRGB picture, (height, width, 4)."""

    name: str
    pixels: NDArray[np.uint8]


@dataclass(frozen=True)
class Material:
    """A surface: colours are linear Rec.709 in 0..1; transmission 0..1 with a thin or solid body.

    base_texture and surface_texture index the scene's textures (surface: green roughness, blue metalness,
    as in glTF).
    """

    name: str
    base_colour: tuple[float, float, float] = (0.8, 0.8, 0.8)
    roughness: float = 1.0
    metalness: float = 0.0
    transmission: float = 0.0
    ior: float = 1.5
    thin: bool = True
    base_texture: int | None = None
    surface_texture: int | None = None


@dataclass(frozen=True)
class Part:
    """One named mesh of one material, in world metres.

    positions (V, 3) and normals (V, 3) float32, uvs (V, 2) float32 or None, triangles (T, 3) uint32.
    """

    name: str
    material: int
    positions: NDArray[np.float32]
    triangles: NDArray[np.uint32]
    normals: NDArray[np.float32] | None = None
    uvs: NDArray[np.float32] | None = None


@dataclass(frozen=True)
class Scene:
    """Everything a file holds that Gloamet can show; notes say in sentences what it could not."""

    path: Path | None
    parts: tuple[Part, ...]
    materials: tuple[Material, ...]
    textures: tuple[Texture, ...] = ()
    views: dict[str, Camera] = field(default_factory=dict)
    notes: tuple[str, ...] = ()

    @property
    def triangle_count(self) -> int:
        """Triangles of all parts."""
        return sum(len(part.triangles) for part in self.parts)

    def bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner in metres; a unit box when the scene is empty."""
        if not self.parts:
            return np.zeros(3), np.ones(3)
        low = np.min([part.positions.min(0) for part in self.parts], 0)
        high = np.max([part.positions.max(0) for part in self.parts], 0)
        return low.astype(float), high.astype(float)

    def subject_bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Bounds of what the picture is about: flat grounds are left out when there is anything else."""
        solid = [p for p in self.parts if np.ptp(p.positions[:, 2]) > FLAT * np.ptp(p.positions[:, :2])]
        return Scene(None, tuple(solid), ()).bounds() if solid else self.bounds()


def to_world(up: UpAxis, units: str) -> NDArray[np.float64]:
    """4x4 matrix from file space to world metres with Z up: Y-up maps x to east, -z to north."""
    if units not in UNIT_METRES:
        raise GloametError(f"Unit “{units}” is not known: use one of {', '.join(UNIT_METRES)}.")
    matrix = np.eye(4)
    if up == "y":
        matrix[:3, :3] = [[1, 0, 0], [0, 0, -1], [0, 1, 0]]
    matrix[:3, :3] *= UNIT_METRES[units]
    return matrix


def make_part(
    name: str,
    material: int,
    positions: NDArray,
    triangles: NDArray,
    normals: NDArray | None,
    uvs: NDArray | None,
    matrix: NDArray[np.float64],
) -> Part | None:
    """A part in world space, without triangles that are degenerate or not finite; None if none is left."""
    world = positions.astype(np.float64) @ matrix[:3, :3].T + matrix[:3, 3]
    finite = np.asarray((np.isfinite(world) & (np.abs(world) < 1e7)).all(axis=1))
    good = finite[triangles].all(1)
    a, b, c = (world[triangles[:, k]] for k in range(3))
    with np.errstate(invalid="ignore", over="ignore"):
        area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    good &= area > 1e-12
    if not good.any():
        return None
    kept = triangles[good]
    if np.linalg.det(matrix[:3, :3]) < 0.0:
        kept = kept[:, ::-1]  # a mirrored transform turns the winding round
    world[~finite] = 0.0
    turned = None
    if normals is not None:
        turned = normals.astype(np.float64) @ np.linalg.pinv(matrix[:3, :3])
        length = np.linalg.norm(turned, axis=1, keepdims=True)
        turned = np.where(np.isfinite(length) & (length > 1e-12), turned / np.maximum(length, 1e-12), 0.0)
    return Part(
        name,
        material,
        np.ascontiguousarray(world, np.float32),
        np.ascontiguousarray(kept, np.uint32),
        None if turned is None else np.ascontiguousarray(np.nan_to_num(turned), np.float32),
        None if uvs is None else np.ascontiguousarray(np.nan_to_num(uvs), np.float32),
    )
