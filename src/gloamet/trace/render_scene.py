# SPDX-License-Identifier: Apache-2.0
"""A scene flattened into the arrays the kernels read, and its acceleration structure.

Layouts. vertices (V, 3), normals (V, 3), uvs (V, 2), colours (V or 1, 3) float32; triangles (T, 3) uint32:
the six classes of `embree` one after another in world space, then the instanced shapes in their own space.
first (6,) int64 says where each class begins, instance_first (I,) where each instance's shape does.
triangle_material (T,) int32; flags (T,) uint8: HAS_VERTEX_NORMALS, HAS_VERTEX_COLOUR.
instance_parity (I, 18): the rows of the 3x3 matrix for normals, then of the 3x3 matrix for directions.
triangle_part (T,) and instance_part (I,) int32 lead back to the scene's parts. The rest is described in
`surfaces.materials` and `surfaces.ground_plane`.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import REC709_TO_AP1
from gloamet.errors import GloametError
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Part, Scene, Shape
from gloamet.trace.geometry.embree import (
    CAMERA_INVISIBLE,
    HAS_VERTEX_COLOUR,
    HAS_VERTEX_NORMALS,
    NO_SHADOW,
    OPAQUE,
    RAY_CLASSES,
    SPARE_VERTICES,
    TRANSMISSIVE,
    Instance,
    RayScene,
)
from gloamet.trace.lights.lamp_guiding import find_guide_cones
from gloamet.trace.lights.portals import find_portals, glass_parts
from gloamet.trace.surfaces.ground_plane import pack_ground
from gloamet.trace.surfaces.materials import (
    is_transmissive,
    make_lamp_table,
    make_material_table,
    make_texture_table,
)

Floats = NDArray[np.float32]


class SceneArrays(NamedTuple):
    """What the kernels take of a scene, as laid out above; handle is Embree's, transmissive says whether anything
    lets light through."""

    handle: np.uint64 | int
    transmissive: bool
    vertices: Floats
    normals: Floats
    uvs: Floats
    colours: Floats
    triangles: NDArray[np.uint32]
    triangle_material: NDArray[np.int32]
    flags: NDArray[np.uint8]
    first: NDArray[np.int64]
    instance_first: NDArray[np.int64]
    instance_matrices: Floats
    materials: Floats
    texels: NDArray[np.uint8]
    textures: NDArray[np.int32]
    lamps: Floats
    plane: Floats
    portals: Floats
    guide_cones: Floats


SAVED_TRIANGLES = 300_000  # parts become instances when that saves at least so many triangles


@dataclass(frozen=True, eq=False)
class Geometry:
    """The arrays that depend on shapes and places only; `rays` owns the acceleration structure."""

    key: tuple[Any, ...]
    normals: Floats
    uvs: Floats
    colours: Floats
    triangles: NDArray[np.uint32]
    triangle_material: NDArray[np.int32]
    flags: NDArray[np.uint8]
    first: NDArray[np.int64]
    instance_first: NDArray[np.int64]
    instance_parity: Floats
    triangle_part: NDArray[np.int32]
    instance_part: NDArray[np.int32]
    transmissive: bool
    rays: RayScene


@dataclass(frozen=True, eq=False)
class RenderScene:
    """Geometry with its materials, pictures, lamps and ground."""

    scene: Scene
    geometry: Geometry
    materials: Floats
    texels: NDArray[np.uint8]
    textures: NDArray[np.int32]
    lamps: Floats
    plane: Floats
    portals: Floats
    guide_cones: Floats
    ground: GroundPlane | None

    @property
    def rays(self) -> RayScene:
        """The acceleration structure."""
        return self.geometry.rays

    def arrays(self) -> SceneArrays:
        """What the kernels take."""
        g = self.geometry
        assert g.rays.handle is not None
        return SceneArrays(
            g.rays.handle,
            g.transmissive,
            g.rays.vertices,
            g.normals,
            g.uvs,
            g.colours,
            g.triangles,
            g.triangle_material,
            g.flags,
            g.first,
            g.instance_first,
            g.instance_parity,
            self.materials,
            self.texels,
            self.textures,
            self.lamps,
            self.plane,
            self.portals,
            self.guide_cones,
        )

    def arrays_without_lamps(self) -> SceneArrays:
        """The same of the scene with its lamps unasked, for a source that has its paths to itself."""
        return replace(self, lamps=self.lamps[:0], guide_cones=self.guide_cones[:0]).arrays()


def differs_by_ground_reflectance(a: RenderScene, b: RenderScene) -> bool:
    """Tell whether two scenes differ by the ground reflectance only.

    Parameters
    ----------
    a : RenderScene
        A render scene.
    b : RenderScene
        A render scene.

    Returns
    -------
    bool
        Whether everything else is equal.
    """
    if a.ground is None or b.ground is None or a.ground.water:
        return False
    if a.geometry is not b.geometry or a.texels is not b.texels or a.portals is not b.portals:
        return False
    same = replace(a.ground, reflectance=b.ground.reflectance) == b.ground and np.array_equal(
        a.lamps, b.lamps
    )
    return bool(same and np.array_equal(a.materials[:-1], b.materials[:-1]))


def _ray_class(scene: Scene, part: Part) -> int:
    kind = TRANSMISSIVE if is_transmissive(scene.materials[part.material]) else OPAQUE
    if not part.visible:
        return kind + CAMERA_INVISIBLE
    return kind if part.casts else kind + NO_SHADOW


def _flatten_or_instance(scene: Scene) -> tuple[list[list[int]], list[list[int]]]:
    """Indices of parts to flatten, by class, and groups of parts to place as instances."""
    groups: dict[tuple[int, int, int], list[int]] = defaultdict(list)
    for index, part in enumerate(scene.parts):
        if part.visible or part.casts:
            groups[id(part.shape), part.material, _ray_class(scene, part)].append(index)
    flat: list[list[int]] = [[] for _ in range(RAY_CLASSES)]
    instanced = []
    for (_, _, surface), members in groups.items():
        triangles = len(scene.parts[members[0]].triangles)
        if (len(members) - 1) * triangles >= SAVED_TRIANGLES:
            instanced.append(members)
        else:
            flat[surface] += members
    return flat, instanced


class _GeometryBuilder:
    """The arrays of a geometry at their full size, filled shape by shape.

    Untouched rows (no coordinates, no normals) are never written, so that they take no memory.
    """

    def __init__(self, shapes: list[Shape]) -> None:
        v = sum(len(shape.positions) for shape in shapes)
        t = sum(len(shape.triangles) for shape in shapes)
        coloured = any(shape.colours is not None for shape in shapes)
        self.vertices = np.zeros((v + SPARE_VERTICES, 3), np.float32)
        self.normals, self.uvs = np.zeros((v, 3), np.float32), np.zeros((v, 2), np.float32)
        self.colours = np.ones((v if coloured else 1, 3), np.float32)
        self.triangles = np.zeros((t, 3), np.uint32)
        self.material, self.part = np.zeros(t, np.int32), np.zeros(t, np.int32)
        self.flags = np.zeros(t, np.uint8)
        self.count = self.triangle_count = 0

    def add(self, index: int, part: Part, matrix: NDArray[np.float64] | None) -> None:
        """Append a part's shape, in world space by a matrix or in its own."""
        shape, v, t = part.shape, self.count, self.triangle_count
        self.count, self.triangle_count = v + len(shape.positions), t + len(shape.triangles)
        rows, faces = slice(v, self.count), slice(t, self.triangle_count)
        self.vertices[rows] = shape.positions if matrix is None else part.positions
        if shape.normals is not None:
            self.normals[rows] = shape.normals if matrix is None else shape.normals @ _normal_matrix(part).T
        if shape.uvs is not None:
            self.uvs[rows] = shape.uvs
        if shape.colours is not None:
            self.colours[rows] = np.maximum(shape.colours @ REC709_TO_AP1.T.astype(np.float32), 0.0)
        np.add(shape.triangles, np.uint32(v), out=self.triangles[faces])
        if matrix is not None and np.linalg.det(matrix[:3, :3]) < 0.0:
            # a mirrored transform turns the winding round
            self.triangles[faces] = self.triangles[faces][:, [0, 2, 1]]
        self.material[faces], self.part[faces] = part.material, index
        self.flags[faces] = HAS_VERTEX_NORMALS * (shape.normals is not None) + HAS_VERTEX_COLOUR * (
            shape.colours is not None
        )


