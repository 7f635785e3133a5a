# SPDX-License-Identifier: Apache-2.0
"""A scene as read from a file: shapes, the parts that place them, materials, textures, lamps and views.

Readers build it in the file's own axes and lengths, `placing.placed` brings it to metres with Z up, the
tracer compiles it; nothing here knows of files or rays.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.camera import Camera

UNIT_METRES = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
UpAxis = Literal["y", "z"]
Colour = tuple[float, float, float]
Matrix = NDArray[np.float64]
Box = tuple[NDArray[np.float64], NDArray[np.float64]]
FLAT = 0.01  # a part lower than this fraction of its extent is a ground


@dataclass(frozen=True)
class Texture:
    """An 8-bit picture, (height, width, 4); colours in it are sRGB."""

    name: str
    pixels: NDArray[np.uint8]


@dataclass(frozen=True)
class Material:
    """A surface: colours are linear Rec.709 in 0..1; transmission 0..1 with a thin or solid body.

    The *_texture fields index the scene's textures (surface: green roughness, blue metalness, as in glTF).
    texture_strength 0 shows the base picture's mean colour. emission is in cd/m2 (of its luminance) and
    leaves the front only unless emits_back. alpha_cutoff is the alpha below which there is a hole, None for none.
    diffuse_transmission is the fraction of diffuse light that goes through, as in a leaf. coat is a clear layer on top.
    """

    name: str
    base_colour: Colour = (0.8, 0.8, 0.8)
    roughness: float = 1.0
    metalness: float = 0.0
    transmission: float = 0.0
    ior: float = 1.5
    thin: bool = True
    base_texture: int | None = None
    surface_texture: int | None = None
    texture_strength: float = 1.0
    emission: Colour = (0.0, 0.0, 0.0)
    emission_texture: int | None = None
    emits_back: bool = True
    normal_texture: int | None = None
    normal_strength: float = 1.0
    alpha_cutoff: float | None = None
    diffuse_transmission: float = 0.0
    coat: float = 0.0
    coat_roughness: float = 0.0

    @property
    def glows(self) -> bool:
        """Whether it emits light."""
        return max(self.emission) > 0.0


@dataclass(frozen=True, eq=False)
class Shape:
    """Triangles in their own space: positions (V, 3) float32, triangles (T, 3) uint32.

    normals (V, 3), uvs (V, 2) and colours (V, 3, linear Rec.709) are float32 or None. Parts that share a
    shape are instances of it.
    """

    positions: NDArray[np.float32]
    triangles: NDArray[np.uint32]
    normals: NDArray[np.float32] | None = None
    uvs: NDArray[np.float32] | None = None
    colours: NDArray[np.float32] | None = None

    @cached_property
    def bounds(self) -> Box:
        """Lowest and highest corner."""
        used = self.positions
        return used.min(0).astype(float), used.max(0).astype(float)


@dataclass(frozen=True, eq=False)
class Part:
    """One shape of one material at one place; `group` names the nodes above it, outermost first.

    casts: whether it throws shade and shows in reflections; visible: whether the camera sees it.
    """

    name: str
    material: int
    shape: Shape
    matrix: Matrix = field(default_factory=lambda: np.eye(4))
    group: tuple[str, ...] = ()
    casts: bool = True
    visible: bool = True

    @property
    def triangles(self) -> NDArray[np.uint32]:
        """The shape's triangles."""
        return self.shape.triangles

    @property
    def positions(self) -> NDArray[np.float64]:
        """World positions (V, 3)."""
        return self.shape.positions.astype(np.float64) @ self.matrix[:3, :3].T + self.matrix[:3, 3]

    def bounds(self) -> Box:
        """Lowest and highest world corner; of the box around it when it is turned."""
        return self._bounds

    @cached_property
    def _bounds(self) -> Box:
        low, high = self.shape.bounds
        corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float)
        corners = (low + corners * (high - low)) @ self.matrix[:3, :3].T + self.matrix[:3, 3]
        return corners.min(0), corners.max(0)


@dataclass(frozen=True)
class Lamp:
    """A light of the file that has no body: a point or spot of an intensity, or a light Gloamet replaces.

    position and direction in world space; intensity is in candela for point and spot, colour linear Rec.709
    of luminance 1; angles are half angles of a spot's full and outer cone. distant and dome lights only
    tell where they are: the desk's sun and sky light the scene.
    """

    name: str
    kind: Literal["point", "spot", "distant", "dome"]
    position: tuple[float, float, float] = (0.0, 0.0, 0.0)
    direction: tuple[float, float, float] = (0.0, 0.0, -1.0)
    intensity_cd: float = 0.0
    colour: Colour = (1.0, 1.0, 1.0)
    full_deg: float = 45.0
    outer_deg: float = 45.0


@dataclass(frozen=True, eq=False)
class Motion:
    """An animated light, camera or empty: matrices (N, 4, 4) in world space at times_s (N,), seconds in the file."""

    times_s: NDArray[np.float64]
    matrices: NDArray[np.float64]
    fov_deg: float | None = None


