"""A scene flattened into the arrays the kernels read, and its ray structure.

Layouts. vertices (V, 3), normals (V, 3), uvs (V, 2), colours (V or 1, 3) float32; triangles (T, 3) uint32:
the six classes of `embree` one after another in world space, then the instanced shapes in their own space.
first (6,) int64 says where each class begins, instance_first (I,) where each instance's shape does.
triangle_material (T,) int32; flags (T,) uint8: SMOOTH for vertex normals, COLOURED for vertex colours.
instance_turns (I, 18): the rows of the 3x3 that turns normals, then of the 3x3 that turns directions.
triangle_part (T,) and instance_part (I,) int32 lead back to the scene's parts. The rest is described in
`materials` and `plane`.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import REC709_TO_AP1
from gloamet.errors import GloametError
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Part, Scene, Shape
from gloamet.trace.embree import CLASSES, OPAQUE, PERVIOUS, SHADELESS, UNSEEN, Instance, RayScene
from gloamet.trace.materials import is_pervious, lamp_table, material_table, picture_table
from gloamet.trace.plane import pack_plane

Floats = NDArray[np.float32]
SMOOTH, COLOURED = 1, 2
SAVED_TRIANGLES = 20_000  # parts become instances when that saves at least so many triangles


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
    instance_turns: Floats
    triangle_part: NDArray[np.int32]
    instance_part: NDArray[np.int32]
    pervious: bool
    rays: RayScene


@dataclass(frozen=True, eq=False)
class Compiled:
    """Geometry with its materials, pictures, lamps and ground."""

    scene: Scene
    geometry: Geometry
    materials: Floats
    texels: NDArray[np.uint8]
    pictures: NDArray[np.int32]
    lamps: Floats
    plane: Floats
    ground: GroundPlane | None

    @property
    def rays(self) -> RayScene:
        """The acceleration structure."""
        return self.geometry.rays

    def arrays(self) -> tuple[NDArray, ...]:
        """What the kernels take, in their order."""
        g = self.geometry
        return (
            g.rays.vertices, g.normals, g.uvs, g.colours, g.triangles, g.triangle_material, g.flags, g.first,
            g.instance_first, g.instance_turns, self.materials, self.texels, self.pictures, self.lamps,
            self.plane,
        )  # fmt: skip


def _surface(scene: Scene, part: Part) -> int:
    kind = PERVIOUS if is_pervious(scene.materials[part.material]) else OPAQUE
    if not part.visible:
        return kind + UNSEEN
    return kind if part.casts else kind + SHADELESS


def _split(scene: Scene) -> tuple[list[list[int]], list[list[int]]]:
    """Indices of parts to flatten, by class, and groups of parts to place as instances."""
    groups: dict[tuple[int, int, int], list[int]] = defaultdict(list)
    for index, part in enumerate(scene.parts):
        if part.visible or part.casts:
            groups[id(part.shape), part.material, _surface(scene, part)].append(index)
    flat: list[list[int]] = [[] for _ in range(CLASSES)]
    instanced = []
    for (_, _, surface), members in groups.items():
        triangles = len(scene.parts[members[0]].triangles)
        if (len(members) - 1) * triangles >= SAVED_TRIANGLES:
            instanced.append(members)
        else:
            flat[surface] += members
    return flat, instanced


class _Builder:
    """Collects vertices and triangles part by part."""

    def __init__(self, coloured: bool) -> None:
        self.coloured = coloured
        self.count = self.triangle_count = 0
        self.vertices: list[Floats] = []
        self.normals: list[Floats] = []
        self.uvs: list[Floats] = []
        self.colours: list[Floats] = []
        self.triangles: list[NDArray[np.uint32]] = []
        self.material: list[tuple[int, int]] = []
        self.flags: list[tuple[int, int]] = []
        self.part: list[tuple[int, int]] = []

    def add(
        self, index: int, material: int, shape: Shape, vertices: Floats, turn: Floats
    ) -> NDArray[np.uint32]:
        """Append a shape; returns its triangles with their vertex numbers."""
        n, t = len(vertices), len(shape.triangles)
        self.vertices.append(vertices)
        if shape.normals is None:
            self.normals.append(np.zeros((n, 3), np.float32))
        else:
            self.normals.append(shape.normals @ turn.T)
        self.uvs.append(np.zeros((n, 2), np.float32) if shape.uvs is None else shape.uvs)
        if self.coloured:
            colour = np.ones((n, 3), np.float32)
            if shape.colours is not None:
                colour = np.maximum(shape.colours @ REC709_TO_AP1.T.astype(np.float32), 0.0)
            self.colours.append(colour)
        triangles = shape.triangles + np.uint32(self.count)
        self.triangles.append(triangles)
        flags = SMOOTH * (shape.normals is not None) + COLOURED * (shape.colours is not None)
        for rows, value in ((self.material, material), (self.flags, flags), (self.part, index)):
            rows.append((value, t))
        self.count += n
        self.triangle_count += t
        return triangles


def _spread(rows: list[tuple[int, int]], kind: Any) -> NDArray:
    values, counts = zip(*rows, strict=True)
    return np.repeat(np.asarray(values), counts).astype(kind)


def _normal_turn(part: Part) -> Floats:
    return np.asarray(np.linalg.inv(part.matrix[:3, :3]).T, np.float32)


def _geometry(scene: Scene, key: tuple[Any, ...]) -> Geometry:
    flat, instanced = _split(scene)
    build = _Builder(any(part.shape.colours is not None for part in scene.parts))
    first, classes = [], []
    for members in flat:
        first.append(build.triangle_count)
        blocks = []
        for index in members:
            part = scene.parts[index]
            turn = _normal_turn(part)
            triangles = build.add(index, part.material, part.shape, part.positions.astype(np.float32), turn)
            if np.linalg.det(part.matrix[:3, :3]) < 0.0:
                # a mirrored transform turns the winding round
                triangles = build.triangles[-1] = np.ascontiguousarray(triangles[:, [0, 2, 1]])
            blocks.append(triangles)
        classes.append(np.concatenate(blocks) if blocks else np.zeros((0, 3), np.uint32))
    starts, turns, owners, instances = [], [], [], []
    for members in instanced:
        part = scene.parts[members[0]]
        start = build.triangle_count
        triangles = build.add(
            members[0], part.material, part.shape, part.shape.positions, np.eye(3, dtype=np.float32)
        )
        places = [scene.parts[k] for k in members]
        for index, place in zip(members, places, strict=True):
            starts.append(start)
            turns.append(np.concatenate([_normal_turn(place).ravel(), place.matrix[:3, :3].ravel()]))
            owners.append(index)
        matrices = np.asarray([place.matrix[:3] for place in places], np.float32)
        instances.append(Instance(triangles, matrices, _surface(scene, part)))
    return Geometry(
        key,
        np.concatenate(build.normals),
        np.concatenate(build.uvs),
        np.concatenate(build.colours) if build.coloured else np.ones((1, 3), np.float32),
        np.concatenate(build.triangles),
        _spread(build.material, np.int32),
        _spread(build.flags, np.uint8),
        np.asarray(first, np.int64),
        np.asarray(starts, np.int64),
        np.asarray(turns, np.float32).reshape(-1, 18),
        _spread(build.part, np.int32),
        np.asarray(owners, np.int32),
        any(is_pervious(scene.materials[part.material]) for part in scene.parts),
        RayScene(np.concatenate(build.vertices), classes, instances),
    )


def compile_scene(
    scene: Scene, ground: GroundPlane | None = None, before: Compiled | None = None
) -> Compiled:
    """Flatten a scene and build its ray structure; what `before` has in common with it is kept.

    Raises GloametError when there are no triangles.
    """
    if not any(part.visible or part.casts for part in scene.parts):
        raise GloametError("The scene has no triangles: open a model, or bring the muted parts back.")
    key = tuple(
        (part.shape, part.material, part.matrix.tobytes(), _surface(scene, part), part.casts or part.visible)
        for part in scene.parts
    )
    same = before is not None and before.geometry.key == key
    geometry = before.geometry if before is not None and same else _geometry(scene, key)
    if before is not None and before.scene.textures is scene.textures:
        texels, pictures = before.texels, before.pictures
    else:
        texels, pictures = picture_table(scene.textures)
    materials = material_table(scene, ground)
    lamps = lamp_table(scene, materials)
    return Compiled(scene, geometry, materials, texels, pictures, lamps, pack_plane(ground), ground)