def _normal_matrix(part: Part) -> Floats:
    return np.asarray(np.linalg.inv(part.matrix[:3, :3]).T, np.float32)


def _geometry(scene: Scene, key: tuple[Any, ...]) -> Geometry:
    flat, instanced = _flatten_or_instance(scene)
    drawn = [index for members in flat for index in members] + [members[0] for members in instanced]
    build = _GeometryBuilder([scene.parts[index].shape for index in drawn])
    first = [0]
    for members in flat:
        for index in members:
            build.add(index, scene.parts[index], scene.parts[index].matrix)
        first.append(build.triangle_count)
    starts, turns, owners, instances = [], [], [], []
    for members in instanced:
        start = build.triangle_count
        build.add(members[0], scene.parts[members[0]], None)
        positions = [scene.parts[k] for k in members]
        for index, position in zip(members, positions, strict=True):
            starts.append(start)
            turns.append(np.concatenate([_normal_matrix(position).ravel(), position.matrix[:3, :3].ravel()]))
            owners.append(index)
        matrices = np.asarray([position.matrix[:3] for position in positions], np.float32)
        triangles = build.triangles[start : build.triangle_count]
        instances.append(Instance(triangles, matrices, _ray_class(scene, positions[0])))
    classes = [build.triangles[a:b] for a, b in zip(first[:-1], first[1:], strict=True)]
    return Geometry(
        key,
        build.normals,
        build.uvs,
        build.colours,
        build.triangles,
        build.material,
        build.flags,
        np.asarray(first[:-1], np.int64),
        np.asarray(starts, np.int64),
        np.asarray(turns, np.float32).reshape(-1, 18),
        build.part,
        np.asarray(owners, np.int32),
        any(is_transmissive(scene.materials[part.material]) for part in scene.parts),
        RayScene(build.vertices, classes, instances),
    )