@dataclass(frozen=True)
class Origin:
    """Units and up axis of a file, declared or guessed, each with the reason.

    said is False when the file is silent and both are guesses.
    """

    units: str = "m"
    up: UpAxis = "y"
    units_why: str = ""
    up_why: str = ""
    declared: bool = True


@dataclass(frozen=True, eq=False)
class Scene:
    """Everything a file holds that Gloamet can show; notes say in sentences what it could not.

    empties are the matrices of places that carry nothing, by name.
    """

    path: Path | None
    parts: tuple[Part, ...]
    materials: tuple[Material, ...]
    textures: tuple[Texture, ...] = ()
    views: dict[str, Camera] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    lamps: tuple[Lamp, ...] = ()
    motions: dict[str, Motion] = field(default_factory=dict)
    origin: Origin = Origin()
    empties: dict[str, Matrix] = field(default_factory=dict)

    @property
    def triangle_count(self) -> int:
        """Triangles of all parts, instances counted each."""
        return sum(len(part.triangles) for part in self.parts)

    @property
    def shape_count(self) -> int:
        """Different shapes."""
        return len({id(part.shape) for part in self.parts})

    def bounds(self) -> Box:
        """Lowest and highest corner in metres; a unit box when the scene is empty."""
        return self._bounds

    def subject_bounds(self) -> Box:
        """Bounds of what the picture is about: flat grounds are left out when there is anything else."""
        return self._subject_bounds

    @cached_property
    def _bounds(self) -> Box:
        return bounds_of(self.parts)

    @cached_property
    def _subject_bounds(self) -> Box:
        return bounds_of([part for part in self.parts if not is_flat(part)] or self.parts)


def is_flat(part: Part) -> bool:
    """Whether a part is a sheet lying level, such as a ground."""
    low, high = part.bounds()
    return bool(high[2] - low[2] <= FLAT * max(high[0] - low[0], high[1] - low[1]))


def bounds_of(parts: tuple[Part, ...] | list[Part]) -> Box:
    """Compute the bounds of parts.

    Parameters
    ----------
    parts : tuple of Part or list of Part
        The parts.

    Returns
    -------
    Box
        Minimum and maximum corner, metres; a unit box without parts.
    """
    if not parts:
        return np.zeros(3), np.ones(3)
    boxes = [part.bounds() for part in parts]
    return np.min([low for low, _ in boxes], 0), np.max([high for _, high in boxes], 0)


def make_shape(
    positions: NDArray,
    triangles: NDArray,
    normals: NDArray | None = None,
    uvs: NDArray | None = None,
    colours: NDArray | None = None,
) -> Shape | None:
    """A shape without triangles that are degenerate or not finite and vertices nothing uses; None if empty."""
    points = np.asarray(positions, np.float32)
    finite = np.asarray((np.abs(points) < 1e12).all(axis=1))
    order = np.asarray(triangles)
    good = finite[order].all(1)
    a, b, c = (points[order[:, k]] for k in range(3))
    with np.errstate(invalid="ignore", over="ignore"):
        u, v = (b - a).astype(np.float64), (c - a).astype(np.float64)
        area = np.einsum("ij,ij->i", np.cross(u, v), np.cross(u, v))
        longest = np.maximum(np.einsum("ij,ij->i", u, u), np.einsum("ij,ij->i", v, v))
        good &= area > 1e-20 * longest**2
    if not good.any():
        return None
    order = order if good.all() else order[good]
    used = np.zeros(len(points), bool)
    used[order] = True
    if not used.all():
        # several parts may be cut from one block of vertices; each keeps its own
        order = (np.cumsum(used) - 1)[order]
        points = points[used]
        normals, uvs, colours = (None if a is None else a[used] for a in (normals, uvs, colours))
    return Shape(
        np.ascontiguousarray(points, np.float32),
        np.ascontiguousarray(order, np.uint32),
        None if normals is None else _unit(normals),
        None if uvs is None else np.ascontiguousarray(np.nan_to_num(uvs), np.float32),
        None if colours is None else np.ascontiguousarray(np.clip(np.nan_to_num(colours), 0, 1), np.float32),
    )


def _unit(normals: NDArray) -> NDArray[np.float32]:
    """Normals of length 1, or 0 where they have none."""
    out = np.asarray(normals, np.float32)
    length = np.linalg.norm(out, axis=1, keepdims=True)
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
        out = np.where(np.isfinite(length) & (length > 1e-12), out / length, 0.0)
    return np.ascontiguousarray(np.nan_to_num(out), np.float32)


def usable(matrix: Matrix) -> bool:
    """Whether a matrix places anything that can be seen: finite and not squeezed to nothing."""
    return bool(
        matrix.shape == (4, 4)
        and np.isfinite(matrix).all()
        and np.abs(matrix).max() < 1e12
        and abs(np.linalg.det(matrix[:3, :3])) > 1e-30
    )


def unique_name(name: str, taken: dict[str, int]) -> str:
    """The name, numbered when it was taken: decisions are remembered by it."""
    taken[name] = taken.get(name, 0) + 1
    if taken[name] == 1:
        return name
    return unique_name(f"{name} {taken[name]}", taken)