def build_render_scene(
    scene: Scene, ground: GroundPlane | None = None, before: RenderScene | None = None
) -> RenderScene:
    """Flatten a scene and build its ray structure.

    Parameters
    ----------
    scene : Scene
        The scene.
    ground : GroundPlane or None, optional
        Ground plane; None without one.
    before : RenderScene or None, optional
        Earlier render scene; what both have in common is kept.

    Returns
    -------
    RenderScene
        The render scene.

    Raises
    ------
    GloametError
        The scene has no triangles.
    """
    if not any(part.visible or part.casts for part in scene.parts):
        raise GloametError("The scene has no triangles: open a model, or bring the muted parts back.")
    key = tuple(
        (
            part.shape,
            part.material,
            part.matrix.tobytes(),
            _ray_class(scene, part),
            part.casts or part.visible,
        )
        for part in scene.parts
    )
    same = before is not None and before.geometry.key == key
    geometry = before.geometry if before is not None and same else _geometry(scene, key)
    if before is not None and before.scene.textures is scene.textures:
        texels, pictures = before.texels, before.textures
    else:
        texels, pictures = make_texture_table(scene.textures)
    materials = make_material_table(scene, ground)
    lamps, apart = make_lamp_table(scene, materials)
    if before is not None and same and glass_parts(before.scene) == glass_parts(scene):
        portals = before.portals
    else:
        portals = find_portals(scene, geometry.rays)
    halos = find_guide_cones(apart, geometry.rays)
    plane = pack_ground(ground)
    return RenderScene(scene, geometry, materials, texels, pictures, lamps, plane, portals, halos, ground)
